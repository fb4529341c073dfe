"""Plan it: which camera and framing for each thing that is to be seen, so that every cut lands and the whole is good.

Hard rules: no entry is late; reserved cameras, and the cover camera if asked, stay out of it; no jump cut (two views of
the same subject one after the other differ by 30 degrees or by a size); the line of action between two people is not
crossed without something neutral in between. What may be left out ("should") shows the cover shot then.

Every hard rule is between two entries: two choices that cannot both be. For travel that holds because a detour through
a third framing is never shorter than the way itself. So the exact way is a set of 0/1 choices with conflicts, solved as
a mixed-integer program (HiGHS, through SciPy); the fast way is a beam search over the same conflicts.
"""

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from math import atan2, degrees

import numpy as np

from ribalta.core.base.aim import Aim
from ribalta.core.planning.fit import fit_of_framing
from ribalta.core.planning.foretelling import travel_s
from ribalta.core.show.document.model import Framing, Mark, ShotSize, Show

LEAST_ANGLE_DEG = 30.0
NEAR, REPEATED = 3, 6.0  # the same framing again so soon costs so much of a fit
LEFT_OUT = -30.0  # what it costs to leave out what should be seen
SIZES = list(ShotSize)
SPARE_S = 0.02
WIDTH, WIDER = 24, 240  # of the beam
OUT_OF_TIME = 1  # of what the solver says


@dataclass(frozen=True, slots=True)
class Requirement:
    """What is to be seen: marks, a shot size or any, for how long, and whether it must be."""

    mark_ids: tuple[str, ...]
    length_s: float
    size: ShotSize | None = None
    must: bool = True


@dataclass(frozen=True, slots=True)
class Candidate:
    """A framing that would serve. `azimuth_deg` is the direction of view, `side` which side of the line it is on (0:
    neutral). Without a framing it is the cover shot, for what is left out."""

    framing_id: str
    camera_id: str
    aim: Aim | None
    score: float
    azimuth_deg: float = 0.0
    size_rank: int | None = None
    side: int = 0
    subject: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Rules:
    """Cameras that are not to be used, and the line of action as two marks."""

    reserved: frozenset[str] = frozenset()
    line: tuple[str, str] | None = None
    least_angle_deg: float = LEAST_ANGLE_DEG


@dataclass(frozen=True, slots=True)
class Clash:
    """Why a plan cannot be: which entries, from 0, and a sentence."""

    entries: tuple[int, ...]
    sentence: str


@dataclass(frozen=True)
class Problem:
    """`choices[i]` are what entry i can be, the best first; `bad[i][d]` are, for choice d of entry i, the choices of
    earlier entries that rule it out, as {earlier entry: set of its choices}."""

    wishes: tuple[Requirement, ...]
    choices: tuple[tuple[Candidate, ...], ...]
    starts_s: tuple[float, ...]
    bad: tuple[tuple[Mapping[int, frozenset[int]], ...], ...]


@dataclass(frozen=True, slots=True)
class PlaylistPlan:
    """`chosen` has a choice for each entry; `score` is the sum of fits less what repeats; `bound` is the most that any
    plan can have, if that is known. No choices when there is none: `clashes` say why."""

    chosen: tuple[Candidate, ...]
    score: float
    bound: float | None = None
    clashes: tuple[Clash, ...] = ()
    seconds: float = 0.0
    places: tuple[int, ...] = field(default=(), repr=False)

    @property
    def gap(self) -> float | None:
        """How far below what is possible, as a share; 0 is proven to be the best."""
        if self.bound is None:
            return None
        return max(0.0, (self.bound - self.score) / max(1.0, abs(self.bound)))


def problem_of(show: Show, wishes: Sequence[Requirement], aims: Mapping[str, Aim], rules: Rules = Rules()) -> Problem:
    """`aims` is where the cameras stand as the first entry begins; each leaves then, or when it has left the air."""
    starts, at = [], 0.0
    for wish in wishes:
        starts.append(at)
        at += wish.length_s
    choices = []
    for k, wish in enumerate(wishes):
        found = [c for c in candidates(show, wish, rules) if _reaches(show, c, aims, starts[k])]
        if not wish.must:
            cover = show.settings.cover_camera_id or ""
            found.append(Candidate("", cover, None, LEFT_OUT))
        choices.append(tuple(sorted(found, key=lambda c: -c.score)))
    ways = _Ways(show)
    bad = tuple(
        tuple(_ruled_out(ways, wishes, choices, starts, k, choice, rules) for choice in options)
        for k, options in enumerate(choices)
    )
    return Problem(tuple(wishes), tuple(choices), tuple(starts), bad)


def candidates(show: Show, wish: Requirement, rules: Rules) -> list[Candidate]:
    """Every framing that shows these marks, at this size if one is wanted."""
    wanted, found = set(wish.mark_ids), []
    for framing in show.framings:
        if framing.camera_id in rules.reserved or not wanted or set(framing.mark_ids) != wanted:
            continue
        if wish.size is not None and framing.size is not wish.size:
            continue
        fit = fit_of_framing(show, framing)
        found.append(viewed(show, framing, float(fit if fit is not None else 50), rules))
    return found


def viewed(show: Show, framing: Framing, score: float, rules: Rules) -> Candidate:
    """A framing that shows marks, with how it looks at them."""
    camera, mark = show.camera(framing.camera_id), show.mark(framing.mark_ids[0])
    assert camera is not None
    azimuth = 0.0
    if mark is not None:
        azimuth = degrees(atan2(mark.x_m - camera.place.x_m, mark.y_m - camera.place.y_m))
    size = SIZES.index(framing.size) if framing.size is not None else None
    side = _side(show, camera.place.x_m, camera.place.y_m, rules, framing.mark_ids)
    return Candidate(framing.id, camera.id, framing.aim, score, azimuth, size, side, tuple(sorted(framing.mark_ids)))


def _side(show: Show, x_m: float, y_m: float, rules: Rules, shown: Sequence[str]) -> int:
    """On which side of the line of action a camera stands, for views of the people on it; else 0."""
    if rules.line is None or not set(shown) & set(rules.line):
        return 0
    one, other = show.mark(rules.line[0]), show.mark(rules.line[1])
    if one is None or other is None:
        return 0
    return side_of(one, other, x_m, y_m)


def side_of(one: Mark, other: Mark, x_m: float, y_m: float) -> int:
    """On which side of the line between two marks a place is: -1 or 1; 0 on it."""
    cross = (other.x_m - one.x_m) * (y_m - one.y_m) - (other.y_m - one.y_m) * (x_m - one.x_m)
    return 0 if abs(cross) < 1e-6 else 1 if cross > 0 else -1


def _reaches(show: Show, choice: Candidate, aims: Mapping[str, Aim], start_s: float) -> bool:
    return travel_s(show, choice.camera_id, aims.get(choice.camera_id), choice.aim) <= start_s + SPARE_S or start_s == 0


class _Ways:
    """Travel times between framings, each reckoned once."""

    def __init__(self, show: Show) -> None:
        self._show = show
        self._known: dict[tuple[str, str], float] = {}
        self.longest_s = 0.0

    def between(self, one: Candidate, other: Candidate) -> float:
        key = (one.framing_id, other.framing_id)
        if key not in self._known:
            self._known[key] = travel_s(self._show, one.camera_id, one.aim, other.aim)
            self.longest_s = max(self.longest_s, self._known[key])
        return self._known[key]


def _ruled_out(
    ways: _Ways,
    wishes: Sequence[Requirement],
    choices: Sequence[Sequence[Candidate]],
    starts: Sequence[float],
    at: int,
    choice: Candidate,
    rules: Rules,
) -> dict[int, frozenset[int]]:
    bad: dict[int, frozenset[int]] = {}
    for before in range(at - 1, -1, -1):
        free_s = starts[before] + wishes[before].length_s
        found = {
            k
            for k, other in enumerate(choices[before])
            if other.camera_id == choice.camera_id
            and other.framing_id != choice.framing_id
            and choice.framing_id
            and other.framing_id
            and ways.between(other, choice) > starts[at] - free_s + SPARE_S
        }
        if before == at - 1:
            found |= {k for k, other in enumerate(choices[before]) if jumps(other, choice, rules)}
        if found:
            bad[before] = frozenset(found)
        if starts[at] - free_s > FURTHEST_S:
            break
    return bad


FURTHEST_S = 20.0  # no head needs longer than this


def jumps(one: Candidate, other: Candidate, rules: Rules) -> bool:
    """Would a cut from one to the other jump, or cross the line?"""
    if not one.framing_id or not other.framing_id:
        return False
    if one.side * other.side < 0:
        return True
    if one.subject != other.subject:
        return False
    apart = abs((one.azimuth_deg - other.azimuth_deg + 180) % 360 - 180)
    if apart >= rules.least_angle_deg:
        return False
    if one.size_rank is None or other.size_rank is None:
        return True
    return abs(one.size_rank - other.size_rank) < 1


def score_of(problem: Problem, places: Sequence[int]) -> float:
    """What a plan is worth: its fits, less what is shown again too soon."""
    total, recent = 0.0, list[str]()
    for options, place in zip(problem.choices, places, strict=True):
        choice = options[place]
        total += choice.score
        if choice.framing_id:
            total -= REPEATED * recent[-NEAR:].count(choice.framing_id)
        recent.append(choice.framing_id)
    return total


def allowed(problem: Problem, places: Sequence[int]) -> bool:
    """Does a plan keep every hard rule?"""
    return all(
        places[before] not in ruled
        for at, place in enumerate(places)
        for before, ruled in problem.bad[at][place].items()
    )


# The fast way


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
    return _made(problem, _polished(problem, places), None, begun)


def _beam(problem: Problem, width: int) -> tuple[tuple[int, ...] | None, int]:
    """The best that was found; or None, and the entry at which nothing was left."""
    beam = [_Node(0.0, (), ())]
    for at, options in enumerate(problem.choices):
        grown: list[_Node] = []
        for node in beam:
            for place, choice in enumerate(options):
                if any(node.places[b] in ruled for b, ruled in problem.bad[at][place].items()):
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
    for at, options in enumerate(problem.bad):
        for ruled in options:
            for before in ruled:
                found[before].add(at)
    return found


def _fits(problem: Problem, later: list[set[int]], places: Sequence[int], at: int, place: int) -> bool:
    if any(places[b] in ruled for b, ruled in problem.bad[at][place].items()):
        return False
    return all(place not in problem.bad[k][places[k]].get(at, frozenset()) for k in later[at])


def _made(problem: Problem, places: Sequence[int], bound: float | None, begun: float) -> PlaylistPlan:
    chosen = tuple(options[p] for options, p in zip(problem.choices, places, strict=True))
    return PlaylistPlan(chosen, score_of(problem, places), bound, (), time.perf_counter() - begun, tuple(places))


# The exact way


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
    for at, choices in enumerate(problem.bad):
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
        at = next((k for k in range(len(problem.choices)) if plan_stops_at(problem, k)), 0)
        return PlaylistPlan((), 0.0, None, clashes(problem, at), time.perf_counter() - begun)
    return _made(problem, _places(found.x, offsets), bound, begun)


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
    plan = _made(problem, _places(solution, offsets), bound, begun)
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


# Why there is none


def plan_stops_at(problem: Problem, at: int) -> bool:
    """Does no beginning of this length keep every rule, as far as the fast way sees?"""
    part = Problem(
        problem.wishes[: at + 1], problem.choices[: at + 1], problem.starts_s[: at + 1], problem.bad[: at + 1]
    )
    return not plan_fast(part).chosen


def clashes(problem: Problem, at: int) -> tuple[Clash, ...]:
    """What stands in each other's way, up to the entry where it ends."""
    empty = tuple(
        Clash((k,), f"Nothing that can be there in time shows what entry {k + 1} asks for.")
        for k, options in enumerate(problem.choices)
        if not options
    )
    if empty:
        return empty
    before = sorted({b for ruled in problem.bad[at] for b in ruled})
    others = " and ".join(str(b + 1) for b in before) or "the beginning"
    why = {
        _reason(earlier, choice, b == at - 1)
        for choice, ruled in zip(problem.choices[at], problem.bad[at], strict=True)
        for b, theirs in ruled.items()
        for earlier in (problem.choices[b][p] for p in theirs)
    }
    *most, last = [reason for reason in REASONS if reason in why] or ["is ruled out"]
    reasons = f"{', '.join(most)} or {last}" if most else last
    return (Clash((*before, at), f"Entry {at + 1} cannot land behind {others}: each picture of it {reasons}."),)


TRAVELS, CROSSES, JUMPS = REASONS = (
    "is of a camera that is busy then",
    "crosses the line of action",
    "jumps from the one before",
)


def _reason(earlier: Candidate, choice: Candidate, next_to: bool) -> str:
    if next_to and earlier.side * choice.side < 0:
        return CROSSES
    return TRAVELS if earlier.camera_id == choice.camera_id else JUMPS
