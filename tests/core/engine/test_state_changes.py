"""A state that is followed from elsewhere is the same state, whatever happened, and nothing else can be made of it."""

from threading import Thread

import msgspec
import pytest

from ribalta.core.base.plain import Forms, NotPlain
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.changes import StateChanges
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.state.seats import seat_of, seated, shows
from ribalta.core.ports.causes import Cause
from ribalta.core.ports.messages import Event, Notice, Report, Send
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.core.engine.test_whole_catalogue import OPENING, Made, Played
from tests.core.hand_wound import Hall, small_show

GROUPS = ("program", "sound", "outputs", "automation", "voice", "verdicts", "desk", "wall_clock", "run", "cameras")


def carried(tree: object) -> object:
    """As it comes out at the other end of a line."""
    return msgspec.msgpack.decode(msgspec.msgpack.encode(tree))


def assert_same(mine: LiveState, theirs: LiveState) -> None:
    assert mine.show == theirs.show
    for name in GROUPS:
        assert getattr(mine, name) == getattr(theirs, name), name
    assert mine.edits.count == theirs.edits.count


@pytest.mark.parametrize("seed", [1, 2])
def test_whatever_runs_can_be_followed(seed):
    played, made, changes = Played(), Made(OPENING.show, seed), StateChanges()
    followed, before = changes.applied(None, carried(changes.between(None, OPENING))), OPENING
    assert_same(followed, OPENING)
    for k in range(250):
        played.engine.act(*made.call(), played.now_s)
        played.turn(made.pause_s())
        if k % 3 == 0:  # one that is slow is told several things at once
            state = played.engine.state
            followed, before = changes.applied(followed, carried(changes.between(before, state))), state
            assert_same(followed, state)
    assert played.engine.state.show is not OPENING.show


def test_what_is_said_again_and_again_is_small():
    hall, changes = Hall(small_show()), StateChanges()
    hall.turn(1.0)
    before = hall.state
    hall.turn(0.2)
    said = len(msgspec.msgpack.encode(changes.between(before, hall.state)))
    assert 0 < said < 1000
    assert changes.between(hall.state, hall.state) == {}
    show = hall.state.show
    framing = show.framings[3].model_copy(update={"name": "Another"})
    renamed = hall.state.with_(show=show.with_framing(framing))
    assert len(msgspec.msgpack.encode(changes.between(hall.state, renamed))) < 600  # not the whole document


def test_fields_of_a_newer_show_come_along():
    show = small_show().model_copy(update={"from_the_future": {"x": [1, 2]}})
    changes, state = StateChanges(), Hall(show).state
    followed = changes.applied(None, carried(changes.between(None, state)))
    assert followed.show.model_dump() == state.show.model_dump()


@pytest.mark.parametrize(
    "damage",
    [
        {"program": {"on_air": ["c1"]}},
        {"program": {"no such field": 1}},
        {"program": {"takes": "many"}},
        {"cameras": {"changed": {"c1": {"aim": [1.0, "x", 2.0]}}}},
        {"show": {"framings": [[0, 900]]}},
        {"show": {"framings": [["{not json"]]}},
        {"show": {"cameras": 7}},
        {"automation": 3},
        {"edits": "x"},
    ],
)
def test_a_damaged_change_is_refused(damage):
    changes, state = StateChanges(), Hall(small_show()).state
    with pytest.raises(NotPlain):
        changes.applied(state, damage)


def test_only_what_a_type_names_is_built():
    forms = Forms()
    events = forms.of(Event)
    said = carried(events.to(Notice("A sentence")))
    assert events.back(said) == Notice("A sentence")
    for wrong in (None, 3, [99, []], [0, ["a"]], [0, [1, 2]], ["Notice", ["x", "info"]], [True, []]):
        with pytest.raises(NotPlain):
            events.back(wrong)
    with pytest.raises(NotPlain, match="none of what was meant"):
        events.to(object())
    with pytest.raises(NotPlain, match="cannot be said"):
        forms.of(Thread)
    assert forms.of(Report) is forms.of(Report)
    show = load(SHIPPED).show
    send = Send(show.destinations[0], (("address", "/x"), ("arguments", (1, 2.0, "y"))), 7)
    assert events.back(carried(events.to(send))) == send


def test_each_desk_has_its_own_row_page_and_view():
    engine = Engine(Hall(small_show()).state)

    def act(desk: str, action: str, **arguments: object) -> None:
        engine.act(action, arguments, 1.0, cause=Cause(desk=desk))

    act("1", "ready.camera", camera=2)
    act("2", "view.shown", view="Frame")
    act("2", "ready.camera", camera=3)
    assert seat_of(engine.state, "1").row == "c2"
    assert (seat_of(engine.state, "2").row, seat_of(engine.state, "2").view) == ("c3", "Frame")
    assert shows(engine.state, "Air")
    assert shows(engine.state, "Frame")
    assert not shows(engine.state, "Rig")
    act("1", "ready.framing", letter="W")  # on the row of its own
    assert engine.state.program.next is not None
    assert engine.state.program.next.camera_id == "c2"
    act("", "ready.framing", letter="Q")  # from elsewhere: of whoever acted last
    assert engine.state.program.next.camera_id == "c2"
    assert seated(engine.state, "") is engine.state
    crowded = engine.state
    for k in range(300):
        crowded = seated(crowded, str(k))
    assert len(crowded.desks) <= 101
