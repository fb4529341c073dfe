"""Plan it: which camera and framing for each thing that is to be seen, so that every cut lands and the whole is good.

Hard rules: no entry is late; reserved cameras, and the cover camera if asked, stay out of it; no jump cut (two views of
the same subject one after the other differ by 30 degrees or by a size); the line of action between two people is not
crossed without something neutral in between. What may be left out ("should") shows the cover shot then.

Every hard rule is between two entries: two choices that cannot both be. For travel that holds because a detour through
a third framing is never shorter than the way itself. So the exact way is a set of 0/1 choices with conflicts, solved as
a mixed-integer program (HiGHS, through SciPy); the fast way is a beam search over the same conflicts.
"""

import time
from collections.abc import Sequence
from dataclasses import dataclass

from ribalta.core.planning.clashes import clashes
from ribalta.core.planning.planning_problem import NEAR, REPEATED, PlaylistPlan, Problem, score_of

WIDTH, WIDER = 24, 240  # of the beam


@dataclass(slots=True)
class _Node:
    score: float
    places: tuple[int, ...]
    recent: tuple[str, ...]


def plan_fast(problem: Problem, width: int = WIDTH) -> PlaylistPlan:
    """Beam search, then one choice after another made better where it can be. What ends nowhere is tried wider once."""
    begun = time.perf_counter()
    places, at = _beam(problem, width)
    if places is None and width < WIDER and all(problem.choices):
        places, at = _beam(problem, WIDER)
    if places is None:
        return PlaylistPlan((), 0.0, None, clashes(problem, at), time.perf_counter() - begun)
    return made_plan(problem, _polished(problem, places), None, begun)


def _beam(problem: Problem, width: int) -> tuple[tuple[int, ...] | None, int]:
    """The best that was found; or None, and the entry at which nothing was left."""
    beam = [_Node(0.0, (), ())]
    for at, options in enumerate(problem.choices):
        grown: list[_Node] = []
        for node in beam:
            for place, choice in enumerate(options):
                if any(node.places[b] in ruled for b, ruled in problem.ruled_out[at][place].items()):
                    continue
                again = node.recent.count(choice.framing_id) if choice.framing_id else 0
                recent = (*node.recent, choice.framing_id)[-NEAR:]
                grown.append(_Node(node.score + choice.score - REPEATED * again, (*node.places, place), recent))
        if not grown:
            return None, at
        grown.sort(key=lambda n: -n.score)
        beam = _varied(grown, width)
    return beam[0].places, len(problem.choices)


def _varied(nodes: list[_Node], width: int) -> list[_Node]:
    """The best, of those that end alike only the first two: others may be what is needed later."""
    kept: list[_Node] = []
    seen: dict[tuple[int, ...], int] = {}
    for node in nodes:
        key = node.places[-NEAR:]
        if seen.get(key, 0) < 2:
            seen[key] = seen.get(key, 0) + 1
            kept.append(node)
            if len(kept) == width:
                break
    return kept


def _polished(problem: Problem, places: Sequence[int]) -> tuple[int, ...]:
    best = list(places)
    score = score_of(problem, best)
    later = _later(problem)
    better = True
    while better:
        better = False
        for at, options in enumerate(problem.choices):
            for place in range(len(options)):
                if place == best[at] or not _fits(problem, later, best, at, place):
                    continue
                tried = [*best[:at], place, *best[at + 1 :]]
                new = score_of(problem, tried)
                if new > score + 1e-9:
                    best, score, better = tried, new, True
    return tuple(best)


def _later(problem: Problem) -> list[set[int]]:
    """Which later entries have a rule about each entry."""
    found: list[set[int]] = [set() for _ in problem.choices]
    for at, options in enumerate(problem.ruled_out):
        for ruled in options:
            for before in ruled:
                found[before].add(at)
    return found


def _fits(problem: Problem, later: list[set[int]], places: Sequence[int], at: int, place: int) -> bool:
    if any(places[b] in ruled for b, ruled in problem.ruled_out[at][place].items()):
        return False
    return all(place not in problem.ruled_out[k][places[k]].get(at, frozenset()) for k in later[at])


def made_plan(problem: Problem, places: Sequence[int], bound: float | None, begun: float) -> PlaylistPlan:
    """The plan of a choice for each entry; `begun` is when it was begun, on the machine's performance counter."""
    chosen = tuple(options[p] for options, p in zip(problem.choices, places, strict=True))
    return PlaylistPlan(chosen, score_of(problem, places), bound, (), time.perf_counter() - begun, tuple(places))


# The exact way


# Why there is none
