"""Plans on random halls: do they keep every hard rule, how near is the fast way to the best, how long do they take?

`takes` is how many instances. Each has six steered cameras with eight framings, and 40 entries of 1.2 to 4 seconds.
"""

import random
import time

from bench.hall import percentile
from ribalta.core.base.aim import Aim
from ribalta.core.engine.choosing import choices
from ribalta.core.engine.state import opening_state
from ribalta.core.planning import planner
from ribalta.core.planning.foretelling import Wanted, foretell
from ribalta.core.show.model import Axis, Camera, Control, Framing, Head, Mark, Place, ShotSize, Show

SIZES = (ShotSize.MEDIUM, ShotSize.MEDIUM_CLOSE_UP, ShotSize.CLOSE_UP)


def hall(chance: random.Random, cameras: int = 6, marks: int = 8) -> Show:
    """Cameras around a floor with people on it; each camera has a framing of every one of them."""
    people = tuple(
        Mark(id=f"m{k}", name=f"Mark {k}", x_m=chance.uniform(-5, 5), y_m=chance.uniform(2, 10)) for k in range(marks)
    )
    made = tuple(
        Camera(
            id=f"c{n}",
            number=n,
            name=f"Camera {n}",
            place=Place(x_m=chance.uniform(-8, 8), y_m=chance.uniform(-4, 1), z_m=2.0),
            head=Head(pan=Axis(speed=40, acceleration=80), tilt=Axis(speed=30, acceleration=60)),
            control=Control(),
        )
        for n in range(1, cameras + 1)
    )
    framings = tuple(
        Framing(
            id=f"f{n}-{k}",
            camera_id=f"c{n}",
            slot=k,
            name=f"{n} {k}",
            pan_deg=chance.uniform(-50, 50),
            tilt_deg=chance.uniform(-12, 5),
            zoom=chance.uniform(0.2, 0.95),
            mark_id=f"m{k}",
            size=chance.choice(SIZES),
            rating=chance.randint(20, 100),
        )
        for n in range(1, cameras + 1)
        for k in range(marks)
    )
    return Show(cameras=made, framings=framings, marks=people)


def wishes(chance: random.Random, count: int, marks: int = 8) -> list[planner.Wish]:
    found: list[planner.Wish] = []
    for _ in range(count):
        found.append(planner.Wish((f"m{chance.randrange(marks)}",), round(chance.uniform(1.2, 4.0), 2)))
    return found


def breaks(show: Show, asked: list[planner.Wish], aims: dict[str, Aim], plan: planner.Plan) -> int:
    """How many hard rules a plan breaks, judged by the foretelling of playlists and by the views themselves."""
    entries = [Wanted(((c.camera_id, c.aim),), wish.length_s) for c, wish in zip(plan.chosen, asked, strict=True)]
    late = sum(entry.late_s > 0.05 for entry in foretell(show, entries, aims, hold=False)[1:])
    jumps = 0
    for one, other in zip(plan.chosen, plan.chosen[1:], strict=False):
        a, b = show.framing(one.framing_id), show.framing(other.framing_id)
        assert a is not None
        assert b is not None
        apart = abs((one.azimuth_deg - other.azimuth_deg + 180) % 360 - 180)
        jumps += a.mark_ids == b.mark_ids and apart < 30 and a.size == b.size
    return late + jumps


def _ranking_ms() -> float:
    """Ranking the framings of each of 60 marks, of 600 framings in all: the median in milliseconds."""
    show = hall(random.Random(5), cameras=10, marks=60)
    state = opening_state(show)
    for camera in show.cameras:
        state = state.with_live(camera.id, answers=True, aim=Aim(0.0, 0.0, 0.3), still_since_s=0.0)
    took = []
    for mark in show.marks:
        begun = time.perf_counter()
        choices(state, mark.id, 10.0)
        took.append(1000 * (time.perf_counter() - begun))
    return round(percentile(took, 0.5), 3)


def run(takes: int) -> dict[str, float | int]:
    gaps, fast_ms, broken, infeasible = [], [], 0, 0
    for k in range(takes):
        chance = random.Random(k)
        show, asked = hall(chance), wishes(chance, 40)
        aims = {c.id: Aim(0.0, 0.0, 0.3) for c in show.cameras}
        problem = planner.problem_of(show, asked, aims)
        fast = planner.plan_fast(problem)
        exact = planner.plan_exact(problem, 20.0)
        if not exact.chosen:
            infeasible += 1
            continue
        broken += breaks(show, asked, aims, fast) + breaks(show, asked, aims, exact)
        fast_ms.append(1000 * fast.seconds)
        best = exact.bound if exact.bound is not None else exact.score
        gaps.append((best - fast.score) / best)
    rank_ms = _ranking_ms()
    chance = random.Random(99)
    show, asked = hall(chance), wishes(chance, 200)
    long = planner.plan_exact(planner.problem_of(show, asked, {}), 10.0)
    return {
        "instances": takes,
        "infeasible": infeasible,
        "hard_breaks": broken,
        "gap_median": round(percentile(gaps, 0.5), 4),
        "gap_p95": round(percentile(gaps, 0.95), 4),
        "fast_ms_40": round(percentile(fast_ms, 0.5), 1),
        "fast_ms_40_p95": round(percentile(fast_ms, 0.95), 1),
        "rank_ms_60_marks_600_framings": rank_ms,
        "exact_s_200": round(long.seconds, 2),
        "exact_gap_200": round(long.gap if long.gap is not None else float("nan"), 5),
    }
