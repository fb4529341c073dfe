"""Macros, triggers, shortcuts and messages in the real window, against real stand-ins and independent clients."""

import mido
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pythonosc.udp_client import SimpleUDPClient

from ribalta.core.ports.causes import By
from ribalta.core.show.automation.macros import StepKind
from ribalta.desk.widgets.macro_steps import NEW_STEPS
from tests import dry_runs
from tests.desk.test_cue_parts import type_in
from tests.desk.test_prompt_parts import find, refreshed
from tests.desk.test_switch_journey import keys
from tests.dry_runs import framing_id, off_time
from tests.remote.test_messages import FakePorts, free_port
from tests.stalls import steady

pytestmark = pytest.mark.alone

FRAME_S = 0.04


def is_set(desk, camera_id: str) -> bool:
    return dry_runs.is_set(Stage(desk), camera_id)


def test_a_macro_is_recorded_retimed_bound_to_a_key_run_and_stopped(open_desk):
    desk = open_desk()
    desk.until(desk.all_there)
    window, macros = desk.window, desk.window.cue.macros
    window.show_view("Air")
    keys(desk, "2", "Q")  # wherever another test has left it, it has a way to go
    desk.until(lambda: is_set(desk, "c2"))

    # record four actions
    QTest.keyClick(desk.air, Qt.Key.Key_F8)
    desk.until(lambda: desk.state.automation.recording is not None)
    keys(desk, "2", "W")
    desk.until(lambda: is_set(desk, "c2"))
    keys(desk, "Space")
    desk.until(lambda: desk.state.program.on_air.camera_id == "c2")
    keys(desk, "3", "E")
    keys(desk, "B")
    desk.until(lambda: desk.state.program.black.black and len(desk.state.automation.recording.calls) == 4)
    QTest.keyClick(desk.air, Qt.Key.Key_F8)
    desk.until(lambda: desk.state.automation.recording is None and len(desk.state.show.macros) == 6)
    macro = desk.state.show.macros[-1]
    assert [s.call.action for s in macro.steps if s.kind is StepKind.DO] == [
        *("ready.framing", "take", "ready.framing", "black")
    ]
    waits = [s.seconds for s in macro.steps if s.kind is StepKind.WAIT]

    # retime it, and put a wait until set behind the first action
    window.show_view("Cue")
    window.cue.show_page("Macros")
    macros.choose(macro.id)
    macros.faster.click()

    def now():
        return desk.state.show.macro(macro.id)

    desk.until(lambda: next(s.seconds for s in now().steps if s.kind is StepKind.WAIT) < waits[0])

    first = next(k for k, s in enumerate(now().steps) if s.kind is StepKind.DO)
    refreshed(macros)._step_chosen((first,))
    macros._put(NEW_STEPS["Wait until set"])
    desk.until(lambda: now().steps[first + 1].kind is StepKind.UNTIL_SET)

    # find a key by pressing it, and bind the macro to it
    window.cue.show_page("Shortcuts")
    shortcuts = window.cue.shortcuts
    shortcuts.press.click()
    QTest.keyClick(window, Qt.Key.Key_Semicolon)
    assert shortcuts.said.text() == ";"
    shortcuts.call.choose.click()
    find(window, f"run macro {macro.name}")
    desk.until(lambda: any(s.control == "key ;" for s in desk.state.show.shortcuts))

    # run it by that key; then once more, and stop it in the middle
    window.show_view("Air")
    keys(desk, "B", "4", "W")
    desk.until(lambda: not desk.state.program.black.black and is_set(desk, "c4"))
    keys(desk, "Space")
    desk.until(lambda: desk.state.program.on_air.camera_id == "c4")
    before = len(desk.state.program.records)
    QTest.keyClick(desk.air, Qt.Key.Key_Semicolon)
    desk.until(lambda: desk.state.automation.runs)
    desk.until(lambda: not desk.state.automation.runs and desk.state.program.black.black)
    taken = desk.state.program.records[before:]
    assert [(r.shot.camera_id, r.landed) for r in taken] == [("c2", True)]
    assert desk.session.log.history.chain(taken[0].run_id)[0].cause.by is By.KEY
    QTest.keyClick(desk.air, Qt.Key.Key_Semicolon)
    desk.until(lambda: desk.state.automation.runs)
    window.show_view("Cue")
    window.cue.show_page("Macros")
    desk.until(lambda: refreshed(macros).stop.isEnabled())  # noqa: PLW0108
    macros.stop.click()
    desk.until(lambda: not desk.state.automation.runs)
    ran = desk.state.run.count
    loops = iter(range(30))
    desk.until(lambda: next(loops, None) is None)
    assert desk.state.run.count == ran


def test_a_scene_trigger_sends_two_cameras_each_time(open_desk):
    desk = open_desk()
    desk.until(desk.all_there)
    trigger = desk.state.show.triggers[0]  # the demo's: two close-ups wait for the jury
    goals = {"c4": framing(desk, 4, "A"), "c3": framing(desk, 3, "R")}
    for count in range(1, 3):
        for camera, letter in ((4, "Q"), (3, "Q")):
            desk.session.act("framing.restore", {"camera": camera, "letter": letter})
        desk.until(lambda: all(desk.state.live(c).goal_framing_id != g for c, g in goals.items()))
        keys(desk, "0", "W")
        desk.until(
            lambda count=count: (
                desk.state.automation.fired.get(trigger.id) and desk.state.automation.fired[trigger.id].count == count
            )
        )
        desk.until(lambda: all(desk.state.live(c).goal_framing_id == g for c, g in goals.items()))
    desk.until(lambda: is_set(desk, "c4"))


def framing(desk, camera: int, letter: str) -> str:
    return framing_id(desk.state, camera, letter)


def test_a_midi_note_and_an_osc_message_each_recall_a_framing(standins, open_desk):
    ports = FakePorts("Pads")
    desk = open_desk()
    station = desk.session.outside.messages.station
    station.midi._ports = ports  # this machine has none
    desk.until(desk.all_there)
    desk.until(lambda: bool(ports.opened))
    ports.opened[0][1].heard(mido.Message("note_on", note=60, velocity=100))
    desk.until(
        lambda: desk.state.program.next is not None and desk.state.program.next.framing_id == framing(desk, 2, "W")
    )
    ports.opened[0][1].heard(mido.Message("note_off", note=60))

    # switched on in Cue
    port = free_port()
    desk.window.show_view("Cue")
    desk.window.show_view("Rig")
    desk.window.rig.show_page("Messages")
    page = desk.window.rig.messages
    type_in(page.ports["osc_port"], str(port))
    page.switches["osc"].click()
    desk.until(lambda: "OSC" in station._opened)
    client = SimpleUDPClient("127.0.0.1", port)
    client.send_message("/ribalta/ready/framing", [3, "E"])
    client._sock.close()
    desk.until(lambda: desk.state.program.next.framing_id == framing(desk, 3, "E"))
    desk.until(lambda: is_set(desk, "c3"))

    # and the stand-ins' own partner, with its own OSC
    standins.send(wire="osc", host="127.0.0.1", port=port, address="/ribalta/ready/framing", arguments=[1, "E"])
    desk.until(lambda: desk.state.program.next.framing_id == framing(desk, 1, "E"))
    cause = desk.session.log.history.lines[-1].cause
    assert cause.by is By.OSC


def test_one_press_cuts_here_and_at_the_partner_within_a_frame(open_desk, standins):
    desk = open_desk()
    desk.until(desk.all_there)

    def measured() -> list[float]:
        late = []
        for camera in ("1", "2", "3"):
            keys(desk, camera, camera)
            desk.until(lambda: desk.state.program.next is not None and is_set(desk, desk.state.program.next.camera_id))
            heard = len(standins.heard())
            keys(desk, "Space")
            desk.until(lambda heard=heard: len(standins.heard()) > heard)
            said = standins.heard()[-1]
            assert said["words"].startswith(f"osc /hall/on_air {camera} ")
            late.append(said["at_s"] - desk.state.program.records[-1].at_s)
        return late

    late = steady(measured, lambda late: sorted(late)[1] < FRAME_S)
    assert min(late) >= 0
    assert sorted(late)[1] < FRAME_S, late


class Stage:
    """A desk as a stage for `dry_runs`."""

    def __init__(self, desk) -> None:
        self._desk, self.why, self.until = desk, desk.session.log.history, desk.until

    @property
    def state(self):
        return self._desk.state

    def now_s(self) -> float:
        return self._desk.session.clock.now_s()

    def act(self, action_id: str, **arguments) -> None:
        self._desk.session.act(action_id, arguments)


def test_in_real_time_too_a_dry_run_is_the_real_run(open_desk):
    """All macros are run on a wound clock, in tests/server/test_automation_runs.py."""
    desk = open_desk()
    desk.until(desk.all_there)
    macro = desk.state.show.macro("a1")  # a camera travels, and a mix
    assert steady(lambda: off_time(Stage(desk), macro), lambda off: not off) == []
