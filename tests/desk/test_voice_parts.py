"""Voices, the talk, planning, tables and rehearsing in the real window on a hand-wound show."""

import time

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.dryrun.voice_rehearsal import FollowedVoices
from ribalta.core.show.automation.playlists import Wished
from ribalta.core.show.files.storage import load
from ribalta.core.sound.conversation import Conversation, Turn, blocks
from ribalta.core.sound.gates import GateView
from ribalta.demo.shipped import CONVERSATIONS, SHIPPED
from ribalta.desk.cue.sound.voice_rules import DIALS
from ribalta.desk.window import Window
from tests.core.automation.test_voice import hall as hall_of_three
from tests.core.automation.test_voice import hears
from tests.desk.hand_wound import HandWoundSession, opened
from tests.desk.test_cue_parts import choose, type_in
from tests.desk.test_prompt_parts import page, refreshed, rows


@pytest.fixture
def window(app):
    made = Window(HandWoundSession(hall_of_three().state.show))
    made.bridge._show.hall.turn(3)
    yield from opened(made, "Cue")


def until(true) -> None:
    """Some work on a thread of its own is done."""
    end_s = time.monotonic() + 20
    while not true():
        QApplication.processEvents()
        assert time.monotonic() < end_s


def test_voice_follow_is_switched_tied_tuned_and_says_why(window, hall):
    voices = page(window, "Voices")
    assert "Nothing yet" in rows(voices.log)[0]
    voices.modes["automatic"].click()
    assert refreshed(voices).modes["automatic"].isChecked()
    window.bridge.media.heard.gates["q1"] = GateView(-20.0, -60.0, True)
    hears(hall, "1", 5)
    assert refreshed(voices).said.text() == "Ada speaks."
    assert voices.lines[0].shown.text() == "on air"
    assert (
        rows(voices.log)[0].endswith("Take 1 W  1W   because Ada speaks") or "because Ada speaks" in rows(voices.log)[0]
    )
    voices.lines[0].bar.grab()
    choose(voices.lines[2].mark, "m1")
    assert hall.state.show.microphones[2].mark_id == "m1"
    slide(voices, "patience_s", 1.5)
    assert hall.state.show.voice.patience_s == 1.5
    assert not voices.rules.advanced.isVisible()
    voices.rules.more.click()
    type_in(voices.rules.fields["silence_s"], "0.1")
    assert "stays as it is" in hall.sentences[-1]
    choose(voices.rules.words, "show both")
    assert hall.state.show.voice.interjections == "show both"
    hall.act("ready.camera", camera=3)
    assert not refreshed(voices).resume.isHidden()
    voices.resume.click()
    assert hall.state.voice.until_s <= hall.clock.now_s()
    window.show_view("Air")
    window.air.grab()
    QTest.keyClick(window.air, Qt.Key.Key_F9, Qt.KeyboardModifier.ControlModifier)
    assert hall.state.voice.mode == "off"
    QTest.keyClick(window.air, Qt.Key.Key_F10, Qt.KeyboardModifier.ControlModifier)
    assert hall.state.voice.mode == "suggest"


def slide(voices, name: str, value: float) -> None:
    """Move a slider as far as a value, and let it rest."""
    steps = next(dial.steps for dial in DIALS if dial.name == name)
    voices.rules.sliders[name].setValue(steps.index(value))
    until(lambda: getattr(voices._bridge.state.show.voice, name) == value)


@pytest.fixture
def demo(app):
    made = Window(HandWoundSession(load(SHIPPED).show))
    engine = made.bridge._show.hall.engine
    engine.state = all_there(engine.state.show)
    yield from opened(made, "Cue")


def test_a_conversation_is_rehearsed_and_a_talk_set_up_in_one_step(demo, tmp_path):
    voices = page(demo, "Voices")
    voices.rehearse_script(CONVERSATIONS / "two-at-the-table.json")
    until(voices.rehearse.isEnabled)
    assert "every cut lands" in rows(voices.log)[0]
    assert "Marrow speaks" in rows(voices.log)[1]
    (tmp_path / "bad.json").write_text("{}")
    voices.rehearse_script(tmp_path / "bad.json")
    until(voices.rehearse.isEnabled)
    assert "bad.json is no conversation" in rows(voices.log)[0]
    voices.back.click()
    assert "Nothing yet" in rows(voices.log)[0]
    choose(voices.one, "m3")
    choose(voices.other, "m4")
    voices.talk.click()
    hall = demo.bridge._show.hall
    assert hall.state.show.playlists[-1].name == "Suri and Jory"
    assert "key “,” Suri, key “.” Jory, key “/” both" in hall.sentences[-1]
    demo.show_view("Air")
    QTest.keyClick(demo.air, Qt.Key.Key_Period)
    shot = hall.state.program.held.shot if hall.state.program.held is not None else hall.state.program.on_air
    assert hall.state.framing(shot).mark_ids == ("m4",)


def test_voice_follow_is_tuned_on_what_was_heard_until_no_shot_is_too_short(demo):
    voices, drawing = page(demo, "Voices"), demo.cue.voices.drawing
    hall = demo.bridge._show.hall
    mics = sorted(hall.state.show.microphones, key=lambda m: m.number)
    hall.act("voice.rules", minimum_s=0.5, patience_s=0.1)
    turns = [Turn(from_s=1.2 * k, to_s=1.2 * k + 0.9, who=(5 + k % 2,)) for k in range(20)]
    talk = Conversation(name="Quick", seconds=24.0, turns=turns)
    ids = tuple(mic.id for mic in mics)
    drawing.heard.blocks.clear()
    for at_s, power in blocks(talk, [mic.number for mic in mics]):
        drawing.heard.blocks.append((hall.clock.now_s() - talk.seconds + at_s, ids, power))

    def drawn() -> list[tuple[float, float, str]]:
        drawing._last_s = -10.0
        drawing.followed = FollowedVoices(0.0)
        voices.refresh()
        until(lambda: drawing.followed.seconds > 0)
        refreshed(voices)
        drawing.grab()
        return drawing.short

    assert len(drawn()) > 3
    assert "let shots stay longer" in voices.made_of.text()
    spoke = {mic_id for mic_id, _, _ in drawing.followed.spans}
    assert spoke == {mic.id for mic in mics if mic.number in (5, 6)}
    assert any("too short" in part.value for part in drawing.accessible_parts())
    slide(voices, "minimum_s", 2.0)
    assert drawn() == []
    assert voices.made_of.text().endswith("none is too short to be read.")


def test_a_playlist_is_planned_from_who_is_to_be_seen(demo):
    hall = demo.bridge._show.hall
    lists = page(demo, "Playlists")
    lists.new.click()
    refreshed(lists).plan.click()
    plan = lists.planning
    assert plan.isVisible()
    assert "Nothing yet" in rows(plan.list)[0]
    for mark, size, seconds in (("m1", "medium", "7"), ("m4", "", "6"), ("m2", "", "5")):
        plan.add.click()
        choose(plan.one, mark)
        choose(plan.shot_size, size)
        type_in(plan.seconds, seconds)
    assert rows(plan.list) == ["1   Ines, medium, 7 s", "2   Jory, 6 s", "3   Bram, 5 s"]
    plan.fast.click()
    until(lambda: plan.result is not None)
    assert plan.said.text().startswith("Every cut lands")
    plan.result = None
    plan.exact.click()
    until(lambda: plan.result is not None)
    assert "proven to be the best" in plan.said.text()
    plan.exact.click()
    plan.up.click()  # nothing is planned twice at once, nor shown for a list that was changed meanwhile
    assert not plan.exact.isEnabled()
    until(plan.exact.isEnabled)
    assert plan.result is None
    assert "changed meanwhile" in plan.said.text()
    assert rows(plan.list)[1] == "2   Bram, 5 s"
    plan.out.click()
    plan.add.click()
    choose(plan.one, "m7")
    choose(plan.shot_size, "detail")
    plan.fast.click()
    until(lambda: plan.result is not None)
    assert plan.said.text() == "It cannot be done as it stands:"
    assert "shows what entry 3 asks for" in rows(plan.plans)[0]
    plan.out.click()
    plan.fast.click()
    until(lambda: plan.result is not None)
    plan.use.click()
    playlist = hall.state.show.playlists[-1]
    assert lists.planning.isHidden()
    assert [e.amount for e in playlist.entries] == [7.0, 6.0]
    assert playlist.wishes[0] == Wished(mark_ids=("m1",), length_s=7.0, size="medium")


def test_a_playlist_goes_out_as_a_table_comes_in_and_is_rehearsed_and_seen_wide(demo, tmp_path):
    hall = demo.bridge._show.hall
    lists = page(demo, "Playlists")
    lists.choose("l1")
    demo.bridge.transfers.write_out_playlist("l1", tmp_path / "Evening.csv")
    demo.bridge.transfers.bring_in_playlist(tmp_path / "Evening.csv")
    made = hall.state.show.playlists[-1]
    assert made.name == "Evening"
    there = hall.state.show.playlist("l1").entries
    assert [(e.item.key, e.amount, e.transition) for e in made.entries] == [
        (e.item.key, e.amount, e.transition) for e in there
    ]
    (tmp_path / "none.csv").write_text("kind,what\nframing,9 Q\n")
    demo.bridge.transfers.bring_in_playlist(tmp_path / "none.csv")
    until(lambda: "has no entry for this show" in demo.notices.sentence)
    refreshed(lists).rehearse.click()
    assert lists.chart.isHidden()
    until(lambda: lists.report.lines.count() > 3)
    assert "cuts land" in lists.report.head.text()
    lists.report.close_report()
    assert not lists.chart.isHidden()
    lists.wide.click()
    wide = demo.screens["chart"]
    choose(wide.which, made.id)
    wide.grab()
    wide.chart.retimed.emit(1, 9.0)
    assert hall.state.show.playlist(made.id).entries[1].amount == 9.0
    hall.act("playlist.start", playlist="l1")
    wide.refresh()
    assert "At the wheels" in wide.said.text()
    wide.grab()


def test_an_own_fit_is_given_with_the_wheel_and_dropped_again(demo):
    hall = demo.bridge._show.hall
    demo.show_view("Air")
    QTest.keyClick(demo.air, Qt.Key.Key_M)
    hall.act("mark.see", number=3)
    chooser = demo.air.chooser
    at = QPointF(chooser.row_area(0).center())
    first = chooser.found()[0].framing
    wheel = QWheelEvent(
        at,
        chooser.mapToGlobal(at),
        QPoint(),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    chooser.wheelEvent(wheel)
    assert hall.state.show.framing(first.id).rating is not None
    place = next(k for k, c in enumerate(chooser.found()) if c.framing.id == first.id)
    assert "by your own rating" in chooser.found()[place].words
    QTest.mouseClick(chooser, Qt.MouseButton.RightButton, pos=chooser.row_area(place).center().toPoint())
    assert hall.state.show.framing(first.id).rating is None
