"""The best plan there is, by linear programming in whole numbers."""

import time
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from ribalta.core.planning.clashes import clashes
from ribalta.core.planning.planner import made_plan, plan_fast
from ribalta.core.planning.planning_problem import NEAR, REPEATED, Clash, PlaylistPlan, Problem

OUT_OF_TIME = 1  # of what the solver says


def plan_exact(problem: Problem, limit_s: float = 10.0) -> PlaylistPlan:
    """The best plan, proven; or, when the time is over, the best that was found and what is possible at most."""
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import coo_array

    begun = time.perf_counter()
    offsets = np.concatenate(([0], np.cumsum([len(options) for options in problem.choices]))).astype(int)
    count = int(offsets[-1])
    if any(not options for options in problem.choices):
        return PlaylistPlan((), 0.0, None, clashes(problem, 0), 0.0)
    again = _again(problem, offsets)
    cost = np.concatenate(([-c.score for options in problem.choices for c in options], np.full(len(again), REPEATED)))
    rows: list[int] = []
    columns: list[int] = []
    values: list[float] = []
    low: list[float] = []
    high: list[float] = []

    def constraint(entries: Sequence[tuple[int, float]], least: float, most: float) -> None:
        for column, value in entries:
            rows.append(len(low))
            columns.append(column)
            values.append(value)
        low.append(least)
        high.append(most)

    for k, options in enumerate(problem.choices):
        constraint([(offsets[k] + d, 1.0) for d in range(len(options))], 1.0, 1.0)
    for at, choices in enumerate(problem.ruled_out):
        for place, ruled in enumerate(choices):
            for before, theirs in ruled.items():
                constraint([(offsets[at] + place, 1.0), *((offsets[before] + p, 1.0) for p in theirs)], -np.inf, 1.0)
    for k, (one, other) in enumerate(again):
        constraint([(one, 1.0), (other, 1.0), (count + k, -1.0)], -np.inf, 1.0)
    matrix = coo_array((values, (rows, columns)), shape=(len(low), count + len(again))).tocsr()
    kinds = np.concatenate((np.ones(count, np.uint8), np.zeros(len(again), np.uint8)))
    found = milp(
        cost,
        constraints=LinearConstraint(matrix, low, high),
        integrality=kinds,
        bounds=Bounds(0, 1),
        options={"time_limit": limit_s, "mip_rel_gap": 1e-6},
    )
    bound = -float(found.mip_dual_bound) if found.mip_dual_bound is not None else None
    if found.status == OUT_OF_TIME:
        return _cut_off(problem, found.x, offsets, bound, begun)
    if found.x is None:
        at = next((k for k in range(len(problem.choices)) if _stops_at(problem, k)), 0)
        return PlaylistPlan((), 0.0, None, clashes(problem, at), time.perf_counter() - begun)
    return made_plan(problem, _places(found.x, offsets), bound, begun)


def _places(solution: np.ndarray, offsets: np.ndarray) -> list[int]:
    return [int(np.argmax(solution[a:b])) for a, b in pairwise(offsets)]


def _cut_off(
    problem: Problem, solution: np.ndarray | None, offsets: np.ndarray, bound: float | None, begun: float
) -> PlaylistPlan:
    """When the time is over: the better of what was found until then and of the fast way, and the most there can be."""
    most = sum(options[0].score for options in problem.choices)
    bound = most if bound is None or not np.isfinite(bound) else min(bound, most)
    fast = replace(plan_fast(problem), bound=bound, seconds=time.perf_counter() - begun)
    if solution is None and not fast.chosen:
        said = f"No plan was found within {fast.seconds:.0f} s, and none was ruled out: ask for less, or try once more."
        return replace(fast, clashes=(Clash((), said),))
    if solution is None:
        return fast
    plan = made_plan(problem, _places(solution, offsets), bound, begun)
    return fast if fast.chosen and fast.score > plan.score else plan


def _again(problem: Problem, offsets: np.ndarray) -> list[tuple[int, int]]:
    """Pairs of choices that show the same framing too soon again."""
    found = []
    for at, options in enumerate(problem.choices):
        for before in range(max(0, at - NEAR), at):
            earlier = {c.framing_id: k for k, c in enumerate(problem.choices[before]) if c.framing_id}
            for k, choice in enumerate(options):
                if choice.framing_id in earlier:
                    found.append((int(offsets[at]) + k, int(offsets[before]) + earlier[choice.framing_id]))
    return found


def _stops_at(problem: Problem, at: int) -> bool:
    """Does no beginning of this length keep every rule, as far as the fast way sees?"""
    part = Problem(
        problem.requirements[: at + 1],
        problem.choices[: at + 1],
        problem.starts_s[: at + 1],
        problem.ruled_out[: at + 1],
    )
    return not plan_fast(part).chosen
