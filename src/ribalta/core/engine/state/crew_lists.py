"""The crew's lists as they stand: which steps are done, by hand or because the desk can see it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta, timezone

from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.crew_lists import ListStep, Seen
from ribalta.core.show.document.scenes import Title

LISTS: Mapping[str, str] = {"opening": "Opening list", "closing": "Closing list"}


@dataclass(frozen=True, slots=True)
class StepState:
    """A step, whether it is done, and whether the desk saw that by itself."""

    step: ListStep
    done: bool
    by_itself: bool


def steps_of(state: LiveState, name: str) -> tuple[ListStep, ...]:
    """Of "opening" or "closing"."""
    found: tuple[ListStep, ...] = state.show.opening if name == "opening" else state.show.closing
    return found


def standing(state: LiveState, name: str, now_s: float) -> tuple[StepState, ...]:
    """How each step of a list stands. `now_s` is the show's clock."""
    rows = []
    for step in steps_of(state, name):
        seen = step.seen is not Seen.BY_HAND and is_so(state, step.seen, now_s)
        rows.append(StepState(step, seen or step.id in state.crew.ticked, seen))
    return tuple(rows)


def is_so(state: LiveState, seen: Seen, now_s: float) -> bool:
    """Whether the desk sees something now."""
    program, crew = state.program, state.crew
    match seen:
        case Seen.CAMERAS:
            lives = [(camera, state.live(camera.id)) for camera in state.show.cameras]
            return bool(lives) and all(live.picture and (live.answers or not c.steered) for c, live in lives)
        case Seen.CHECKED:
            return crew.checked_at_s is not None and crew.stops == 0
        case Seen.TITLES:
            wall_s = now_s + state.wall_clock.offset_s
            return not any(is_old(state, title, wall_s) for title in state.show.titles)
        case Seen.COVER:
            cover = state.show.settings.cover_camera_id
            return cover is not None and program.on_air is not None and program.on_air.camera_id == cover
        case Seen.LANDED:
            return any(record.landed for record in program.records)
        case Seen.RECORDING:
            return state.output("recording").on
        case Seen.STREAMING:
            return state.output("stream").on
        case Seen.BLACK:
            return program.black.black
        case Seen.NOTHING_OVER:
            return not program.overlays.in_use
        case Seen.NOTHING_RUNS:
            return not state.automation.runs and state.automation.playlist is None
        case Seen.NOT_RECORDED:
            return not state.output("recording").on
        case Seen.NOT_STREAMED:
            return not state.output("stream").on
        case Seen.CLOSED:
            return is_closed(state)
        case Seen.BY_HAND:
            return False


def is_old(state: LiveState, title: Title, wall_s: float) -> bool:
    """Was a title last changed on another day than that of `wall_s` (seconds since 1970)? It may be old."""
    if title.changed_at_s is None:
        return True
    zone = timezone(timedelta(seconds=state.wall_clock.utc_offset_s))
    return datetime.fromtimestamp(title.changed_at_s, zone).date() != datetime.fromtimestamp(wall_s, zone).date()


def is_closed(state: LiveState) -> bool:
    """Was the evening ended, and has nothing been taken since?"""
    return state.crew.closed_takes == state.program.takes
