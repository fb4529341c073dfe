"""Faders, knobs and touch surfaces on a real session: MIDI is put into a port, OSC goes over sockets to a client that
others wrote."""

import math
import random
import socket
import threading
import time

import mido
import pytest
from pythonosc.dispatcher import Dispatcher
from pythonosc.osc_server import ThreadingOSCUDPServer
from pythonosc.udp_client import SimpleUDPClient

from ribalta.core.ports.messages import Learned
from ribalta.core.show.automation.faders import Coding
from ribalta.core.show.document.model import Camera, Framing, Head, Show
from ribalta.core.show.document.sound import Microphone
from ribalta.core.show.files.storage import StoredShow
from ribalta.server.session import Session
from tests.remote.test_messages import FakePorts, free_port, wait_for

pytestmark = pytest.mark.real_time

MICS = tuple(Microphone(id=f"m{k}", number=k, name=f"Mic {k}") for k in range(1, 17))
CAMERAS = tuple(Camera(id=f"c{k}", number=k, name=f"Camera {k}") for k in range(1, 7))
SHOW = Show(cameras=CAMERAS, microphones=MICS)


class Deck:
    """A controller with eight faders and a master, as a session sees it through its ports."""

    def __init__(self, show: Show = SHOW) -> None:
        self.ports = FakePorts("Deck")
        self.session = Session(StoredShow(show, {}), None, midi=self.ports)
        self.heard: list[object] = []
        self.session.listen(self.heard.append)
        self.session.start()
        wait_for(lambda: self.ports.opened)

    def act(self, action: str, **arguments: object) -> None:
        count = self.session.state.run.count
        self.session.act(action, arguments)
        wait_for(lambda: self.session.state.run.count > count)
        wait_for(lambda: self.session.controls.faders._faders is self.session.state.show.faders)  # a little later

    def send(self, kind: str, **fields: int) -> None:
        self.ports.opened[-1][1].heard(mido.Message(kind, **fields))

    def level(self, number: int) -> float:
        return self.session.state.strip(f"m{number}").gain_db

    def sent(self) -> list[object]:
        return self.ports.out["Deck"].sent if "Deck" in self.ports.out else []


@pytest.fixture
def deck():
    made = []

    def make(show: Show = SHOW) -> Deck:
        made.append(Deck(show))
        return made[-1]

    yield make
    for one in made:
        one.session.stop()


def db(place: float) -> float:
    return -60 + 72 * place


def test_a_fader_moves_a_level_in_two_banks_with_pick_up_and_the_master_stays(deck):
    one = deck()
    for bank in (1, 2):
        for k in range(8):
            given = {"quantity": "level", "mic": 1 + k + 8 * (bank - 1), "bank": bank}
            one.act("fader.give", control=f"midi control 1 {k}", port="Deck", **given)
    one.act("fader.give", control="midi bend 9", port="Deck", quantity="master", coding="pitch bend", motor=True)
    one.send("control_change", control=2, value=0)
    one.send("control_change", control=2, value=60)
    threading.Event().wait(0.1)
    assert one.level(3) == 0.0, "it has not passed the value yet"
    one.send("control_change", control=2, value=110)
    wait_for(lambda: one.level(3) == pytest.approx(db(110 / 127), abs=0.01))
    one.act("fader.bank", to=2)
    one.send("control_change", control=2, value=20)
    one.send("control_change", control=2, value=100)
    one.send("control_change", control=2, value=120)
    wait_for(lambda: one.level(11) == pytest.approx(db(120 / 127), abs=0.01))
    assert one.level(3) == pytest.approx(db(110 / 127), abs=0.01)
    one.act("fader.bank", to=1)
    one.send("control_change", control=2, value=119)
    threading.Event().wait(0.1)
    assert one.level(3) == pytest.approx(db(110 / 127), abs=0.01), "it was moved in the other bank: nothing jumps"
    one.send("pitchwheel", channel=8, pitch=0)
    wait_for(lambda: one.session.state.sound.master_db == pytest.approx(db(8192 / 16383), abs=0.01))


def test_a_motor_follows_what_is_moved_on_screen_and_in_the_other_bank(deck):
    one = deck()
    one.act("fader.give", control="midi control 1 7", quantity="level", mic=1, coding="14 bit", bank=1, motor=True)
    one.act("fader.give", control="midi control 1 7", quantity="level", mic=2, coding="14 bit", bank=2, motor=True)

    def stands() -> float | None:
        halves = {m.control: m.value for m in one.sent() if m.type == "control_change"}
        return ((halves[7] << 7) | halves[39]) / 16383 if {7, 39} <= halves.keys() else None

    wait_for(lambda: stands() == pytest.approx(60 / 72, abs=1e-4))
    one.act("mic.gain", mic=1, db=-30.0)
    wait_for(lambda: stands() == pytest.approx(30 / 72, abs=1e-4))
    one.act("mic.gain", mic=2, db=6.0)
    one.act("fader.bank", to=2)
    wait_for(lambda: stands() == pytest.approx(66 / 72, abs=1e-4))
    for raw in range(6000, 9000, 50):
        one.send("control_change", control=7, value=raw >> 7)
        one.send("control_change", control=39, value=raw & 127)
    wait_for(lambda: one.level(2) == pytest.approx(db(8950 / 16383), abs=0.05))
    assert one.level(1) == -30.0


def test_a_flood_is_one_movement_at_a_time_and_ends_where_the_fader_ends(deck):
    one = deck()
    one.act("fader.give", control="midi control 1 1", quantity="level", mic=1, motor=True)
    chance, count = random.Random(4), one.session.state.run.count
    for _ in range(20000):
        one.send("control_change", control=1, value=chance.randrange(128))
    one.send("control_change", control=1, value=127)
    wait_for(lambda: one.level(1) == 12.0)
    assert one.session.host.backlog < 100
    assert one.session.state.run.count - count < 12000
    assert [line.words for line in one.session.log.history.lines].count("Set the fader of microphone 1") <= 5


def test_a_controller_that_goes_while_it_is_moved_and_comes_back_is_picked_up_anew(deck):
    one = deck()
    one.act("fader.give", control="midi control 1 1", port="Deck", quantity="level", mic=1)
    for value in (0, 127, 64):
        one.send("control_change", control=1, value=value)
    wait_for(lambda: one.level(1) == pytest.approx(db(64 / 127), abs=0.01))
    one.ports.names = []
    wait_for(lambda: one.ports.opened[-1][1].closed, 8)
    one.ports.names = ["Deck"]
    wait_for(lambda: len(one.ports.opened) == 2, 8)
    one.act("mic.gain", mic=1, db=-50.0)
    one.send("control_change", control=1, value=120)
    one.send("control_change", control=1, value=119)
    threading.Event().wait(0.1)
    assert one.level(1) == -50.0
    one.send("control_change", control=1, value=2)
    wait_for(lambda: one.level(1) == pytest.approx(db(2 / 127), abs=0.01))


FADER, KNOB = "midi control 1 7", "midi control 1 16"
PAIRS = [(number, half) for v in range(2000, 2400, 20) for number, half in ((7, v >> 7), (39, v & 127))]
TWOS = (1, 1, 1, 2, 1, 127, 127, 126, 127, 1, 1, 1, 1)
SIGNS = (1, 1, 1, 2, 1, 65, 65, 66, 65, 1, 1, 1, 1)
AROUND = (65, 65, 65, 66, 65, 63, 63, 62, 63, 65, 65, 65, 65)


@pytest.mark.parametrize(
    ("messages", "control", "coding"),
    [
        ([(7, v) for v in range(20, 40)], FADER, Coding.BITS_7),
        (PAIRS, FADER, Coding.BITS_14),
        ([(16, v) for v in TWOS], KNOB, Coding.TWOS_COMPLEMENT),
        ([(16, v) for v in SIGNS], KNOB, Coding.SIGN_BIT),
        ([(16, v) for v in AROUND], KNOB, Coding.AROUND_64),
    ],
)
def test_how_a_control_counts_is_learned_from_what_it_sends(deck, messages, control, coding):
    one = deck()
    one.session.controls.faders.learn(True)
    for number, value in messages:
        one.send("control_change", control=number, value=value)
    learned = wait_for(lambda: next((e for e in one.heard if isinstance(e, Learned)), None))
    assert (learned.port, learned.control, learned.coding) == ("Deck", control, coding)


class Surface:
    """A display that subscribes to the board, by python-osc alone."""

    def __init__(self, port: int) -> None:
        self.values: dict[str, object] = {}
        self.came_s: dict[str, float] = {}
        dispatcher = Dispatcher()
        dispatcher.set_default_handler(self._take)
        self.server = ThreadingOSCUDPServer(("127.0.0.1", 0), dispatcher)
        self.thread = threading.Thread(target=self.server.serve_forever)
        self.thread.start()
        self.client = SimpleUDPClient("127.0.0.1", port)

    def _take(self, address: str, *values: object) -> None:
        self.values[address], self.came_s[address] = values[0], time.monotonic()

    def subscribe(self) -> None:
        """Until it is heard: the desk may not listen yet."""
        wait_for(lambda: self.values or self.beat())

    def beat(self) -> None:
        self.client.send_message("/ribalta/subscribe", self.server.server_address[1])

    def close(self) -> None:
        self.server.shutdown()
        self.thread.join()
        self.server.server_close()
        self.client._sock.close()


@pytest.fixture
def surface(deck):
    made = []

    def make(one: Deck) -> Surface:
        port = free_port(socket.SOCK_DGRAM)
        one.act("messages.listen", osc=True, osc_port=port)
        made.append(Surface(port))
        return made[-1]

    yield make
    for each in made:
        each.close()


def framed() -> Show:
    head = Head()
    cameras = tuple(c.model_copy(update={"head": head}) for c in CAMERAS[:2])
    framings = tuple(
        Framing(id=f"f{k}", camera_id=f"c{1 + k % 2}", slot=k // 2, name=f"Framing {k}", pan_deg=0, tilt_deg=0, zoom=0)
        for k in range(6)
    )
    return SHOW.model_copy(update={"cameras": (*cameras, *CAMERAS[2:]), "framings": framings})


def test_a_surface_shows_the_boards_names_tally_and_seconds_for_two_hundred_takes(deck, surface):
    one = deck(framed())
    shown = surface(one)
    shown.subscribe()
    wait_for(lambda: shown.values.get("/ribalta/show/camera/2/W/name") == "Framing 3")
    wait_for(lambda: shown.values.get("/ribalta/show/camera/3/name") == "Camera 3")  # in another bundle
    wait_for(lambda: shown.values.get("/ribalta/show/camera/1/Q/seconds") == -1.0)  # no answer: nothing is known
    one.act("landing.rule", rule="straight")
    chance, late_s, number = random.Random(7), [], 0
    for k in range(200):
        number = chance.choice([n for n in range(3, 7) if n != number])
        one.act("ready.camera", camera=number)
        start_s = time.monotonic()
        one.act("take")
        wanted = {f"/ribalta/show/camera/{n}/tally": "on air" if n == number else "" for n in range(1, 7)}
        wanted["/ribalta/show/on_air"] = f"{number}  Camera {number}"
        wait_for(lambda wanted=wanted: all(shown.values.get(a) == v for a, v in wanted.items()))
        late_s.append(shown.came_s["/ribalta/show/on_air"] - start_s)
        if k % 40 == 0:
            shown.beat()
    assert sorted(late_s)[190] <= 0.1
    assert shown.values["/ribalta/show/camera/3/colour"] in ("#e5322d", "#2b241e")


def test_an_osc_fader_sets_a_level_and_follows_it_and_nonsense_sets_nothing(deck, surface):
    one = deck()
    shown = surface(one)
    one.act("fader.give", control="osc /fader/1", quantity="level", mic=1, coding="0 to 1", motor=True)
    shown.subscribe()
    shown.client.send_message("/fader/1", 0.5)
    wait_for(lambda: one.level(1) == pytest.approx(-24, abs=0.01))
    one.act("mic.gain", mic=1, db=-60.0)
    wait_for(lambda: shown.values.get("/fader/1") == 0.0)
    for bad in (math.nan, math.inf, "loud", [], [0.9, "x"] * 40):
        shown.client.send_message("/fader/1", bad)
    shown.client.send_message("/fader/1", 7.0)  # more than all is all
    wait_for(lambda: one.level(1) == 12.0)
    shown.client.send_message("/ribalta/unsubscribe", shown.server.server_address[1])
    wait_for(lambda: not one.session.outside.messages.station.subscribers._last_s)


def test_a_surface_that_is_silent_is_told_nothing_more(deck, surface, monkeypatch):
    monkeypatch.setattr("ribalta.remote.subscribers.BEAT_S", 0.3)
    one = deck()
    shown = surface(one)
    shown.subscribe()
    wait_for(lambda: shown.values)
    wait_for(lambda: not one.session.outside.messages.station.subscribers._last_s)
    values = dict(shown.values)
    one.act("black")
    threading.Event().wait(0.15)
    assert shown.values == values
