"""Frame it for me: who is asked for is in the picture as asked, by the stand-ins' projection; and how good it is."""

import numpy as np
import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.planning.composing import HEADROOM, Composed, compose
from ribalta.core.planning.figure import figure_at
from ribalta.core.planning.fit import fit_of, fit_of_framing, suggestions
from ribalta.core.planning.matching_view import same_view
from ribalta.core.planning.naming import guess
from ribalta.core.planning.starter_board import planned
from ribalta.core.show.document.model import Camera, Framing, Mark, Obstacle, ShotSize, Show
from ribalta.demo.clay_cup import clay_cup
from ribalta.standins.cameras import BUILDS
from ribalta.standins.hall.view import View

SHOW = clay_cup()
STEERED = [c for c in SHOW.cameras if c.steered]
SIZES = (ShotSize.FULL, ShotSize.MEDIUM, ShotSize.MEDIUM_CLOSE_UP, ShotSize.CLOSE_UP)


def truly_seen(camera: Camera, aim: Aim, points: np.ndarray) -> np.ndarray:
    """(n, 2) shares of the width and height, by what the stand-ins' lens and mount really do."""
    build = BUILDS[camera.number - 1]
    view = View(build.mount, aim.pan_deg, aim.tilt_deg, build.hfov_deg(aim.zoom), 1280, 720)
    return view.flat(view.local(points)) / [1280, 720]


@pytest.mark.parametrize("camera", STEERED, ids=lambda c: c.name)
@pytest.mark.parametrize("size", SIZES)
def test_head_and_shoulders_of_every_mark_are_in_the_frame_with_the_asked_headroom(camera, size):
    for mark in SHOW.marks:
        composed = compose(camera, [mark], size)
        figure = figure_at(mark, size)
        seen = truly_seen(camera, composed.aim, figure.head_and_shoulders)
        assert seen.min() > -0.005, (mark.name, seen)
        assert seen.max() < 1.005, (mark.name, seen)
        top = truly_seen(camera, composed.aim, figure.crown)[:, 1].min()
        assert top == pytest.approx(HEADROOM[size], abs=0.03), mark.name
        if composed.why_not:
            assert "narrower" in composed.why_not[0]


def test_headroom_and_look_room_can_be_asked_for():
    camera, mark = STEERED[2], SHOW.marks[5]  # who looks to the left, as this camera sees it
    figure = figure_at(mark, ShotSize.MEDIUM)
    for headroom in (0.0, 0.2):
        aim = compose(camera, [mark], ShotSize.MEDIUM, headroom).aim
        assert truly_seen(camera, aim, figure.crown)[:, 1].min() == pytest.approx(headroom, abs=0.02)
    centred, roomy = (compose(camera, [mark], ShotSize.MEDIUM, None, room).aim for room in (0.0, 0.15))
    face = figure.face[None]
    assert truly_seen(camera, centred, face)[0, 0] == pytest.approx(0.5, abs=0.01)
    assert truly_seen(camera, roomy, face)[0, 0] > 0.56


def test_two_marks_make_a_two_shot_with_both_inside():
    for camera in STEERED:
        pair = SHOW.marks[0:2]
        composed = compose(camera, pair, ShotSize.MEDIUM)
        for mark in pair:
            seen = truly_seen(camera, composed.aim, figure_at(mark, ShotSize.MEDIUM).head_and_shoulders)
            assert seen.min() > -0.005
            assert seen.max() < 1.005


def test_what_cannot_be_framed_says_why():
    camera = STEERED[0]
    far = Mark(id="m", name="Far", x_m=400, y_m=400)
    assert "narrower" in compose(camera, [far], ShotSize.CLOSE_UP).why_not[0]
    behind = camera.model_copy(update={"head": camera.head.model_copy(update={"pan_max_deg": 0.0})})
    assert "pan" in compose(behind, [SHOW.marks[3]], ShotSize.MEDIUM).why_not[0]
    here = Mark(id="m", name="Here", x_m=camera.place.x_m, y_m=camera.place.y_m, height_m=camera.place.z_m)
    with pytest.raises(ValueError, match="stands at this mark"):
        compose(camera, [here], ShotSize.MEDIUM)
    with pytest.raises(ValueError, match="fixed"):
        compose(SHOW.cameras[4], [far], ShotSize.MEDIUM)
    with pytest.raises(ValueError, match="no mark"):
        compose(camera, [], ShotSize.MEDIUM)


def simple_show(*obstacles: Obstacle, marks: tuple[Mark, ...] = ()) -> Show:
    camera = STEERED[1].model_copy(
        update={"place": STEERED[1].place.model_copy(update={"x_m": 0.0, "y_m": 0.0, "z_m": 1.6, "heading_deg": 0.0})}
    )
    mark = Mark(id="m1", name="Ann", x_m=0.0, y_m=6.0, height_m=1.6, facing_deg=180.0)
    return Show(cameras=(camera,), marks=(mark, *marks), obstacles=obstacles)


def fit(show: Show):
    camera, mark = show.cameras[0], show.marks[0]
    return fit_of(show, camera, [mark], compose(camera, [mark], ShotSize.MEDIUM))


def test_fit_falls_from_the_side_from_above_and_behind_what_is_in_the_way():
    best = fit(simple_show())
    assert best.score > 90
    assert best.words == ""
    show = simple_show()
    turned = show.model_copy(update={"marks": (show.marks[0].model_copy(update={"facing_deg": 0.0}),)})
    assert fit(turned).score < 10
    assert "behind" in fit(turned).words
    wall = Obstacle(id="o", name="Wall", x_m=0, y_m=3, wide_m=8, deep_m=0.2, height_m=3)
    hidden = fit(simple_show(wall))
    assert (hidden.score, hidden.blocked_by) == (0, "Wall")
    assert "hidden behind Wall" in hidden.words
    table = wall.model_copy(update={"name": "Table", "height_m": 0.8})
    assert fit(simple_show(table)).score == best.score
    somebody = Mark(id="m2", name="Bea", x_m=0.0, y_m=3.0, height_m=1.7)
    assert fit(simple_show(marks=(somebody,))).blocked_by == "Bea"
    beside = somebody.model_copy(update={"x_m": 1.5})
    assert fit(simple_show(marks=(beside,))).score == best.score


def test_suggestions_come_best_first_and_a_rating_of_the_directors_own_wins():
    found = suggestions(SHOW, [SHOW.marks[1]], ShotSize.MEDIUM)
    assert [s.fit.score for s in found] == sorted((s.fit.score for s in found), reverse=True)
    assert found[0].camera_id == "c2"
    framing = next(f for f in SHOW.framings if f.name == "Bram")
    assert fit_of_framing(SHOW, framing) > 90
    assert fit_of_framing(SHOW, framing.model_copy(update={"rating": 12})) == 12
    assert fit_of_framing(SHOW, framing.model_copy(update={"mark_id": None})) is None


def test_an_empty_board_fills_with_what_each_camera_can_do():
    bare = SHOW.model_copy(update={"framings": ()})
    for camera in STEERED:
        plans = planned(bare, camera)
        assert 3 <= len(plans) <= 10
        assert len({p.name for p in plans}) == len(plans)
        assert plans[0].name == "Wide"
        assert all(p.suggestion.possible for p in plans[1:])
        assert {p.suggestion.size for p in plans} == {ShotSize.WIDE, ShotSize.MEDIUM, ShotSize.CLOSE_UP}
    alone = bare.model_copy(update={"marks": SHOW.marks[:1]})
    assert [p.name for p in planned(alone, STEERED[0])] == ["Ines medium", "Ines close-up"]


def test_a_fresh_framing_is_named_after_who_is_in_it():
    camera = STEERED[1]
    for size in (ShotSize.MEDIUM, ShotSize.CLOSE_UP):
        found = guess(SHOW, camera, compose(camera, [SHOW.marks[2]], size).aim)
        assert (found.name, found.size) == (f"Suri {size.value}", size)
    assert guess(SHOW, camera, Aim(120.0, 40.0, 0.5)).name == ""


def test_a_view_carried_to_another_camera_shows_the_same_point():
    framing = next(f for f in SHOW.framings if f.name == "Suri close" and f.camera_id == "c3")
    one, other = STEERED[2], STEERED[1]
    carried = same_view(SHOW, one, framing, other)
    mark = SHOW.mark(framing.mark_id)
    seen = truly_seen(other, carried.aim, figure_at(mark, ShotSize.CLOSE_UP).face[None])
    assert seen[0] == pytest.approx([0.5, 0.5], abs=0.12)
    assert "Suri" in carried.by
    loose = Framing(id="x", camera_id="c3", slot=40, name="Corner", pan_deg=150, tilt_deg=-10, zoom=0.2)
    assert "m" in same_view(SHOW, one, loose, other).by
    with pytest.raises(ValueError, match="fixed"):
        same_view(SHOW, one, framing, SHOW.cameras[4])


def test_a_composed_framing_knows_when_the_lens_is_at_its_end():
    camera, mark = STEERED[0], SHOW.marks[0]
    tight = fit_of(SHOW, camera, [mark], Composed(Aim(0, 0, 1), camera.lens.narrowest_deg))
    easy = fit_of(SHOW, camera, [mark], Composed(Aim(0, 0, 0.5), 20.0))
    assert tight.reserve < easy.reserve
    assert "end of the lens" in tight.words
