"""Where things stand: poses from sights, floor plans from files, profiles from files."""

import contextlib
import json
import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.faults import LocalFault
from ribalta.core.optics.projection import Pose, point_to_pan_tilt
from ribalta.core.optics.resection import Sight, solve_pose
from ribalta.core.show.document.model import Camera, Mark, Place
from ribalta.core.show.document.profiles import SHIPPED, all_profiles, read_profile
from ribalta.core.show.files.floorplan import PlanMark, read_plan, write_plan
from ribalta.demo.clay_cup import clay_cup

MARKS = [(m.name, m.x_m, m.y_m, m.height_m) for m in clay_cup().marks]

SPREAD = [m for m in MARKS if m[0] in ("Ines", "Jory", "Adeyo", "Host left", "Host right")]


def sights(pose: Pose, chosen: list[tuple[str, float, float, float]], noise_deg: float, seed: int) -> list[Sight]:
    rng = random.Random(seed)
    made = []
    for name, x, y, z in chosen:
        pan, tilt = point_to_pan_tilt(pose, x, y, z)
        made.append(Sight(name, x, y, z, pan + rng.gauss(0, noise_deg), tilt + rng.gauss(0, noise_deg)))
    return made


@pytest.mark.parametrize("number", [1, 2, 3, 4])
def test_a_pose_from_five_marks_with_a_fifth_of_a_degree_of_noise_is_within_ten_centimetres(number):
    """The steered cameras of the demo hall, begun from a wrong place: 9 of 10 draws."""
    place = clay_cup().camera(f"c{number}").place
    pose, start = place.pose, Pose(0.0, -1.0, 1.5, 0.0, 0.0, 0.0, place.hung)
    off = []
    for seed in range(10):
        found = solve_pose(sights(pose, SPREAD, 0.2, seed), start).pose
        off.append(math.dist((found.x_m, found.y_m, found.z_m), (pose.x_m, pose.y_m, pose.z_m)))
    assert sorted(off)[8] <= 0.10


def test_without_noise_the_pose_is_exact_whether_standing_or_hung():
    for hung in (False, True):
        pose = Pose(2.0, -5.0, 3.0, 12.0, 0.0, 0.0, hung)
        solved = solve_pose(sights(pose, MARKS[:6], 0.0, 0), Pose(0, 0, 1.5, 0, 0, 0, hung))
        assert math.dist((solved.pose.x_m, solved.pose.y_m, solved.pose.z_m), (2.0, -5.0, 3.0)) < 0.01
        assert solved.residual_m < 0.01
        assert solved.disagrees is None


def test_a_mark_that_stands_elsewhere_is_named_and_does_not_drag_the_answer_far():
    pose = Pose(0.3, -5.6, 1.9, 0.0, 0.0, 0.0, False)
    seen = sights(pose, MARKS[:7], 0.05, 3)
    wrong = seen[2]
    seen[2] = Sight(wrong.name, wrong.x_m + 1.2, wrong.y_m - 0.5, wrong.z_m, wrong.pan_deg, wrong.tilt_deg)
    solved = solve_pose(seen, Pose(0, -4, 1.5, 0, 0, 0, False))
    assert solved.disagrees == wrong.name
    assert math.dist((solved.pose.x_m, solved.pose.y_m), (0.3, -5.6)) < 0.4


def test_too_few_marks_or_the_same_one_over_and_over_are_refused():
    pose = Pose(0, 0, 1.5, 0, 0, 0, False)
    with pytest.raises(ValueError, match="three different marks"):
        solve_pose(sights(pose, [MARKS[0]] * 5, 0.0, 0), pose)


# Floor plans


def written(tmp_path, name: str, text: str):
    path = tmp_path / name
    path.write_text(text, encoding="utf-8")
    return path


def test_a_csv_with_bad_rows_gives_the_good_ones_and_a_sentence_for_each_bad_one(tmp_path):
    text = (
        "name,x,y,height,facing\nKiln,1.5,2,1.7,90\nJury,abc,0\n,1,1\nFar,99999,0\nHost,0.5,-1\nHost,1,1\n"
        "Tall,0,0,500\nTurned,0,0,1.6,720\nShort,1\nNot,nan,0\n"
    )
    plan = read_plan(written(tmp_path, "a.csv", text))
    assert plan.marks == (PlanMark("Kiln", 1.5, 2, 1.7, 90), PlanMark("Host", 0.5, -1))
    assert len(plan.left_out) == 8
    assert plan.left_out[0] == "Row 3: x “abc” is not a number."
    assert "Row 5: x of “Far” is 99999 m" in plan.left_out[2]
    assert "“Host” is there twice: the first one counts." in plan.left_out


SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="-500 -400 1000 800" width="1000" height="800">{}</svg>'


def test_named_shapes_and_texts_of_an_svg_become_marks_and_transforms_count(tmp_path):
    body = (
        '<text x="100" y="-200" data-facing="90">Kiln</text><rect width="10" height="10"/>'
        '<g transform="translate(50 0)"><circle id="Jury_table" cx="0" cy="100" r="20"/></g>'
    )
    plan = read_plan(written(tmp_path, "a.svg", SVG.format(body)))
    assert plan.marks == (PlanMark("Kiln", 1.0, 2.0, 1.6, 90), PlanMark("Jury table", 0.5, -1.0, 1.6, 180))


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("a.svg", SVG.format("<script>alert(1)</script><text x='1' y='1'>A</text>"), "holds script"),
        ("a.svg", SVG.format('<image href="file:///etc/passwd"/>'), "holds image"),
        ("a.svg", '<!DOCTYPE s [<!ENTITY a "b">]>' + SVG.format("<text>&a;</text>"), "cannot be read as SVG"),
        ("a.svg", SVG.format('<text x="1e30" y="0">Far</text>'), "no marks that can be used"),
        ("a.svg", SVG.format('<text x="1e400" y="0">Far</text>'), "The plan a.svg"),
        ("a.svg", SVG.format('<text x="0" y="0" data-facing="round">A</text>'), "damaged"),
        ("a.svg", "<html></html>", "is not an SVG drawing"),
        ("a.svg", "<svg", "cannot be read as SVG"),
        ("a.svg", SVG.format(""), "no marks that can be used"),
        ("a.csv", "name,x,y\n", "no marks that can be used"),
        ("a.csv", "A,x,y\n", "Row 1: x “x” is not a number."),
        ("none.csv", None, "cannot be read"),
    ],
)
def test_a_plan_that_is_of_no_use_is_refused_with_a_sentence(tmp_path, name, text, said):
    path = tmp_path / name if text is None else written(tmp_path, name, text)
    with pytest.raises(LocalFault, match=said):
        read_plan(path)


@given(st.binary(max_size=300), st.sampled_from(["x.svg", "x.csv"]))
def test_any_bytes_are_read_or_refused(tmp_path_factory, data, name):
    path = tmp_path_factory.mktemp("plan") / name
    path.write_bytes(data)
    with contextlib.suppress(LocalFault):
        assert read_plan(path).marks


@pytest.mark.parametrize("suffix", ["svg", "csv"])
def test_a_plan_written_out_comes_in_again_where_it_was(tmp_path, suffix):
    marks = [
        Mark(id="m1", name="Kiln <hot> & “bright”", x_m=-7.25, y_m=3.5, height_m=1.6, facing_deg=45),
        Mark(id="m2", name="Jury, left", x_m=0, y_m=-2),
    ]
    cameras = [Camera(id="c1", number=1, name="A&B", place=Place(x_m=20, y_m=-9))]
    path = tmp_path / f"plan.{suffix}"
    write_plan(path, marks, cameras)
    expected = [PlanMark(m.name, m.x_m, m.y_m, m.height_m, m.facing_deg) for m in marks]
    assert list(read_plan(path).marks) == expected
    with pytest.raises(LocalFault, match="cannot be written"):
        write_plan(tmp_path / "no" / f"plan.{suffix}", marks, cameras)


# Profiles


def test_the_shipped_profiles_are_whole_and_one_is_recall_only():
    profiles, faults = all_profiles(SHIPPED / "nowhere")
    assert faults == ()
    assert len(profiles) == len(list(SHIPPED.glob("*.json"))) >= 4
    for profile in profiles:
        assert profile.head.motion.at_pace(0.3).pan.speed < profile.head.motion.pan.speed
    assert [p for p in profiles if not p.reports_position and p.memories]


def test_a_profile_with_holes_is_refused_with_everything_that_is_missing_and_the_others_are_used(tmp_path):
    whole = json.loads((SHIPPED / "steered-20x.json").read_text())
    own = {**whole, "name": "Our own"}
    (tmp_path / "own.json").write_text(json.dumps(own))
    holes = {k: v for k, v in whole.items() if k not in ("zoom_table", "memories")}
    holes["pan"] = {**whole["pan"], "speeds": [[0.5, 10], [0.2, 5]]}
    (tmp_path / "holes.json").write_text(json.dumps(holes))
    (tmp_path / "text.json").write_text("{")
    (tmp_path / "twisted.json").write_text(
        json.dumps({**own, "tilt": {**whole["tilt"], "low": 99}, "settings": ["salt"]})
    )
    profiles, faults = all_profiles(tmp_path)
    assert "Our own" in [p.name for p in profiles]
    assert len(faults) == 3
    said = next(f for f in faults if "holes.json" in f)
    for words in ("zoom_table", "memories", "the shares of speeds rise"):
        assert words in said
    assert "low must be below high" in next(f for f in faults if "twisted.json" in f)
    with pytest.raises(LocalFault, match="cannot be read"):
        read_profile(tmp_path / "none.json")
