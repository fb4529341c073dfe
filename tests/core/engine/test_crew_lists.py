"""The crew's lists: steps are made, moved, ticked by hand or because the desk sees it; and the end of an evening."""

import pytest

from ribalta.core.engine.state.crew_lists import is_closed, standing
from ribalta.core.ports.crew import CheckDone, EndWanted, EveningEnded
from ribalta.core.show.document.crew_lists import Seen
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.core.hand_wound import Hall


def words(hall: Hall, name: str = "opening") -> list[str]:
    return [row.step.words for row in standing(hall.state, name, hall.clock.now_s())]


def done(hall: Hall, name: str = "opening") -> list[str]:
    return [row.step.words for row in standing(hall.state, name, hall.clock.now_s()) if row.done]


def test_steps_are_added_changed_moved_removed_and_each_is_undone():
    hall = Hall()
    for said in ("Power", "Lenses", "Doors"):
        hall.act("list.add", list="opening", words=said)
    hall.act("list.add", list="closing", words="Caps")
    ids = [step.id for step in hall.state.show.opening]
    assert len({*ids, *(step.id for step in hall.state.show.closing)}) == 4
    hall.act("list.move", list="opening", step=ids[2], by=-2)
    assert words(hall) == ["Doors", "Power", "Lenses"]
    call = {"action": "cover", "arguments": {}}
    hall.act("list.change", list="opening", step=ids[0], words="Power on", seen="every camera answers", call=call)
    step = hall.state.show.opening[1]
    assert (step.words, step.seen, step.call.action) == ("Power on", Seen.CAMERAS, "cover")
    hall.act("list.change", list="opening", step=ids[0], nothing=True)
    assert hall.state.show.opening[1].call is None
    hall.act("list.remove", list="opening", step=ids[1])
    assert words(hall) == ["Doors", "Power on"]
    for _ in range(4):
        hall.act("edit.undo")
    assert words(hall) == ["Power", "Lenses", "Doors"]
    hall.act("list.tick", list="opening", step="gone")
    assert "was removed" in hall.sentences[-1]
    hall.act("list.change", list="opening", step=ids[0], words="x" * 300)
    assert words(hall) == ["Power", "Lenses", "Doors"]


def test_a_tick_is_by_hand_or_by_what_the_desk_sees_and_a_new_evening_has_none():
    show = load(SHIPPED).show.model_copy(update={"triggers": ()})
    hall = Hall(show)
    assert not any("right spot" in said for said in done(hall))
    hall.act("list.tick", list="opening", step="so8")
    assert "Host on the right spot, then good evening" in done(hall)
    assert hall.state.edits.count == 0  # it is no edit of the show
    hall.act("list.tick", list="opening", step="so8")
    assert "Host on the right spot, then good evening" not in done(hall)
    hall.act("list.tick", list="opening", step="so2", on=True)
    hall.act("list.tick", list="closing", step="sc4", on=True)
    hall.act("list.begin", list="opening")
    assert "so2" not in hall.state.crew.ticked
    assert "sc4" in hall.state.crew.ticked
    for seen, so in (
        (Seen.CHECKED, False),
        (Seen.COVER, True),
        (Seen.STREAMING, False),
        (Seen.NOTHING_OVER, True),
        (Seen.NOT_RECORDED, True),
    ):
        hall.act("list.change", list="opening", step="so2", seen=str(seen))
        assert ("Wipe the lenses. Cap off the glazing camera" in done(hall)) is so, seen


@pytest.mark.parametrize(
    ("seen", "does"),
    [
        (Seen.LANDED, lambda hall: (hall.turn(1.0), hall.act("ready.camera", camera=1), hall.act("take"))),
        (Seen.BLACK, lambda hall: (hall.act("black"), hall.turn(2.0))),
        (Seen.CHECKED, lambda hall: hall.engine.report(CheckDone(1.0, 0, 3), hall.clock.now_s())),
        (Seen.CLOSED, lambda hall: hall.engine.report(EveningEnded(), hall.clock.now_s())),
        (Seen.RECORDING, lambda hall: hall.act("record", on=True)),
        (Seen.STREAMING, lambda hall: (hall.act("outputs.change", stream_to="rtmp://127.0.0.1/live/a"),
                                       hall.act("stream", on=True))),
    ],
)  # fmt: skip
def test_what_the_desk_sees_ticks_a_step(seen, does):
    hall = Hall()
    hall.act("list.add", list="closing", words="Step")
    hall.act("list.change", list="closing", step=hall.state.show.closing[0].id, seen=str(seen))
    assert done(hall, "closing") == []
    does(hall)
    assert done(hall, "closing") == ["Step"]


def test_a_check_that_found_something_to_stop_for_ticks_nothing():
    hall = Hall()
    hall.act("list.add", list="opening", words="Check")
    hall.act("list.change", list="opening", step=hall.state.show.opening[0].id, seen=str(Seen.CHECKED))
    hall.engine.report(CheckDone(1.0, 2, 0), hall.clock.now_s())
    assert done(hall) == []


def test_the_end_is_asked_for_and_a_take_afterwards_means_that_the_show_goes_on():
    hall = Hall()
    hall.act("evening.end")
    hall.act("evening.again")
    assert [e.again for e in hall.events if isinstance(e, EndWanted)] == [False, True]
    assert not is_closed(hall.state)
    hall.engine.report(EveningEnded(), hall.clock.now_s())
    assert is_closed(hall.state)
    hall.turn(1.0)
    hall.act("ready.camera", camera=1)
    hall.act("take")
    assert not is_closed(hall.state)
