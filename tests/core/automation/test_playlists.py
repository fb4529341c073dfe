"""Playlists on a hand-wound clock: every cut lands, cameras travel ahead, and the director comes first."""

from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.automation import playlist_runner
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.views import playlist_outlook
from ribalta.core.ports.messages import GoTo, PictureStalled, VoicesHeard
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.macros import Macro
from ribalta.core.show.automation.playlists import Aside, Entry, EntryKind, Playlist, Unit
from ribalta.core.show.document.scenes import CUT, Transition, TransitionKind
from ribalta.core.show.document.sound import Microphone
from tests.core.hand_wound import Hall, small_show
from tests.depth import examples

F = {f"{n}{x}": f"f{3 * n + k}" for n in (1, 2, 3) for k, x in enumerate("QWE")}


def seen(place: str, amount: float = 4.0, **fields) -> Entry:
    return Entry(item=Item(kind=Kind.FRAMING, id=F[place]), amount=amount, **fields)


WIDE = Item(kind=Kind.CAMERA, id="c4")


def hall_with(*entries: Entry, others: tuple[Playlist, ...] = (), rule: str = "hold", **fields) -> Hall:
    one = Playlist(id="l1", name="Round", entries=entries, **fields)
    mics = (Microphone(id="m1", number=1, name="Host", address="", channel=1),)
    macro = Macro(id="a1", name="M", steps=({"call": {"action": "black"}},))
    show = small_show(landing_rule=rule)
    return Hall(show.model_copy(update={"playlists": (one, *others), "microphones": mics, "macros": (macro,)}))


def at_first(hall: Hall) -> Hall:
    """Every camera on its first framing, the wide on air."""
    for n in (1, 2, 3):
        hall.act("framing.restore", camera=n, letter="Q")
    hall.turn(4)
    return hall


def on_air(hall: Hall) -> list[tuple[str, float]]:
    return [(r.shot.framing_id or r.shot.camera_id, round(r.at_s - hall.records[0].at_s, 2)) for r in hall.records]


@st.composite
def entries(draw) -> Entry:
    item = draw(
        st.sampled_from(
            [
                Item(kind=Kind.FRAMING, id="f2", called="Ines"),
                Item(kind=Kind.FRAMING, id="f31", called="Jury from above"),
                Item(kind=Kind.CAMERA, id="c5", called="Wide"),
                Item(kind=Kind.SCENE, id="s1", called="x"),
            ]
        )
    )
    unit = draw(st.sampled_from([Unit.SECONDS, Unit.BEATS]))
    kind = draw(st.sampled_from([TransitionKind.CUT, TransitionKind.MIX, TransitionKind.WIPE]))
    how = CUT if kind is TransitionKind.CUT else Transition(kind=kind, seconds=draw(st.floats(0.04, 10)))
    note = draw(st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=40)).strip()
    amount = draw(st.integers(1, 9999)) / 10
    return Entry(item=item, unit=unit, amount=amount, transition=how, note=note, off=draw(st.booleans()))


def test_every_entry_lands_and_its_time_counts_from_when_it_was_on_air():
    hall = hall_with(seen("1W", 4), seen("2E", 5), seen("3W", 4), times=2)
    hall.act("playlist.start", playlist="l1")
    hall.turn(30)
    assert [r.landed for r in hall.records] == [True] * 6
    assert [where for where, _ in on_air(hall)] == [F["1W"], F["2E"], F["3W"]] * 2
    gaps = [b - a for (_, a), (_, b) in zip(on_air(hall), on_air(hall)[1:], strict=False)]
    assert [round(g, 1) for g in gaps] == [4, 5, 4, 4, 5]
    assert hall.state.automation.playlist is None


def test_cameras_travel_to_their_next_framing_as_soon_as_they_are_free():
    hall = hall_with(seen("1W", 6), seen("2E", 6), seen("1E", 6))
    hall.act("playlist.start", playlist="l1")
    hall.turn(6)
    assert hall.state.program.next.framing_id == F["2E"]
    assert playlist_runner.left_s(hall.state, hall.clock.now_s()) is not None
    hall.turn(6)
    assert hall.state.program.on_air.framing_id == F["2E"]
    assert hall.state.live("c1").goal_framing_id == F["1E"]  # it left at once
    sent = [r.aim for r in hall.cameras["c1"].asked if isinstance(r, GoTo)]
    assert sent[-1] == hall.state.show.framing(F["1E"]).aim


def test_a_camera_that_would_have_to_move_on_air_goes_through_the_cover_shot():
    hall = hall_with(seen("1W", 3), seen("1E", 3))
    hall.act("playlist.start", playlist="l1")
    hall.turn(20)
    assert [where for where, _ in on_air(hall)] == [F["1W"], "c4", F["1E"]]
    assert all(r.landed for r in hall.records)


def test_the_directors_ready_comes_first_and_his_take_puts_it_aside():
    hall = hall_with(seen("1W", 3), seen("2E", 3), seen("3W", 3), seen("2Q", 3))
    hall.act("playlist.start", playlist="l1")
    hall.turn(4)
    hall.press("3", "E")
    hall.turn(8)
    assert hall.state.program.on_air.framing_id == F["1W"]  # it waits for that take
    hall.press("Space")
    hall.turn(10)
    assert hall.state.program.on_air.framing_id == F["3E"]
    assert hall.state.automation.playlist.aside_s is not None
    hall.act("playlist.rejoin")
    hall.turn(1)
    assert hall.state.program.on_air.framing_id == F["2E"]
    hall.press("3", "E", "Backspace")
    hall.turn(15)
    assert [where for where, _ in on_air(hall)][-2:] == [F["3W"], F["2Q"]]
    assert hall.state.automation.playlist is None


def test_an_early_take_by_hand_waits_like_any_other_and_the_playlist_does_not_force_it():
    hall = hall_with(seen("1W", 0.4), seen("2E", 3), seen("3W", 3))
    hall.act("playlist.start", playlist="l1")
    while hall.state.program.on_air.framing_id != F["1W"]:
        hall.turn(0.1)
    hall.act("framing.restore", camera=2, letter="Q")
    hall.press("Space")
    assert hall.state.program.held is not None
    hall.turn(10)
    assert all(r.landed for r in hall.records)
    assert [where for where, _ in on_air(hall)] == [F["1W"], F["2E"], F["3W"]]


def test_an_entry_may_be_shorter_than_the_transition_before_it():
    mix = Transition(seconds=2.0)
    hall = hall_with(seen("1Q", 4), seen("2Q", 0.5, transition=mix), seen("3Q", 3))
    at_first(hall)
    hall.act("playlist.start", playlist="l1")
    hall.turn(9)
    assert [where for where, _ in on_air(hall)] == [F["1Q"], F["2Q"], F["3Q"]]


def test_aside_it_comes_back_or_stops_as_chosen():
    back = hall_with(seen("1W", 3), seen("2E", 3), aside=Aside.COME_BACK, aside_s=2)
    stop = hall_with(seen("1W", 3), seen("2E", 3), aside=Aside.STOP)
    for hall in (back, stop):
        hall.act("playlist.start", playlist="l1")
        hall.turn(3)
        hall.act("cover")
        hall.turn(0.1)
    assert back.state.automation.playlist.aside_s is not None
    assert stop.state.automation.playlist is None
    back.turn(4)
    assert back.state.program.on_air.framing_id == F["2E"]


def test_it_is_paused_skipped_turned_back_held_and_stopped():
    hall = hall_with(seen("1W", 3), seen("2E", 3), seen("3W", 3))
    hall.act("playlist.start", playlist="l1")
    hall.turn(4)
    hall.act("playlist.pause")
    hall.turn(20)
    assert hall.state.automation.playlist.at == 0
    hall.act("playlist.pause")
    hall.act("playlist.skip")
    hall.turn(2)
    assert hall.state.program.on_air.framing_id == F["2E"]
    hall.act("playlist.hold")
    hall.turn(20)
    assert hall.state.program.on_air.framing_id == F["2E"]
    hall.act("playlist.skip", by=-1)
    hall.turn(2)
    assert hall.state.program.on_air.framing_id == F["1W"]
    hall.act("playlist.stop")
    assert hall.state.program.next is None
    assert hall.state.program.then == ()
    hall.act("playlist.start", playlist="l1", at=2)
    hall.turn(2)
    assert hall.state.program.on_air.framing_id == F["3W"]


def test_lengths_can_be_changed_while_it_runs_and_count_in_several_units():
    hall = hall_with(seen("1W", 20), seen("2E", 2), seen("3W", 4, unit=Unit.BEATS), tempo_bpm=60)
    hall.act("playlist.start", playlist="l1")
    hall.turn(4)
    hall.act("playlist.length", playlist="l1", at=0, amount=6)
    hall.turn(20)
    gaps = [round(b - a, 1) for (_, a), (_, b) in zip(on_air(hall), on_air(hall)[1:], strict=False)]
    assert gaps == [6.0, 2.0]
    assert hall.state.automation.playlist is None


def test_an_entry_can_wait_for_a_microphone_or_a_key_or_run_a_macro():
    talk = seen("1W", unit=Unit.UNTIL_CLOSED, mic=Item(kind=Kind.MICROPHONE, id="m1"))
    macro = Entry(kind=EntryKind.MACRO, item=Item(kind=Kind.MACRO, id="a1"), amount=1)
    hall = hall_with(talk, Entry(kind=EntryKind.KEY), macro, seen("2E", 3))
    hall.act("playlist.start", playlist="l1")
    hall.turn(30)
    assert hall.state.automation.playlist.at == 0
    hall.act("mic.mute", mic=1)
    hall.turn(30)
    assert hall.state.automation.playlist.at == 1
    hall.act("playlist.skip")
    assert hall.state.program.black.black
    hall.turn(3)
    assert hall.state.program.on_air.framing_id == F["2E"]


def test_an_entry_ends_too_when_nobody_speaks_into_its_microphone_any_more():
    talk = seen("1W", unit=Unit.UNTIL_CLOSED, mic=Item(kind=Kind.MICROPHONE, id="m1"))
    hall = at_first(hall_with(talk, seen("2E", 5)))
    hall.engine.report(VoicesHeard(("m1",)), hall.clock.now_s())
    hall.engine.report(VoicesHeard(()), hall.clock.now_s())  # before it was on air: that does not count
    hall.act("playlist.start", playlist="l1")
    hall.turn(10)
    assert hall.state.automation.playlist.at == 0
    for _ in range(3):
        hall.engine.report(VoicesHeard(("m1",)), hall.clock.now_s())
        hall.turn(4)
        hall.engine.report(VoicesHeard(()), hall.clock.now_s())
        hall.turn(1.0)  # a breath
        assert hall.state.automation.playlist.at == 0
    hall.turn(1.0)
    assert hall.state.automation.playlist.at == 1


def test_playlists_lie_in_each_other_and_none_in_itself():
    inner = Playlist(id="l2", name="Inner", entries=(seen("2E", 2), seen("3W", 2)), times=2)
    nested = Entry(kind=EntryKind.PLAYLIST, item=Item(kind=Kind.PLAYLIST, id="l2"))
    hall = hall_with(seen("1W", 2), nested, seen("1Q", 2), others=(inner,))
    hall.act("playlist.start", playlist="l1")
    hall.turn(30)
    assert [w for w, _ in on_air(hall)] == [F["1W"], F["2E"], F["3W"], F["2E"], F["3W"], F["1Q"]]
    back = {"kind": "playlist", "item": {"kind": "playlist", "id": "l1"}}
    hall.act("playlist.add_entries", playlist="l2", at=0, entries=[back])
    assert "It would play itself: “Inner” → “Round” → “Inner”." in hall.sentences[-1]


def test_under_straight_it_keeps_its_times_and_mixes_as_it_is_told():
    mix = Transition(seconds=1.0)
    hall = hall_with(seen("1W", 2), seen("2E", 2, transition=mix), rule="straight")
    hall.act("playlist.start", playlist="l1")
    hall.turn(6)
    assert [r.transition_s for r in hall.records] == [0, 1]
    assert on_air(hall)[1][1] == 2.0


places = st.sampled_from(sorted(F))


@given(st.lists(places, min_size=2, max_size=8), st.booleans(), st.integers(0, 2))
@examples(15)
def test_no_playlist_ever_shows_a_moving_camera_under_hold(names, shuffle, apart):
    hall = hall_with(*(seen(n, 1.5) for n in names), shuffle=shuffle, apart=apart, times=2)
    hall.act("playlist.start", playlist="l1")
    hall.turn(20 + 6 * len(names))
    assert all(r.landed for r in hall.records)
    shown = [r.shot.framing_id for r in hall.records if r.shot.framing_id]
    assert set(shown) == {F[n] for n in names}


HANDS = {
    "skip": lambda hall: hall.act("playlist.skip"),
    "back": lambda hall: hall.act("playlist.skip", by=-1),
    "pause": lambda hall: hall.act("playlist.pause"),
    "hold": lambda hall: hall.act("playlist.hold"),
    "rejoin": lambda hall: hall.act("playlist.rejoin"),
    "again": lambda hall: hall.act("playlist.start", playlist="l1"),
    "ready": lambda hall: hall.press("2", "E"),
    "queue": lambda hall: hall.press("3", "Alt+Q"),
    "take": lambda hall: hall.press("Space"),
    "mix": lambda hall: hall.press("Shift+Space"),
    "cover": lambda hall: hall.press("Tab"),
    "let go": lambda hall: hall.press("Esc"),
    "trim": lambda hall: hall.press("Left"),
    "lost": lambda hall: hall.contact("c1", False),
    "there": lambda hall: hall.contact("c1", True),
    "late": lambda hall: hall.engine.report(PictureStalled("c2", hall.clock.now_s()), hall.clock.now_s()),
    "in time": lambda hall: hall.engine.report(PictureStalled("c2", None), hall.clock.now_s()),
    "take out": lambda hall: hall.act("playlist.remove_entry", playlist="l1", at=0),
    "put": lambda hall: hall.act(
        "playlist.add_entries", playlist="l1", at=1, entries=[seen("3W", 1.0).model_dump(mode="json")]
    ),
    "longer": lambda hall: hall.act("playlist.length", playlist="l1", at=0, by=0.7),
    "remove": lambda hall: hall.act("framing.remove", camera=1, letter="W"),
    "undo": lambda hall: hall.press("Ctrl+Z"),
    "redo": lambda hall: hall.press("Ctrl+Shift+Z"),
}


@given(
    st.lists(places, min_size=2, max_size=6),
    st.sampled_from(list(Aside)),
    st.lists(st.tuples(st.sampled_from(sorted(HANDS)), st.sampled_from((0.0, 0.1, 0.8, 3.0))), max_size=14),
)
@examples(10)
def test_whatever_hands_do_meanwhile_no_moving_camera_is_shown_and_stopped_is_stopped(names, aside, hands):
    hall = hall_with(*(seen(n, 1.5) for n in names), aside=aside, aside_s=2.0, times=0)
    hall.act("playlist.start", playlist="l1")
    for what, pause_s in hands:
        HANDS[what](hall)
        hall.turn(pause_s)
        state = hall.state
        found = playlist_outlook.of_running(state, hall.clock.now_s(), 6)
        assert (found is None) == (state.automation.playlist is None)
        assert state.program.next is None or not state.on_air(state.program.next.camera_id)
        assert state.program.held is None or state.program.held.shot == state.program.next
    for record in hall.records:
        assert record.landed or record.forced, record
    hall.act("playlist.stop")
    assert hall.state.automation.playlist is None
    assert playlist_runner.due_s(hall.state) == NEVER_S
    hall.press("Esc", "Esc")
    hall.turn(4)
    cuts = len(hall.records)
    hall.turn(8)
    assert len(hall.records) == cuts
    again = replay(hall.opening, hall.entries)
    again.advance(hall.clock.now_s())
    assert again.state == hall.state
