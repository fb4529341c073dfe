"""What would help most: changes of the show, each tried in a rehearsal of the same evening before it is proposed."""

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from ribalta.core.engine.dryrun.evening import SOON_S, Asked, Waited, rehearse_evening
from ribalta.core.planning.matching_view import same_view
from ribalta.core.show.document.model import LETTERS, Framing, Show

MOST, FRAMINGS, TRIED_AGAIN, EARLIER_S, PAGES = 3, 6, 8, 2.0, 10
MOST_TAKES = 800  # the last ones of an evening; each is rehearsed dozens of times
WORTH_S = 0.5  # less is not worth a change
STORED_FIRST = 0.8  # a framing that is stored once is preferred to hands that have to be quicker every time
Also = Mapping[str, tuple[str, ...]]


@dataclass(frozen=True, slots=True)
class Proposal:
    """`camera` is the number of the other camera on which framing `framing_id` is to be stored too; 0: it is to be
    readied `EARLIER_S` earlier. `before` and `after` are (waits, seconds of waiting) of that framing; `saves_s` is what
    all of the evening would have waited less, with those before it."""

    framing_id: str
    camera: int
    words: str
    before: tuple[int, float]
    after: tuple[int, float]
    saves_s: float


@dataclass(frozen=True)
class _Change:
    """A change that may help: the show with it, and what else is done otherwise."""

    framing: Framing
    camera: int
    show: Show
    also: Also
    earlier: Mapping[str, float]

    @property
    def key(self) -> tuple[str, int]:
        return self.framing.id, self.camera


@dataclass(frozen=True)
class _Tried:
    made: _Change
    waited: tuple[Waited, ...]
    saves_s: float

    @property
    def worth(self) -> float:
        return self.saves_s if self.made.camera else self.saves_s * STORED_FIRST


@dataclass(frozen=True)
class Proposals:
    """`held_s` is what the evening waits in its rehearsal as it was, `foretold_s` with all proposals; `takes` were
    rehearsed."""

    takes: int
    held_s: float
    foretold_s: float
    found: tuple[Proposal, ...]


def proposals_for(
    show: Show, asked: Sequence[Asked], went_on: Callable[[str, float], None] = lambda *_: None
) -> Proposals:
    """At most three, the most helpful first. `went_on` is told what is tried and which share is over; what it raises
    ends it."""
    asked = asked[-MOST_TAKES:]
    went_on("Rehearsing the evening as it was", 0.0)
    before = rehearse_evening(show, asked)
    whole_s, now, found = _sum(before), before, list[Proposal]()
    tried = show
    also: Also = {}
    earlier: Mapping[str, float] = {}
    keys: list[tuple[str, int]] | None = None  # those that helped in the first round are tried again in the others
    for k in range(MOST):
        helped = list[_Tried]()
        candidates = [c for c in _candidates(tried, now, also, earlier) if keys is None or c.key in keys]
        for n, one in enumerate(candidates):
            went_on(f"Trying “{one.framing.name}”", (k + n / len(candidates)) / MOST)
            after = rehearse_evening(one.show, asked, one.also, one.earlier)
            saves_s = _sum(now) - _sum(after)
            if saves_s >= WORTH_S:
                helped.append(_Tried(one, after, saves_s))
        if not helped:
            break
        helped.sort(key=lambda one: -one.worth)
        keys = keys or [one.made.key for one in helped[:TRIED_AGAIN]]
        best = helped[0]
        framing, camera = best.made.framing, best.made.camera
        before_it, after_it = _of(now, framing.id), _of(best.waited, framing.id)
        words = _words(framing, camera, before_it, after_it)
        found.append(Proposal(framing.id, camera, words, before_it, after_it, round(best.saves_s, 2)))
        tried, also, earlier, now = best.made.show, best.made.also, best.made.earlier, best.waited
    return Proposals(len(asked), round(whole_s, 2), round(_sum(now), 2), tuple(found))


def with_proposals(show: Show, found: Sequence[Proposal]) -> tuple[Show, Also, Mapping[str, float]]:
    """The show with some proposals, the framings that show the same by framing, and those that are readied earlier."""
    also, earlier = dict[str, tuple[str, ...]](), dict[str, float]()
    for one in found:
        framing = show.framing(one.framing_id)
        if framing is None:
            continue
        if not one.camera:
            earlier[framing.id] = EARLIER_S
            continue
        made = _stored(show, framing, one.camera)
        if made is not None:
            show, copy = made
            also[framing.id] = (*also.get(framing.id, ()), copy.id)
    return show, also, earlier


def _candidates(show: Show, waited: Sequence[Waited], also: Also, earlier: Mapping[str, float]) -> Iterator[_Change]:
    """For those framings that were waited for longest: on each other camera too, or readied earlier."""
    seconds: defaultdict[str, float] = defaultdict(float)
    for one in waited:
        seconds[one.framing_id] += one.held_s
    worst = sorted((key for key in seconds if seconds[key] >= WORTH_S), key=lambda key: -seconds[key])[:FRAMINGS]
    for framing in (f for f in map(show.framing, worst) if f is not None):
        has = {f.camera_id for f in map(show.framing, (framing.id, *also.get(framing.id, ()))) if f is not None}
        for camera in show.cameras:
            if camera.steered and not camera.recall_only and camera.id not in has:
                made = _stored(show, framing, camera.number)
                if made is not None:
                    more = {**also, framing.id: (*also.get(framing.id, ()), made[1].id)}
                    yield _Change(framing, camera.number, made[0], more, earlier)
        if framing.id not in earlier:
            yield _Change(framing, 0, show, also, {**earlier, framing.id: EARLIER_S})


def _stored(show: Show, framing: Framing, number: int) -> tuple[Show, Framing] | None:
    """The same view stored on another camera; None where it is out of its reach, or has no place left."""
    camera, other = show.camera(framing.camera_id), show.camera_numbered(number)
    if camera is None or other is None:
        return None
    try:
        view = same_view(show, camera, framing, other)
    except ValueError:
        return None
    used = {f.slot for f in show.framings if f.camera_id == other.id}
    slot = next((k for k in range(PAGES * len(LETTERS)) if k not in used), None)
    if view.why_not or slot is None:
        return None
    aim = {"pan_deg": view.aim.pan_deg, "tilt_deg": view.aim.tilt_deg, "zoom": view.aim.zoom}
    copy = framing.model_copy(update={"id": f"f{show.next_number}", "camera_id": other.id, "slot": slot, **aim})
    return show.with_framing(copy).model_copy(update={"next_number": show.next_number + 1}), copy


def _sum(waited: Sequence[Waited]) -> float:
    return sum(one.held_s for one in waited)


def _of(waited: Sequence[Waited], framing_id: str) -> tuple[int, float]:
    held = [one.held_s for one in waited if one.framing_id == framing_id and one.held_s > SOON_S]
    return len(held), round(sum(held), 2)


def _words(framing: Framing, camera: int, before: tuple[int, float], after: tuple[int, float]) -> str:
    does = (
        f"Store “{framing.name}” on camera {camera} too"
        if camera
        else f"Ready “{framing.name}” {EARLIER_S:g} s earlier, or put it into Then"
    )
    return f"{does}: {_waits(before)} would have been {_waits(after)}"


def _waits(counted: tuple[int, float]) -> str:
    count, seconds = counted
    if not count:
        return "none"
    return f"{count} wait{'' if count == 1 else 's'} of {seconds / count:.1f} s"
