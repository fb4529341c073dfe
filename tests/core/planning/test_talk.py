"""A talk between two in one step: three cameras, two keys that cross-cut and land, a playlist, and a voice."""

from math import atan2, degrees

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.dryrun.rehearsal import Rehearsal, all_there, rehearse
from ribalta.core.engine.dryrun.voice_rehearsal import follow
from ribalta.core.engine.loop import Engine
from ribalta.core.planning import talk as talking
from ribalta.core.planning.planning_problem import side_of
from ribalta.core.planning.talk import talk_of
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Camera, Control, Framing, Head, Mark, Place, ShotSize, Show
from ribalta.core.show.files.storage import load
from ribalta.core.sound.conversation import Conversation, Turn
from ribalta.demo.shipped import SHIPPED
from tests.depth import examples


@pytest.fixture(scope="module")
def demo() -> Show:
    return load(SHIPPED).show


def set_up(show: Show, one: str, other: str) -> Engine:
    engine = Engine(all_there(show))
    ran = engine.act("talk.make", {"one": one, "other": other}, 0.0)
    assert ran.refused == ""
    return engine


def test_it_takes_three_cameras_and_prefers_what_is_stored(demo):
    talk = talk_of(demo, demo.mark("m6"), demo.mark("m7"))
    views = (talk.one, talk.other, talk.both)
    assert len({v.camera_id for v in views}) == 3
    assert any(v.stored is not None for v in views)
    for view, marks in zip(views, ({"m6"}, {"m7"}, {"m6", "m7"}), strict=True):
        shown = view.stored.mark_ids if view.stored else view.made.suggestion.mark_ids
        assert set(shown) == marks


def test_the_singles_stay_on_one_side_where_they_can(demo):
    for one, other in (("m1", "m2"), ("m3", "m4"), ("m5", "m6"), ("m2", "m3")):
        talk = talk_of(demo, demo.mark(one), demo.mark(other))
        assert not talk.crosses
        camera = demo.camera(talk.one.camera_id)
        assert talk.one.side == side_of(demo.mark(one), demo.mark(other), camera.place.x_m, camera.place.y_m)


@st.composite
def halls(draw) -> Show:
    """Two people, two to five cameras anywhere around them, and framings of some of them."""
    places = st.tuples(st.floats(-8, 8), st.floats(-8, 8))
    marks = tuple(
        Mark(id=f"m{k}", name=f"Mark {k}", x_m=x, y_m=y, height_m=1.3, facing_deg=draw(st.floats(0, 359)))
        for k, (x, y) in enumerate(((-1.5, 0.0), (1.5, 0.5)), 1)
    )
    cameras, framings = [], []
    for n in range(1, draw(st.integers(2, 5)) + 1):
        x, y = draw(places)
        heading = degrees(atan2(-x, -y))
        cameras.append(
            Camera(
                id=f"c{n}",
                number=n,
                name=f"Camera {n}",
                place=Place(x_m=x, y_m=y, z_m=1.8, heading_deg=heading),
                head=Head(),
                control=Control(),
            )
        )
        for k, shown in enumerate((("m1",), ("m2",), ("m1", "m2"))):
            if draw(st.booleans()):
                framings.append(
                    Framing(
                        id=f"f{n}{k}",
                        camera_id=f"c{n}",
                        slot=k,
                        name="any",
                        pan_deg=0,
                        tilt_deg=0,
                        zoom=0.5,
                        mark_id=shown[0],
                        more_mark_ids=shown[1:],
                        size=ShotSize.MEDIUM,
                        rating=draw(st.integers(1, 100)),
                    )
                )
    return Show(cameras=tuple(cameras), framings=tuple(framings), marks=marks)


@given(halls())
@examples(30)
def test_no_other_three_cameras_would_do_better(show):
    """Counted out: every pair of views of the two, and the best third camera's view of both."""
    one, other = show.marks
    talk = talk_of(show, one, other)
    line = (one, other)
    firsts, seconds = (talking.views(show, (m,), talking.SINGLES, line) for m in line)
    pairs = talking.views(show, line, (ShotSize.MEDIUM, ShotSize.WIDE), line)
    best = None
    for a in firsts:
        for b in seconds:
            thirds = [p.worth for p in pairs if p.camera_id not in (a.camera_id, b.camera_id)]
            worth = a.worth + b.worth + max(thirds, default=0.0) - (talking.ACROSS if a.side * b.side < 0 else 0.0)
            if a.camera_id != b.camera_id and (best is None or worth > best):
                best = worth
    if best is None:
        assert talk is None
        return
    found = [talk.one, talk.other, *([talk.both] if talk.both else [])]
    assert len({v.camera_id for v in found}) == len(found)
    assert sum(v.worth for v in found) - (talking.ACROSS if talk.crosses else 0.0) == pytest.approx(best)


def test_one_step_gives_keys_a_playlist_and_pictures_and_can_be_undone(demo):
    engine = set_up(demo, "m1", "m2")
    show = engine.state.show
    playlist = show.playlists[-1]
    assert playlist.name == "Ines and Bram"
    assert playlist.times == 0
    keys = {s.control: s for s in show.shortcuts if s.call is not None and s.call.action == "framing.cut"}
    assert set(keys) == {"key ,", "key .", "key /"}
    assert not set(",./") & set(CATALOGUE.keys)
    engine.act("talk.make", {"one": "m1", "other": "m2"}, 1.0)
    assert len(engine.state.show.playlists) == len(show.playlists)  # made anew, not twice
    engine.act("edit.undo", {}, 2.0)
    engine.act("edit.undo", {}, 3.0)
    assert engine.state.show.playlists == demo.playlists
    assert engine.state.show.framings == demo.framings


def test_the_two_keys_cross_cut_and_every_cut_lands(demo):
    engine = set_up(demo, "m6", "m7")
    rehearsal = Rehearsal(engine.state, 0.0)
    keys = [s.call for s in engine.state.show.shortcuts if s.call is not None and s.call.action == "framing.cut"]
    for call in (keys[0], keys[1], keys[0], keys[2], keys[1]):
        rehearsal.run(call)
    assert len(rehearsal.records) == 5
    assert all(r.landed for r in rehearsal.records)
    assert [r.shot.framing_id for r in rehearsal.records] == [keys[k].items[0].id for k in (0, 1, 0, 2, 1)]


def test_by_playlist_and_by_voice_too(demo):
    show = set_up(demo, "m6", "m7").state.show
    playlist = show.playlists[-1]
    report = rehearse(show, Call(action="playlist.start", arguments={"playlist": playlist.id}), 120.0)
    assert report.landed == len(report.shots) > 12
    turns = tuple(Turn(from_s=1 + 6 * k, to_s=6.6 + 6 * k, who=(6 + k % 2,)) for k in range(8))
    found = follow(show, Conversation(name="Two", seconds=50, turns=turns))
    assert found.right_share > 0.95
    assert found.cuts_to_moving == found.short_shots == 0


@pytest.mark.parametrize(
    ("one", "other", "said"),
    [("m1", "m1", "takes two"), ("m1", "gone", "Choose two marks")],
)
def test_what_cannot_be_is_said(demo, one, other, said):
    engine = Engine(all_there(demo))
    assert said in engine.act("talk.make", {"one": one, "other": other}, 0.0).refused
    cameras = tuple(c for c in demo.cameras if c.number in (1, 5))
    kept = tuple(f for f in demo.framings if f.camera_id == "c1")
    few = demo.model_copy(update={"cameras": cameras, "framings": kept})
    ran = Engine(all_there(few)).act("talk.make", {"one": "m1", "other": "m2"}, 0.0)
    assert "No two steered cameras" in ran.refused
