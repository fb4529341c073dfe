"""What a playlist will come to, held against a hand-wound run of the real engine; and what mends it."""

from dataclasses import replace

from hypothesis import example, given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.engine.automation import playlist_runner
from ribalta.core.engine.dryrun.rehearsal import Rehearsal
from ribalta.core.engine.views import playlist_outlook
from ribalta.core.planning.foretelling import Wanted, foretell, travel_s
from ribalta.core.planning.mending import mends
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.playlists import Playlist
from tests.core.automation.test_playlists import F, at_first, hall_with, seen
from tests.core.hand_wound import small_show
from tests.depth import examples

SHOW = small_show()
AIM = {name: SHOW.framing(f).aim for name, f in F.items()}


def wanted(place: str, seconds: float) -> Wanted:
    return Wanted(((f"c{place[0]}", AIM[place]),), seconds)


AT_Q = {f"c{n}": AIM[f"{n}Q"] for n in (1, 2, 3)}


def test_a_camera_leaves_when_it_is_free_and_is_late_by_what_it_lacks():
    entries = [wanted("1W", 3), wanted("2Q", 1), wanted("1E", 3)]
    found = foretell(SHOW, entries, AT_Q)
    needs = travel_s(SHOW, "c1", AIM["1Q"], AIM["1W"])
    again = travel_s(SHOW, "c1", AIM["1W"], AIM["1E"])
    assert found[0].late_s == needs  # nobody was sent before it began
    assert found[1].late_s == 0
    assert found[2].travels[0].leaves_s == needs + 3
    assert abs(found[2].late_s - (again - 1)) < 1e-9
    kept = foretell(SHOW, entries, AT_Q, hold=False)
    assert [e.begins_s for e in kept] == [0, 3, 4]


def test_a_camera_on_air_leaves_only_when_its_own_entry_begins():
    found = foretell(SHOW, [wanted("1Q", 5), wanted("1W", 3)], AT_Q, ("c1",))
    assert found[1].travels[0].leaves_s == 5
    assert found[1].late_s == travel_s(SHOW, "c1", AIM["1Q"], AIM["1W"])


def test_every_mend_makes_it_land_and_makes_nothing_else_late():
    framings = [SHOW.framing(F[n]) for n in ("1Q", "2Q", "1E", "3Q")]
    marked = [replace_mark(f, "m1") if f.id == F["1E"] else f for f in framings]
    show = SHOW.model_copy(
        update={"framings": tuple(replace_mark(f, "m1") if f.id in (F["1E"], F["3W"]) else f for f in SHOW.framings)}
    )
    entries = [wanted("1Q", 6), wanted("2Q", 0.6), wanted("1E", 3), wanted("3Q", 3)]
    found = mends(show, entries, marked, AT_Q, 2)
    assert {"longer", "swap", "cover"} == {m.kind for m in found}
    longer = next(m for m in found if m.kind == "longer")
    assert longer.at == 1
    made = list(entries)
    made[1] = replace(made[1], length_s=made[1].length_s + longer.seconds)
    assert not any(e.late for e in foretell(show, made, AT_Q, hold=False))
    less = replace(made[1], length_s=made[1].length_s - 0.11)
    assert foretell(show, [made[0], less, *made[2:]], AT_Q, hold=False)[2].late


def replace_mark(framing, mark):
    return framing.model_copy(update={"mark_id": mark})


places = st.sampled_from(sorted(F))


@given(st.lists(st.tuples(places, st.floats(0.5, 6)), min_size=2, max_size=10))
@example([("1E", 1.0), ("2Q", 1.0), ("1Q", 1.0), ("2E", 1.0)])  # 2 stays on air for as long as 1 is late
@examples(25)
def test_what_is_foretold_is_what_the_engine_does_with_cameras_that_move_as_their_model_says(rows):
    hall = at_first(hall_with(*(seen(place, round(seconds, 2)) for place, seconds in rows)))
    playlist = hall.state.show.playlists[0]
    found = playlist_outlook.of_playlist(hall.state, playlist)
    rehearsal = Rehearsal(hall.state, hall.clock.now_s())
    call = Call(action="playlist.start", arguments={"playlist": "l1"})
    rehearsal.run(call, until=lambda s: s.automation.playlist is None)
    records = [r for r in rehearsal.engine.state.program.records if r.shot.framing_id is not None]
    begun = [r.at_s - hall.clock.now_s() for r in records]
    expected = [e.begins_s for e, p in zip(found.foretold, found.plays, strict=True)]
    expected = [b for k, b in enumerate(expected) if k == 0 or rows[k][0] != rows[k - 1][0]]
    assert len(begun) == len(expected)
    for real, foretold in zip(begun, expected, strict=True):
        assert abs(real - foretold) < 0.06
    assert all(r.landed for r in records)


def test_the_outlook_of_a_running_playlist_begins_with_what_is_left_of_its_entry():
    hall = at_first(hall_with(seen("1Q", 5), seen("2E", 4), seen("1W", 4)))
    hall.act("playlist.start", playlist="l1")
    hall.turn(2)
    found = playlist_outlook.of_running(hall.state, hall.clock.now_s())
    assert abs(found.foretold[0].ends_s - playlist_runner.left_s(hall.state, hall.clock.now_s())) < 0.01
    assert len(found.plays) == 3
    assert Playlist(id="l", name="x").entries == ()
    assert isinstance(found.aims["c1"], Aim)
