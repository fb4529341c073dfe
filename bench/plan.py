"""Plans on random halls: do they keep every hard rule, how near is the fast way to the best, how long do they take?

`takes` is how many instances. Each has six steered cameras with eight framings, and 40 entries of 1.2 to 4 seconds. In
every second one it is tight: slower heads, three people who are asked for again and again, one camera reserved, a line
of action, and a third of the entries only should be. Whether a plan lands is judged by the engine itself, which knows
nothing of planning: its playlist is rehearsed.
"""

import math
import random
import time
from itertools import pairwise

from bench.common.hall import percentile
from ribalta.core.base.aim import Aim
from ribalta.core.engine.dryrun.rehearsal import Rehearsal, all_there
from ribalta.core.engine.program.choosing import choices
from ribalta.core.engine.state.live import opening_state
from ribalta.core.planning import planner
from ribalta.core.planning.exact_plan import plan_exact
from ribalta.core.planning.planning_problem import (
    LEAST_ANGLE_DEG,
    Candidate,
    PlaylistPlan,
    Requirement,
    Rules,
    problem_of,
)
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.playlists import Entry, Playlist
from ribalta.core.show.document.model import Axis, Camera, Control, Framing, Head, Mark, Place, Settings, ShotSize, Show

LATE_S = 0.12  # less than this is no lateness that anybody sees
SIZES = (ShotSize.MEDIUM, ShotSize.MEDIUM_CLOSE_UP, ShotSize.CLOSE_UP)

_HEAD = {
    False: Head(pan=Axis(speed=40, acceleration=80), tilt=Axis(speed=30, acceleration=60)),
    True: Head(pan=Axis(speed=16, acceleration=40), tilt=Axis(speed=12, acceleration=30)),
}


def hall(chance: random.Random, cameras: int = 6, marks: int = 8, slow: bool = False) -> Show:
    """Cameras around a floor with people on it; each camera has a framing of every one of them."""
    head = _HEAD[slow]
    people = tuple(
        Mark(id=f"m{k}", name=f"Mark {k}", x_m=chance.uniform(-5, 5), y_m=chance.uniform(2, 10)) for k in range(marks)
    )
    made = tuple(
        Camera(
            id=f"c{n}",
            number=n,
            name=f"Camera {n}",
            place=Place(x_m=chance.uniform(-8, 8), y_m=chance.uniform(-4, 1), z_m=2.0),
            head=head,
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
    wide = Camera(id="w", number=cameras + 1, name="Wide")
    return Show(cameras=(*made, wide), framings=framings, marks=people, settings=Settings(cover_camera_id="w"))


def wishes(chance: random.Random, count: int, marks: int = 8, tight: bool = False) -> list[Requirement]:
    """Tight: two in three ask for one of three people, and one in three may be left out."""
    found: list[Requirement] = []
    for _ in range(count):
        who = chance.randrange(3 if tight and chance.random() < 0.67 else marks)
        must = not tight or chance.random() > 0.33
        found.append(Requirement((f"m{who}",), round(chance.uniform(1.2, 4.0), 2), must=must))
    return found


def breaks(show: Show, asked: list[Requirement], plan: PlaylistPlan, rules: Rules) -> int:
    """How many hard rules a plan breaks: late as a playlist in the engine, or by the views themselves."""
    rows = [
        (Item(kind=Kind.FRAMING, id=c.framing_id) if c.framing_id else Item(kind=Kind.CAMERA, id=c.camera_id), w)
        for c, w in zip(plan.chosen, asked, strict=True)
    ]
    entries = tuple(Entry(item=item, amount=wish.length_s) for item, wish in rows)
    played = show.model_copy(update={"playlists": (Playlist(id="l1", name="Planned", entries=entries),)})
    rehearsal = Rehearsal(all_there(played), 0.0)
    rehearsal.run(
        Call(action="playlist.start", arguments={"playlist": "l1"}), until=lambda s: s.automation.playlist is None
    )
    records = rehearsal.records[1:]  # to the first one cameras have no time to travel
    late = sum(record.held_s > LATE_S or not record.landed for record in records)
    missing = max(0, len({(c.camera_id, c.framing_id) for c in plan.chosen}) - len(rehearsal.records))
    reserved = sum(c.camera_id in rules.reserved for c in plan.chosen)
    return late + missing + reserved + sum(_jumps(show, a, b, rules) for a, b in pairwise(plan.chosen))


def _jumps(show: Show, one: Candidate, other: Candidate, rules: Rules) -> bool:
    """Is a cut a jump, or does it cross the line, reckoned from where cameras and people are?"""
    a, b = show.framing(one.framing_id), show.framing(other.framing_id)
    if a is None or b is None:
        return False
    places = [(show.camera(f.camera_id), show.mark(f.mark_id or "")) for f in (a, b)]
    ways = [(m.x_m - c.place.x_m, m.y_m - c.place.y_m) for c, m in places if c is not None and m is not None]
    (ax, ay), (bx, by) = ways
    apart = math.degrees(math.acos(max(-1.0, min(1.0, (ax * bx + ay * by) / math.hypot(ax, ay) / math.hypot(bx, by)))))
    if a.mark_id == b.mark_id and apart < LEAST_ANGLE_DEG and a.size == b.size:
        return True
    if rules.line is None or not {a.mark_id, b.mark_id} <= set(rules.line):
        return False
    p, q = show.mark(rules.line[0]), show.mark(rules.line[1])
    assert p is not None
    assert q is not None
    sides = [
        (q.x_m - p.x_m) * (c.place.y_m - p.y_m) - (q.y_m - p.y_m) * (c.place.x_m - p.x_m)
        for c, _ in places
        if c is not None
    ]
    return sides[0] * sides[1] < 0


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
    gaps: list[float] = []
    tight_gaps: list[float] = []
    narrow_gaps: list[float] = []  # of a beam of one, which tells whether there was anything to find
    fast_ms, broken, infeasible, missed = [], 0, 0, 0
    for k in range(takes):
        chance, tight = random.Random(k), k % 2 == 1
        show, asked = hall(chance, slow=tight), wishes(chance, 40, tight=tight)
        rules = Rules(frozenset({"c6"}), ("m0", "m1")) if tight else Rules()
        state = all_there(show)
        aims = {c.id: aim for c in show.cameras if (aim := state.live(c.id).aim) is not None}
        problem = problem_of(show, asked, aims, rules)
        fast = planner.plan_fast(problem)
        exact = plan_exact(problem, 20.0)
        fast_ms.append(1000 * fast.seconds)
        if not exact.chosen:
            infeasible += 1
            continue
        broken += breaks(show, asked, exact, rules)
        if not fast.chosen:
            missed += 1
            continue
        broken += breaks(show, asked, fast, rules)
        best = exact.bound if exact.bound is not None else exact.score
        gaps.append((best - fast.score) / best)
        narrow = planner.plan_fast(problem, width=1)
        narrow_gaps.append((best - narrow.score) / best if narrow.chosen else 1.0)
        if tight:
            tight_gaps.append(gaps[-1])
    rank_ms = _ranking_ms()
    chance = random.Random(99)
    show, asked = hall(chance), wishes(chance, 200)
    long = plan_exact(problem_of(show, asked, {}), 10.0)
    return {
        "instances": takes,
        "infeasible": infeasible,
        "missed_by_fast": missed,
        "hard_breaks": broken,
        "gap_median": round(percentile(gaps, 0.5), 4),
        "gap_p95": round(percentile(gaps, 0.95), 4),
        "gap_tight_median": round(percentile(tight_gaps, 0.5), 4),
        "gap_tight_p95": round(percentile(tight_gaps, 0.95), 4),
        "gap_of_beam_of_one_p95": round(percentile(narrow_gaps, 0.95), 4),
        "fast_ms_40": round(percentile(fast_ms, 0.5), 1),
        "fast_ms_40_p95": round(percentile(fast_ms, 0.95), 1),
        "rank_ms_60_marks_600_framings": rank_ms,
        "exact_s_200": round(long.seconds, 2),
        "exact_gap_200": round(long.gap if long.gap is not None else float("nan"), 5),
    }
