"""What is to be seen, what may show it, and the rules: a planning problem, and what a plan of it is worth."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import atan2, degrees

from ribalta.core.base.aim import Aim
from ribalta.core.planning.fit import fit_of_framing
from ribalta.core.planning.foretelling import travel_s
from ribalta.core.show.document.model import Framing, Mark, ShotSize, Show

LEAST_ANGLE_DEG = 30.0
NEAR, REPEATED = 3, 6.0  # the same framing again so soon costs so much of a fit
LEFT_OUT = -30.0  # what it costs to leave out what should be seen
SIZES = list(ShotSize)
SPARE_S = 0.02
FURTHEST_S = 20.0  # no head needs longer than this


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

    requirements: tuple[Requirement, ...]
    choices: tuple[tuple[Candidate, ...], ...]
    starts_s: tuple[float, ...]
    ruled_out: tuple[tuple[Mapping[int, frozenset[int]], ...], ...]


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


def problem_of(
    show: Show, requirements: Sequence[Requirement], aims: Mapping[str, Aim], rules: Rules = Rules()
) -> Problem:
    """`aims` is where the cameras stand as the first entry begins; each leaves then, or when it has left the air."""
    starts, at = [], 0.0
    for requirement in requirements:
        starts.append(at)
        at += requirement.length_s
    choices = []
    for k, requirement in enumerate(requirements):
        found = [c for c in candidates(show, requirement, rules) if _reaches(show, c, aims, starts[k])]
        if not requirement.must:
            cover = show.settings.cover_camera_id or ""
            found.append(Candidate("", cover, None, LEFT_OUT))
        choices.append(tuple(sorted(found, key=lambda c: -c.score)))
    ways = _Ways(show)
    ruled_out = tuple(
        tuple(_ruled_out(ways, requirements, choices, starts, k, choice, rules) for choice in options)
        for k, options in enumerate(choices)
    )
    return Problem(tuple(requirements), tuple(choices), tuple(starts), ruled_out)


def candidates(show: Show, requirement: Requirement, rules: Rules) -> list[Candidate]:
    """Every framing that shows these marks, at this size if one is wanted."""
    wanted, found = set(requirement.mark_ids), []
    for framing in show.framings:
        if framing.camera_id in rules.reserved or not wanted or set(framing.mark_ids) != wanted:
            continue
        if requirement.size is not None and framing.size is not requirement.size:
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
    requirements: Sequence[Requirement],
    choices: Sequence[Sequence[Candidate]],
    starts: Sequence[float],
    at: int,
    choice: Candidate,
    rules: Rules,
) -> dict[int, frozenset[int]]:
    ruled_out: dict[int, frozenset[int]] = {}
    for before in range(at - 1, -1, -1):
        free_s = starts[before] + requirements[before].length_s
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
            ruled_out[before] = frozenset(found)
        if starts[at] - free_s > FURTHEST_S:
            break
    return ruled_out


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
        for before, ruled in problem.ruled_out[at][place].items()
    )
