"""Which framing of a mark to take now: all of them ranked, each with its reasons as a short sum.

What counts is how well it fits, how long its camera needs, whether that camera is on air, reserved or out of contact,
whether the cut would jump or cross the line, and what was seen lately.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from ribalta.core.engine.program.landing import time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.fit import fit_of_framing
from ribalta.core.planning.planning_problem import Rules, jumps, side_of, viewed
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Framing, Mark, Show

PER_SECOND, MOST_OF_TRAVEL = 5.0, 40.0
ON_AIR, RESERVED, JUMP, CROSSES, LATELY = 60.0, 50.0, 30.0, 25.0, 10.0
FOR_ANOTHER, MOST_OF_OTHERS = 12.0, 36.0
LATELY_S = 20.0
UNKNOWN_FIT = 50


OWN_FIT = "your fit"
HOW_WELL = ((90, "shows them very well"), (75, "shows them well"), (55, "shows them"), (-1000, "hardly shows them"))


@dataclass(frozen=True, slots=True)
class Choice:
    """A framing that shows the mark; `reasons` add up to `score`. Not `possible`: its camera does not answer."""

    framing: Framing
    shot: Shot
    score: int
    reasons: tuple[tuple[str, int], ...]
    seconds: float | None
    possible: bool

    @property
    def words(self) -> str:
        """“shows them very well, 1.2 s away, was on air just now”: what counts, and not how it is added up."""
        (called, fit), *others = self.reasons
        how = next(words for least, words in HOW_WELL if fit >= least)
        first = f"{how}, by your own rating" if called == OWN_FIT else how
        return ", ".join([first, *(name for name, _ in others)])


def showing(show: Show) -> Mapping[str, tuple[Framing, ...]]:
    """The framings by what they show, whoever else is in them."""
    return show.memo.of("showing", show.framings, lambda: _showing(show.framings))


def _showing(framings: tuple[Framing, ...]) -> Mapping[str, tuple[Framing, ...]]:
    found: dict[str, list[Framing]] = {}
    for framing in framings:
        for mark_id in framing.mark_ids:
            found.setdefault(mark_id, []).append(framing)
    return {mark_id: tuple(those) for mark_id, those in found.items()}


def mark_numbered(state: LiveState, number: int) -> Mark | None:
    """Marks are numbered in the order in which the show has them, from 1."""
    marks = state.show.marks
    return marks[number - 1] if 1 <= number <= len(marks) else None


def choices(state: LiveState, mark_id: str, now_s: float) -> tuple[Choice, ...]:
    """The best first; what cannot be had now last."""
    seen_s = _seen_lately(state, now_s)
    found = [_choice(state, framing, mark_id, now_s, seen_s) for framing in showing(state.show).get(mark_id, ())]
    return tuple(sorted(found, key=lambda c: (not c.possible, -c.score, c.framing.id)))


def _seen_lately(state: LiveState, now_s: float) -> dict[str, float]:
    """How long ago each framing went on air, of the last few."""
    found: dict[str, float] = {}
    for record in reversed(state.program.records[-12:]):
        if record.shot.framing_id is not None and now_s - record.at_s < LATELY_S:
            found.setdefault(record.shot.framing_id, now_s - record.at_s)
    return found


def _choice(state: LiveState, framing: Framing, mark_id: str, now_s: float, seen_s: Mapping[str, float]) -> Choice:
    shot = Shot(framing.camera_id, framing.id)
    fit = fit_of_framing(state.show, framing)
    called = OWN_FIT if framing.rating is not None else "fit"
    reasons: list[tuple[str, int]] = [(called, fit if fit is not None else UNKNOWN_FIT)]
    others = len(framing.mark_ids) - 1
    if others:
        words = "with another" if others == 1 else f"with {others} others"
        reasons.append((words, -round(min(MOST_OF_OTHERS, FOR_ANOTHER * others))))
    on_air = state.on_air(framing.camera_id)
    seconds = time_to_set_s(state, shot, now_s) if not on_air else None
    live = state.live(framing.camera_id)
    if on_air:
        reasons.append(("on air", -round(ON_AIR)))
    elif seconds is not None and seconds > 0.05:
        reasons.append((f"{seconds:.1f} s away", -round(min(MOST_OF_TRAVEL, PER_SECOND * seconds))))
    kept_for = state.automation.reserved.get(framing.camera_id)
    if kept_for is not None and kept_for != mark_id:
        mark = state.show.mark(kept_for)
        reasons.append((f"reserved for {mark.name if mark is not None else 'another'}", -round(RESERVED)))
    if _jumps(state, framing):
        reasons.append(("would jump against what is on air", -round(JUMP)))
    if _crosses(state, framing, mark_id):
        reasons.append(("crosses the line", -round(CROSSES)))
    if framing.id in seen_s and not on_air:
        reasons.append(("was on air just now", -round(LATELY * (1 - seen_s[framing.id] / LATELY_S))))
    return Choice(framing, shot, sum(value for _, value in reasons), tuple(reasons), seconds, live.answers or on_air)


def _jumps(state: LiveState, framing: Framing) -> bool:
    """Against what is on air: the same subject from nearly the same place, at nearly the same size."""
    program = state.framing(state.program.on_air)
    if program is None or program.id == framing.id or not program.mark_ids:
        return False
    rules = Rules()
    return jumps(viewed(state.show, program, 0.0, rules), viewed(state.show, framing, 0.0, rules), rules)


def _crosses(state: LiveState, framing: Framing, mark_id: str) -> bool:
    """Is one person on air, and would another be seen from across the line between the two?"""
    program = state.framing(state.program.on_air)
    if program is None or len(program.mark_ids) != 1 or program.mark_id == mark_id:
        return False
    one, other = state.show.mark(program.mark_ids[0]), state.show.mark(mark_id)
    now, then = state.show.camera(program.camera_id), state.show.camera(framing.camera_id)
    if one is None or other is None or now is None or then is None or len(framing.mark_ids) != 1:
        return False
    sides = [side_of(one, other, camera.place.x_m, camera.place.y_m) for camera in (now, then)]
    return sides[0] * sides[1] < 0


def best(state: LiveState, mark_id: str, now_s: float, place: int = 0) -> Choice | None:
    """The best that can be had now, or the next best; from the last one it goes back to the first."""
    found = [c for c in choices(state, mark_id, now_s) if c.possible and not state.on_air(c.framing.camera_id)]
    return found[place % len(found)] if found else None
