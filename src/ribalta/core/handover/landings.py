"""What of an evening landed: counted by camera, by framing and by what asked for it."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from ribalta.core.handover.evening import Evening
from ribalta.core.ports.as_run import Aired, AsRunLine

SOON_S = 0.05  # shorter waits are nobody's
SHORT_S = 2.0
NEW_DAY_S = 6 * 3600.0
LENGTHS_S = (1, 2, 4, 8, 16, 32, 64)


@dataclass(frozen=True)
class Tally:
    """How so many takes fared. `late` are those that were on air before they had landed, `forced` those of them that
    somebody wanted so."""

    takes: int
    landed: int
    held: int
    held_s: float
    forced: int
    late: int


@dataclass(frozen=True)
class Landings:
    """`by_camera`, `by_framing` (“3 Hands”) and `by_cause` are in the order of what was held longest; `seconds` are on
    air by camera number, 0 for what is none. `lengths` count shots up to so many seconds (`LENGTHS_S`), and beyond."""

    whole: Tally
    by_camera: tuple[tuple[int, Tally], ...]
    by_framing: tuple[tuple[str, Tally], ...]
    by_cause: tuple[tuple[str, Tally], ...]
    seconds: tuple[tuple[int, float], ...]
    lengths: tuple[int, ...]


def landings_of(evening: Evening) -> Landings:
    """Of all shots that went on air by a take."""
    shots = [line for line in evening.lines if line.kind is Aired.SHOT and line.landing is not None]
    cameras: defaultdict[int, list[AsRunLine]] = defaultdict(list)
    framings: defaultdict[str, list[AsRunLine]] = defaultdict(list)
    causes: defaultdict[str, list[AsRunLine]] = defaultdict(list)
    seconds: defaultdict[int, float] = defaultdict(float)
    lengths = [0] * (len(LENGTHS_S) + 1)
    for line in shots:
        cameras[line.camera].append(line)
        framings[line.words].append(line)
        causes[line.by or "by itself"].append(line)
        long = evening.lengths_s.get(line.number, 0.0)
        seconds[line.camera] += long
        lengths[next((k for k, most in enumerate(LENGTHS_S) if long <= most), len(LENGTHS_S))] += 1
    return Landings(
        tally_of(shots),
        tuple(sorted(((k, tally_of(v)) for k, v in cameras.items()), key=lambda kv: (-kv[1].held_s, kv[0]))),
        tuple(sorted(((k, tally_of(v)) for k, v in framings.items()), key=lambda kv: (-kv[1].held_s, kv[0]))),
        tuple(sorted(((k, tally_of(v)) for k, v in causes.items()), key=lambda kv: (-kv[1].takes, kv[0]))),
        tuple(sorted(((k, round(s, 1)) for k, s in seconds.items()), key=lambda kv: -kv[1])),
        tuple(lengths),
    )


def by_evening(lines: Sequence[AsRunLine], utc_offset_s: float) -> tuple[tuple[str, Tally], ...]:
    """How takes fared, by the date on which an evening began: what is before NEW_DAY_S is of the day before."""
    evenings: defaultdict[str, list[AsRunLine]] = defaultdict(list)
    for line in lines:
        if line.kind is Aired.SHOT and line.landing is not None:
            evenings[date_of(line, utc_offset_s)].append(line)
    return tuple((date, tally_of(those)) for date, those in sorted(evenings.items()))


def lines_of_last(lines: Sequence[AsRunLine], utc_offset_s: float) -> tuple[AsRunLine, ...]:
    """Those of the last evening; see `by_evening`."""
    last = max((date_of(line, utc_offset_s) for line in lines if line.landing is not None), default="")
    return tuple(line for line in lines if date_of(line, utc_offset_s) == last)


def date_of(line: AsRunLine, utc_offset_s: float) -> str:
    """The date of its evening, as 2026-11-28."""
    return datetime.fromtimestamp(line.wall_s + utc_offset_s - NEW_DAY_S, UTC).date().isoformat()


def tally_of(lines: Iterable[AsRunLine]) -> Tally:
    """Of some lines of the log; those that are no takes are passed over."""
    takes = [(line, line.landing) for line in lines if line.landing is not None]
    held = [landing.held_s for _, landing in takes if landing.held_s > SOON_S]
    return Tally(
        takes=len(takes),
        landed=sum(landing.landed for _, landing in takes),
        held=len(held),
        held_s=round(sum(held), 2),
        forced=sum(landing.forced for _, landing in takes),
        late=sum(not landing.landed for _, landing in takes),
    )
