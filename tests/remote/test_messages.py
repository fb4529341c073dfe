"""Messages in and out over real sockets, with independent clients; what is malformed or floods is refused."""

import http.client
import json
import os
import random
import socket
import threading
import time
from collections.abc import Callable

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pythonosc.osc_bundle_builder import IMMEDIATELY, OscBundleBuilder
from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.udp_client import SimpleUDPClient

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.controls import Controls
from ribalta.core.engine.views.addresses import arguments_of, by_osc, described, osc_address
from ribalta.core.ports.causes import ActionRan
from ribalta.core.ports.messages import MessageCame, Notice
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Listening, Shortcut
from ribalta.remote import osc
from ribalta.remote.midi import told_apart
from ribalta.remote.remote_server import RemoteServer
from ribalta.standins.partner import Partner, osc_bytes, osc_words
from tests.core.hand_wound import Hall, small_show

pytestmark = pytest.mark.real_time


def free_port(kind: int = socket.SOCK_DGRAM) -> int:
    with socket.socket(socket.AF_INET, kind) as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


def wait_for(what: Callable[[], object], seconds: float = 5.0):
    """Until something is there; messages come over real sockets on a thread of their own."""
    pause, end_s = threading.Event(), time.monotonic() + seconds
    while not (found := what()):
        assert time.monotonic() < end_s, "it did not come"
        pause.wait(0.005)
    return found


class Echo:
    """A MIDI port of a test: what is sent to it is heard, what is put into it arrives."""

    def __init__(self, heard=None) -> None:
        self.heard, self.sent, self.closed = heard, [], False

    def send(self, message) -> None:
        self.sent.append(message)

    def close(self) -> None:
        self.closed = True


class FakePorts:
    def __init__(self, *names: str) -> None:
        self.names, self.opened, self.out = list(names), [], {}

    def inputs(self):
        if not self.names:
            raise OSError("no sequencer")
        return self.names

    outputs = inputs

    def open_input(self, name, heard):
        port = Echo(heard)
        self.opened.append((name, port))
        return port

    def open_output(self, name):
        return self.out.setdefault(name, Echo())


class HallDesk:
    """What the station needs, over a hand-wound hall; inputs are taken in at once, under no other thread's feet."""

    def __init__(self, *shortcuts: Shortcut) -> None:
        self.hall = Hall(small_show().model_copy(update={"shortcuts": shortcuts}))
        self.clock, self.backlog, self.causes, self.said = self.hall.clock, 0, [], []
        self.controls = Controls(lambda: self.hall.state, self._call)
        self.messages: list[str] = []

    @property
    def state(self):
        return self.hall.state

    def _call(self, call, cause) -> None:
        self.causes.append(cause)
        self.hall.engine.call(call, self.clock.now_s(), cause)

    def ask(self, action_id, arguments, cause, answer=None) -> None:
        self.causes.append(cause)
        ran = self.hall.engine.act(action_id, arguments, self.clock.now_s(), cause=cause)
        assert isinstance(ran, ActionRan)
        if answer is not None:
            answer(ran)

    def work(self, control, down) -> None:
        (self.controls.down if down else self.controls.up)(control, self.clock.now_s())

    def lost(self, device) -> None:
        self.controls.lost(device, self.clock.now_s())

    def report(self, report) -> None:
        assert isinstance(report, MessageCame)
        self.messages.append(report.line)

    def say(self, notice: Notice) -> None:
        self.said.append(notice.sentence)


@pytest.fixture
def station():
    made = []

    def make(desk: HallDesk, ports: FakePorts | None = None, token: str = "let me in", **listening) -> RemoteServer:
        one = RemoteServer(desk, desk.work, ports or FakePorts(), lambda: token)
        one.start()
        made.append(one)
        one.follow(Listening(**listening))
        return one

    yield make
    for one in made:
        one.stop()


@pytest.fixture
def partner():
    host = f"127.77.{1 + os.getpid() % 250}.{1 + os.getpid() // 250 % 250}"  # one for each worker of a run
    one = Partner(host)
    yield host, one
    one.close()


# In


def test_an_osc_message_from_an_independent_client_recalls_a_framing(station):
    desk, port = HallDesk(), free_port()
    one = station(desk, osc=True, osc_port=port)
    client = SimpleUDPClient("127.0.0.1", port)
    wait_for(lambda: "OSC" in one._opened)
    client.send_message("/ribalta/ready/framing", [2, "W"])
    wait_for(lambda: desk.state.program.next)
    assert desk.state.program.next.framing_id == "f7"
    client.send_message("/ribalta/ready/framing", [3.0, "E", "live=off"])
    wait_for(lambda: desk.state.program.next.framing_id == "f11")
    client.send_message("/ribalta/black", [1])
    wait_for(lambda: desk.state.program.black.black)
    client.send_message("/ribalta/ready/framing", [2, "W", 0, 0, 4, 9])
    wait_for(lambda: one.log.lines[-1].failed)
    client._sock.close()
    assert "at most 5 arguments, not 6" in one.log.lines[-1].answer
    assert {str(c.by) for c in desk.causes} == {"OSC"}


def test_a_midi_note_recalls_a_framing_and_its_release_lets_go(station):
    note = Shortcut(
        control="midi note 1 60",
        call=Call(action="ready.framing", arguments={"camera": 2, "letter": "W"}),
    )
    layer = Shortcut(control="midi note 1 61", call=Call(action="layer.hold", arguments={"layer": "Talk"}))
    desk, ports = HallDesk(note, layer), FakePorts("Pads", "Pads")
    one = station(desk, ports)
    wait_for(lambda: len(ports.opened) == 2)
    assert one.midi.names[0] == ("Pads (1)", "Pads (2)")
    first = ports.opened[0][1]
    first.heard(mido.Message("note_on", note=60, velocity=90))
    assert desk.state.program.next.framing_id == "f7"
    first.heard(mido.Message("note_on", note=61, velocity=90))
    assert desk.state.automation.layers == ("Talk",)
    ports.names = ["Pads"]
    one.midi.follow(())
    assert desk.state.automation.layers == ()  # the device that held it is gone
    before = len(desk.messages)
    for value in (0, 30, 70, 100, 20):
        ports.opened[1][1].heard(mido.Message("control_change", control=7, value=value))
    assert desk.messages[before:] == [f"midi control 1 7 {v}" for v in (0, 30, 70, 100, 20)]


def test_without_midi_it_is_said_and_the_rest_works(station):
    one = station(HallDesk(), FakePorts())
    wait_for(lambda: one.midi.trouble)
    assert one.midi.trouble == "This machine has no MIDI. Everything else works."
    assert told_apart(["a", "b", "a"]) == {"a (1)": "a", "b": "b", "a (2)": "a"}


def test_http_runs_actions_and_says_what_came_of_them(station):
    desk, port = HallDesk(), free_port(socket.SOCK_STREAM)
    one = station(desk, http=True, http_port=port)
    wait_for(lambda: "HTTP" in one._opened)

    def ask(method: str, path: str, body: object = None, **headers: str):
        line = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
        line.request(method, path, json.dumps(body) if body is not None else None, headers)
        answer = line.getresponse()
        data = answer.read()
        line.close()
        return answer.status, json.loads(data) if data.startswith((b"{", b"[")) else data

    assert ask("POST", "/actions/ready.framing", {"camera": 2, "letter": "W"})[0] == 200
    assert desk.state.program.next.framing_id == "f7"
    assert ask("POST", "/actions/ready.framing?camera=3&letter=E") == (
        200,
        {"done": True, "said": "Ready camera 3 at “3E”", "number": 2},
    )
    status, said = ask("POST", "/actions/ready.framing", {"camera": 9, "letter": "W"})
    assert (status, said["said"][:24]) == (409, "There is no camera 9. Th")
    assert ask("POST", "/actions/nothing")[0] == 404
    assert ask("POST", "/actions/take", {"now": 1})[1]["said"].endswith("there is no argument “now”.")
    assert ask("POST", "/actions/take", [1])[0] == 400
    assert ask("POST", "/actions/take", Origin="http://example.org")[0] == 403
    assert ask("GET", "/state")[1]["on_air"] == "4  Wide"
    assert len(ask("GET", "/actions")[1]) == len(CATALOGUE.rows)
    assert ask("GET", "/messages/door/open")[0] == 405
    ask("POST", "/messages/door/open")
    assert desk.messages == ["http /door/open"]
    with socket.create_connection(("127.0.0.1", port)) as raw:
        raw.sendall(b"\x16\x03\x01 nonsense \r\n\r\n")
        raw.settimeout(2)
        assert raw.recv(100).startswith(b"HTTP/1.")
    assert ask("GET", "/state")[0] == 200


def test_lines_over_tcp_and_udp_work_controls_and_triggers(station):
    desk, udp, tcp = HallDesk(), free_port(), free_port(socket.SOCK_STREAM)
    one = station(desk, udp_port=udp, tcp_port=tcp)
    wait_for(lambda: {"UDP", "TCP"} <= one._opened.keys())
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as plain:
        plain.sendto(b"door open\n", ("127.0.0.1", udp))
        plain.sendto(b"\xff\x00\x01", ("127.0.0.1", udp))
    with socket.create_connection(("127.0.0.1", tcp)) as line:
        line.sendall(b"lights  on\nlights off\n" + b"x" * 9000)
        wait_for(lambda: len(desk.messages) == 3)
    assert sorted(desk.messages) == ["tcp lights off", "tcp lights on", "udp door open"]


def test_other_machines_need_the_token(station):
    desk = HallDesk()
    one = station(desk)
    message = osc.Message("/ribalta/cover", ())
    one.incoming.osc(message, "10.0.0.7")
    assert one.log.lines[-1].failed
    one.incoming.osc(osc.Message("/ribalta/cover", ("token=wrong",)), "10.0.0.7")
    assert not desk.causes
    one.incoming.osc(osc.Message("/ribalta/cover", ("token=let me in",)), "10.0.0.7")
    assert len(desk.causes) == 1
    assert "let me in" not in " ".join(line.words for line in one.log.lines)


def test_a_port_in_use_is_said_and_the_others_open(station):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as taken:
        taken.bind(("127.0.0.1", 0))
        port, web = taken.getsockname()[1], free_port(socket.SOCK_STREAM)
        desk = HallDesk()
        one = station(desk, osc=True, osc_port=port, http=True, http_port=web)
        wait_for(lambda: "HTTP" in one._opened)
        assert desk.said == [
            f"OSC cannot come in on port {port}: the port is in use. Choose another in Rig, under Messages."
        ]


def test_a_flood_is_dropped_and_said_once():
    desk = HallDesk()
    one = RemoteServer(desk, desk.work, FakePorts(), lambda: "")
    desk.backlog = 5000
    for _ in range(100):
        one.incoming.osc(osc.Message("/ribalta/cover", ()), "127.0.0.1")
    assert desk.said == ["Messages come faster than they can be done: 1 were dropped so far."]
    assert not desk.causes
    one._loop.close()


@given(st.binary(max_size=200))
def test_any_bytes_are_a_message_or_malformed(data):
    try:
        messages = osc.parse(data)
    except osc.Malformed:
        return
    assert all(message.line.isprintable() or message.arguments for message in messages)


@given(
    st.text(st.characters(min_codepoint=33, max_codepoint=126, blacklist_characters="#*,?[]{}"), min_size=1),
    st.lists(
        st.one_of(
            st.integers(-(2**31), 2**31 - 1),
            st.floats(width=32, allow_nan=False),
            st.booleans(),
            st.text(st.characters(min_codepoint=32, max_codepoint=126)),
        )
    ),
)
def test_the_partners_own_osc_and_the_desks_agree(name, arguments):
    data = osc_bytes("/" + name, arguments)
    (message,) = osc.parse(data)
    assert message.address == "/" + name
    assert list(message.arguments) == arguments
    assert osc.build("/" + name, arguments) == data
    assert osc_words(data).split(" ")[0] == "/" + name


@given(st.lists(st.lists(st.integers(0, 255), min_size=1, max_size=4), max_size=30))
def test_any_midi_bytes_are_taken_or_passed_over(messages):
    desk = HallDesk()
    one = RemoteServer(desk, desk.work, FakePorts(), lambda: "")
    parser = mido.Parser()
    for data in messages:
        parser.feed(data)
    for message in parser:
        one.midi.hear("Pads", message)
    one._loop.close()
    assert all(line.startswith("midi ") for line in desk.messages)
    assert not desk.said


def test_what_is_no_http_is_answered_or_dropped_and_the_rest_is_served(station):
    desk, port = HallDesk(), free_port(socket.SOCK_STREAM)
    one = station(desk, http=True, http_port=port)
    wait_for(lambda: "HTTP" in one._opened)
    chance = random.Random(7)
    hostile = [bytes(chance.randrange(256) for _ in range(60)) for _ in range(30)]
    hostile += [b"POST /actions/take HTTP/1.1\r\nContent-Length: 99999999999\r\n\r\nx", b"GET " + b"/a" * 9000]
    hostile += [b"POST /actions/take HTTP/1.1\r\nHost: x\r\nContent-Length: 3\r\n\r\n\xff\xfe{", b"\r\n" * 50]
    for data in hostile:
        with socket.create_connection(("127.0.0.1", port)) as line:
            line.sendall(data + b"\r\n\r\n")
    web = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
    web.request("GET", "/state")
    assert web.getresponse().status == 200
    web.close()
    assert not desk.causes


def test_bundles_are_taken_apart_in_order():
    bundle = OscBundleBuilder(IMMEDIATELY)
    for address in ("/one", "/two"):
        bundle.add_content(OscMessageBuilder(address=address).build())
    assert [m.address for m in osc.parse(bundle.build().dgram)] == ["/one", "/two"]


def test_every_action_has_an_address_of_its_own_and_arguments_by_name_or_order():
    addresses = [osc_address(row) for row in CATALOGUE.rows]
    assert len(set(addresses)) == len(addresses)
    for row in CATALOGUE.rows:
        assert by_osc(osc_address(row)) is row
        json.dumps(described(row))
    row = CATALOGUE.by_id["transition.set"]
    assert arguments_of(row, ["mix", 1.5, "softness=0.25"]) == {"kind": "mix", "seconds": 1.5, "softness": 0.25}


# Out
