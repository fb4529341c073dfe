"""Plan it: against a brute force on small halls, and every hard rule by itself."""

import random
from itertools import pairwise, product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.planning import planner
from ribalta.core.planning.exact_plan import plan_exact
from ribalta.core.planning.foretelling import Wanted, foretell
from ribalta.core.planning.planning_problem import (
    REPEATED,
    SPARE_S,
    Candidate,
    Requirement,
    Rules,
    allowed,
    candidates,
    jumps,
    problem_of,
    score_of,
)
from ribalta.core.show.document.model import Camera, Control, Framing, Head, Mark, Place, ShotSize, Show
from tests.depth import examples

MARKS = (("a", -2.0, 5.0), ("b", 2.0, 5.0), ("z", 0.0, 9.0))


def hall(seed: int, cameras: int = 3) -> Show:
    chance = random.Random(seed)
    people = tuple(Mark(id=i, name=i, x_m=x, y_m=y) for i, x, y in MARKS)
    made = tuple(
        Camera(
            id=f"c{n}",
            number=n,
            name=f"Camera {n}",
            place=Place(x_m=chance.uniform(-8, 8), y_m=chance.uniform(-4, 3)),
            head=Head(),
            control=Control(),
        )
        for n in range(1, cameras + 1)
    )
    framings = tuple(
        Framing(
            id=f"f{n}{mark.id}",
            camera_id=f"c{n}",
            slot=k,
            name=f"{n} {mark.id}",
            pan_deg=chance.uniform(-60, 60),
            tilt_deg=0,
            zoom=chance.uniform(0.1, 0.9),
            mark_id=mark.id,
            size=chance.choice((ShotSize.MEDIUM, ShotSize.CLOSE_UP)),
            rating=chance.randint(10, 100),
        )
        for n in range(1, cameras + 1)
        for k, mark in enumerate(people)
    )
    wide = Camera(id="w", number=9, name="Wide")
    return Show(cameras=(*made, wide), framings=framings, marks=people, settings={"cover_camera_id": "w"})


def on_time(show: Show, asked: list[Requirement], chosen: tuple[Candidate, ...], aims: dict[str, Aim]) -> bool:
    entries = [Wanted(((c.camera_id, c.aim),), wish.length_s) for c, wish in zip(chosen, asked, strict=True)]
    late = (entry.late_s for entry in foretell(show, entries, aims, hold=False)[1:])
    return not any(late_s > SPARE_S + 1e-9 for late_s in late)


AIMS = {f"c{n}": Aim(0.0, 0.0, 0.3) for n in (1, 2, 3)}
lists = st.lists(st.tuples(st.sampled_from("abz"), st.floats(0.8, 4)), min_size=2, max_size=5)


@given(st.integers(0, 400), lists)
@examples(30)
def test_the_exact_plan_is_what_trying_everything_finds_and_the_fast_one_is_near(seed, rows):
    show, asked = hall(seed), [Requirement((m,), round(s, 2)) for m, s in rows]
    problem = problem_of(show, asked, AIMS)
    best: float | None = None
    for places in product(*(range(len(options)) for options in problem.choices)):
        chosen = tuple(options[p] for options, p in zip(problem.choices, places, strict=True))
        if any(jumps(a, b, Rules()) for a, b in pairwise(chosen)) or not on_time(show, asked, chosen, AIMS):
            continue
        score = score_of(problem, places)
        best = score if best is None or score > best else best
    exact, fast = plan_exact(problem), planner.plan_fast(problem)
    if best is None:
        assert not exact.chosen
        assert exact.clashes
        assert exact.clashes[0].sentence
        return
    assert exact.score == pytest.approx(best, abs=1e-6)
    assert exact.gap == pytest.approx(0.0, abs=1e-6)
    assert fast.score >= best - 0.1 * abs(best) - 1
    for plan in (exact, fast):
        assert allowed(problem, plan.places)
        assert on_time(show, asked, plan.chosen, AIMS)


@given(st.integers(0, 400), st.integers(8, 60), st.sampled_from([0.0, 0.001, 0.02]))
@examples(12)
def test_an_exact_plan_that_runs_out_of_time_is_kept_to_the_rules_and_says_how_far_it_got(seed, count, limit_s):
    show, chance = hall(seed), random.Random(seed)
    asked = [
        Requirement((chance.choice("abz"),), chance.uniform(2, 6), must=chance.random() > 0.3) for _ in range(count)
    ]
    problem = problem_of(show, asked, AIMS)
    plan, best = plan_exact(problem, limit_s), plan_exact(problem)
    assert bool(plan.clashes) == (not plan.chosen)
    if not best.chosen:
        assert not plan.chosen
        return
    if plan.chosen:
        assert allowed(problem, plan.places)
        assert plan.bound is not None
        assert plan.score <= best.score + 1e-6 <= plan.bound + 2e-5 * abs(plan.bound)
        assert plan.gap is not None
        assert plan.gap <= 1.0


def test_where_the_fast_way_ends_nowhere_it_is_tried_wider():
    show, chance = hall(47), random.Random(47)
    asked = [Requirement((chance.choice("abz"),), chance.uniform(2, 6), must=chance.random() > 0.3) for _ in range(40)]
    problem = problem_of(show, asked, AIMS)
    exact, fast = plan_exact(problem), planner.plan_fast(problem)
    assert planner._beam(problem, planner.WIDTH)[0] is None
    assert allowed(problem, fast.places)
    assert fast.score >= 0.98 * exact.score


def test_reserved_cameras_stay_out_and_what_should_be_seen_gives_way_to_the_cover_shot():
    show = hall(3)
    asked = [
        Requirement(("a",), 4.0),
        Requirement(("b",), 4.0),
        Requirement(("z",), 0.3, must=False),
        Requirement(("a",), 4.0),
    ]
    only = Rules(reserved=frozenset({"c1", "c2"}))
    plan = plan_exact(problem_of(show, asked, AIMS, only))
    assert plan.chosen == ()
    assert "Entry 2 cannot land behind 1" in plan.clashes[0].sentence
    two = Rules(reserved=frozenset({"c1"}))
    plan = plan_exact(problem_of(show, asked, AIMS, two))
    assert {c.camera_id for c in plan.chosen} <= {"c2", "c3", "w"}
    assert plan.chosen[2].camera_id == "w"
    nothing = planner.plan_fast(problem_of(show, [Requirement(("a", "b"), 4.0)], AIMS))
    assert nothing.clashes[0].sentence == "Nothing that can be there in time shows what entry 1 asks for."


def test_the_line_of_action_is_not_crossed_without_something_neutral():
    show = hall(5, cameras=2)
    places = {"c1": Place(x_m=-3, y_m=-2), "c2": Place(x_m=3, y_m=9)}  # on either side of the line from a to b
    cameras = tuple(c.model_copy(update={"place": places.get(c.id, c.place)}) for c in show.cameras)
    show = show.model_copy(update={"cameras": cameras})
    line = Rules(line=("a", "b"))
    crossing = [Requirement(("a",), 5.0), Requirement(("b",), 5.0)]
    none = plan_exact(problem_of(show, crossing, AIMS, line))
    assert not none.chosen
    assert "crosses the line of action" in none.clashes[0].sentence
    assert "jumps" not in none.clashes[0].sentence
    assert plan_exact(problem_of(show, crossing, AIMS)).chosen
    neutral = [Requirement(("a",), 5.0), Requirement(("z",), 5.0), Requirement(("b",), 5.0)]
    plan = plan_exact(problem_of(show, neutral, AIMS, line))
    assert [c.side == 0 for c in plan.chosen] == [False, True, False]


def test_a_wanted_size_is_kept_and_the_same_framing_does_not_come_again_at_once_for_nothing():
    show = hall(11)
    close = candidates(show, Requirement(("a",), 3.0, ShotSize.CLOSE_UP), Rules())
    assert all(show.framing(c.framing_id).size is ShotSize.CLOSE_UP for c in close)
    problem = problem_of(show, [Requirement(("a",), 5.0), Requirement(("b",), 5.0), Requirement(("a",), 5.0)], AIMS)
    once = score_of(problem, (0, 0, 0))
    assert once == sum(options[0].score for options in problem.choices) - REPEATED
