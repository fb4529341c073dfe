"""What belongs to a desk, controls, lights and room for recording, in a real session without cameras."""

import stat
from types import SimpleNamespace

import mido
import pytest

from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.messages import Learned, Notice
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page, Shortcut, Surface, Trigger, When, WhenKind
from ribalta.core.show.document.model import Camera, Show
from ribalta.core.show.files.shortcut_file import desk_path, read_shortcuts, write_shortcuts
from ribalta.core.show.files.storage import StoredShow
from ribalta.server.messages_host import kept_token
from ribalta.server.session import Session
from tests.remote.test_messages import FakePorts, wait_for

SHOW = Show(cameras=(Camera(id="c1", number=1, name="Wide"), Camera(id="c2", number=2, name="Side")))


@pytest.fixture(autouse=True)
def an_empty_desk(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))


@pytest.fixture
def start():
    running = []

    def one(show: Show = SHOW, ports: FakePorts | None = None) -> Session:
        session = Session(StoredShow(show, {}), None, midi=ports or FakePorts())
        session.heard_events = []
        session.listen(session.heard_events.append)
        session.start()
        running.append(session)
        return session

    yield one
    for session in running:
        session.stop()


def said(session: Session, words: str) -> bool:
    return any(isinstance(e, Notice) and words in e.sentence for e in list(session.heard_events))


def test_a_desks_shortcuts_are_there_again_in_the_next_show(start):
    first = start()
    first.act("shortcut.set", {"control": "key K", "action": "black", "owner": "desk"})
    wait_for(lambda: desk_path().exists())
    assert [s.control for s in read_shortcuts(desk_path())] == ["key K"]
    second = start(SHOW.model_copy(update={"title": "Another"}))
    second.controls.work("key K", True)
    wait_for(lambda: second.state.program.black.black and second.log.history.lines)
    assert second.log.history.lines[-1].cause.words == "K"


def test_damaged_shortcuts_of_the_desk_are_said_and_left_alone(start):
    desk_path().parent.mkdir(parents=True)
    desk_path().write_text('{"ribalta": "shortcuts", "schema_version": 99}')
    session = start()
    wait_for(
        lambda: any(isinstance(e, Notice) and "This desk's own shortcuts" in e.sentence for e in session.heard_events)
    )
    assert session.state.desk.shortcuts == ()
    assert "99" in desk_path().read_text()


def test_a_full_disk_keeps_the_shortcuts_that_were_there(start, monkeypatch):
    write_shortcuts(desk_path(), (Shortcut(control="key K", call=Call(action="card")),))
    session = start()
    monkeypatch.setattr("os.replace", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    session.act("shortcut.set", {"control": "key J", "action": "black", "owner": "desk"})
    wait_for(lambda: said(session, "No space left"))
    assert [s.control for s in read_shortcuts(desk_path())] == ["key K"]
    assert len(session.state.desk.shortcuts) == 2  # and they work until Ribalta ends


def test_the_token_is_made_once_and_read_by_its_owner_alone(start):
    token = kept_token()
    assert len(token) > 16
    assert kept_token() == token == start().outside.messages.token()
    assert stat.S_IMODE((desk_path().parent / "token").stat().st_mode) == 0o600


def test_a_controllers_lights_follow_the_show_and_its_notes_press_the_pads(start):
    pads = (
        Pad(at=0, label="Side", call=Call(action="ready.camera", arguments={"camera": 2})),
        Pad(at=1, label="Take", call=Call(action="take")),
    )
    page = Page(id="q1", name="Front", columns=2, rows=2, pads=pads, surface=Surface(port="Pads", row_step=2))
    ports = FakePorts("Pads")
    session = start(SHOW.model_copy(update={"pages": (page,)}), ports)
    wait_for(lambda: ports.opened and ports.out.get("Pads") and len(ports.out["Pads"].sent) >= 4)
    first = {m.note: m.velocity for m in ports.out["Pads"].sent}
    assert first == {36: 1, 37: 1, 38: 0, 39: 0}
    ports.opened[0][1].heard(mido.Message("note_on", note=36, velocity=80))
    wait_for(lambda: session.state.program.next is not None)
    wait_for(lambda: {m.note: m.velocity for m in ports.out["Pads"].sent}[36] == 64)
    ports.opened[0][1].heard(mido.Message("note_off", note=36))


def test_while_somebody_wants_to_know_which_a_note_is_told_and_does_nothing(start):
    shortcut = Shortcut(control="midi note 1 60", call=Call(action="black"))
    ports = FakePorts("Pads")
    session = start(SHOW.model_copy(update={"shortcuts": (shortcut,)}), ports)
    wait_for(lambda: ports.opened)
    session.controls.learn(True)
    ports.opened[0][1].heard(mido.Message("note_on", note=60, velocity=80))
    wait_for(lambda: any(isinstance(e, Learned) for e in session.heard_events))
    assert next(e.control for e in session.heard_events if isinstance(e, Learned)) == "midi note 1 60"
    assert not session.state.program.black.black
    session.controls.learn(False)
    ports.opened[0][1].heard(mido.Message("note_on", note=60, velocity=80))
    wait_for(lambda: session.state.program.black.black)


def test_a_gamepad_that_is_gone_holds_no_layer(start):
    hold = Shortcut(control="gamepad x", call=Call(action="layer.hold", arguments={"layer": "Talk"}))
    session = start(SHOW.model_copy(update={"shortcuts": (hold,)}))
    session.controls.work("gamepad x", True)
    wait_for(lambda: session.state.automation.layers == ("Talk",))
    session.controls.lost("gamepad")
    wait_for(lambda: session.state.automation.layers == ())


def test_room_that_grows_short_sets_a_trigger_off(start, monkeypatch):
    trigger = Trigger(id="g1", name="Room", when=When(kind=WhenKind.DISK_LOW, minutes=10), calls=(Call(action="card"),))
    session = start(SHOW.model_copy(update={"triggers": (trigger,)}))
    left = SimpleNamespace(running=True, minutes_left=42.0)
    monkeypatch.setattr(type(session.outputs), "recordings", property(lambda _: (left,)))
    session.act("row.scenes", {})
    wait_for(lambda: session.state.outputs.room_minutes == 42.0)
    assert not session.state.program.card
    left.minutes_left = 7.5
    session.act("row.scenes", {})
    wait_for(lambda: session.state.program.card)


def test_a_flood_of_inputs_is_taken_in_order(start):
    session = start()
    done = []
    for k in range(1000):
        session.host.ask(
            "black", {"black": k % 2 == 1, "seconds": 0.0}, Cause(By.OSC, "test"), lambda ran: done.append(ran.number)
        )
    wait_for(lambda: len(done) == 1000)
    assert done == sorted(done)
    assert session.state.program.black.black
    assert session.host.backlog == 0
