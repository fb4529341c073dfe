"""An evening again, in hand-wound time: what was readied and taken then, at the same times, in a show that may have
been changed since."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from ribalta.core.engine.dryrun.rehearsal import Rehearsal, all_there
from ribalta.core.engine.program.landing import time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.as_run import Aired, AsRunLine
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Framing, Show

LONGEST_WAIT_S, STEP_S, LEAD_S = 20.0, 0.05, 0.5
SOON_S = 0.05


@dataclass(frozen=True, slots=True)
class Asked:
    """A take of an evening: when its shot was readied and when it was asked for (clock time); `framing_id` is empty
    for a camera as it stands."""

    ready_s: float
    take_s: float
    camera_id: str
    framing_id: str


@dataclass(frozen=True, slots=True)
class Waited:
    """How long a take waited for its camera, of what."""

    held_s: float
    framing_id: str


def asked_of(lines: Sequence[AsRunLine]) -> tuple[Asked, ...]:
    """The takes of a log; those of scenes and media, which no camera has to travel for alone, are passed over."""
    found = []
    for line in lines:
        landing = line.landing
        if line.kind is Aired.SHOT and landing is not None and line.camera_id and landing.error_percent is not None:
            take_s = line.at_s - landing.held_s
            lead_s = landing.lead_s if landing.lead_s is not None else LEAD_S
            found.append(Asked(take_s - lead_s, take_s, line.camera_id, line.framing_id))
        elif line.kind is Aired.SHOT and landing is not None and line.camera_id:
            found.append(Asked(line.at_s - LEAD_S, line.at_s, line.camera_id, ""))
    return tuple(found)


def rehearse_evening(
    show: Show,
    asked: Sequence[Asked],
    also: Mapping[str, Sequence[str]] | None = None,
    earlier_s: Mapping[str, float] | None = None,
    went_on: Callable[[float], None] = lambda _: None,
) -> tuple[Waited, ...]:
    """How long each take would have waited, in order. `also` are framings that show the same, by framing: whoever
    directs takes the one that is set sooner. `earlier_s`: framings that are readied so much earlier. `went_on` is told
    the share that is over, and what it raises ends it."""
    others, earlier = also or {}, earlier_s or {}
    quiet = show.model_copy(update={"triggers": ()})  # what they did is among what was asked
    world = Rehearsal(all_there(quiet), asked[0].ready_s - 1.0 if asked else 0.0)
    found: list[Waited] = []
    for k, one in enumerate(asked):
        before_s = asked[k - 1].take_s if k else float("-inf")
        ready_s = max(before_s + SOON_S, one.ready_s - earlier.get(one.framing_id, 0.0))
        world.go_on(max(world.now_s, ready_s))
        _wait(world)
        framing = _sooner(world.engine.state, show, one, others.get(one.framing_id, ()), world.now_s)
        camera = show.camera(framing.camera_id if framing is not None else one.camera_id)
        if camera is None:
            continue
        if framing is not None:
            place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
            world.act("ready.framing", place)
        else:
            world.act("ready.camera", {"camera": camera.number})
        world.go_on(max(world.now_s, one.take_s))
        count = len(world.records)
        world.act("take", {})
        _wait(world)
        held_s = world.records[-1].held_s if len(world.records) > count else 0.0
        found.append(Waited(round(held_s, 3), one.framing_id))
        if k % 20 == 0:
            went_on(k / len(asked))
    return tuple(found)


def _wait(world: Rehearsal) -> None:
    """Until no take is held, as whoever directs would; one that never comes is let go."""
    end_s = world.now_s + LONGEST_WAIT_S
    while world.engine.state.program.held is not None and world.now_s < end_s:
        world.go_on(world.now_s + STEP_S)
    if world.engine.state.program.held is not None:
        world.act("take.release", {})


def _sooner(state: LiveState, show: Show, one: Asked, others: Sequence[str], now_s: float) -> Framing | None:
    """Of a framing and those that show the same, the one that is set soonest, of cameras that are not on air."""
    mine = show.framing(one.framing_id)
    if mine is None:
        return None
    choices = [mine, *(f for f in map(show.framing, others) if f is not None and not state.on_air(f.camera_id))]
    if state.on_air(mine.camera_id) and len(choices) > 1:
        choices = choices[1:]

    def needs_s(framing: Framing) -> float:
        seconds = time_to_set_s(state, Shot(framing.camera_id, framing.id), now_s)
        return seconds if seconds is not None else float("inf")

    return min(choices, key=needs_s)
