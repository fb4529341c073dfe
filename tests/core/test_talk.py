"""A talk between two in one step: three cameras, two keys that cross-cut and land, a playlist, and a voice."""

import pytest

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.following import follow
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.rehearsal import Rehearsal, all_there, rehearse
from ribalta.core.planning.planner import side_of
from ribalta.core.planning.talk import talk_of
from ribalta.core.show.calls import Call
from ribalta.core.show.model import Show
from ribalta.core.show.storage import load
from ribalta.core.sound.conversation import Conversation, Turn
from ribalta.demo.clay_cup import SHIPPED


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
