"""What a row of the board is looked through for: it is painted anew when that has changed."""

from dataclasses import dataclass

from ribalta.core.engine.program.landing import parts, stands
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.model import Camera


@dataclass(frozen=True, eq=False)
class Same:
    """Equal only to what has the very same value in it: values of the live state are replaced, never changed."""

    value: object

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and self.value is other.value

    def __hash__(self) -> int:
        return id(self.value)


def row_looks(state: LiveState, camera: Camera) -> tuple[object, ...]:
    """What a row depends on of what is on air, next and under Then."""
    shown = [parts(state, there) if there is not None else () for there in (state.program.on_air, state.program.next)]
    own = tuple(tuple(s for s in shots if s.camera_id == camera.id) for shots in (*shown, state.program.then))
    return own, state.desk.row == camera.id


def live_looks(state: LiveState, camera: Camera, now_s: float) -> tuple[object, ...]:
    """What a row depends on of its camera: where it is and goes, and whether it counts as set by now."""
    live = state.live(camera.id)
    own = int(5 * now_s) if live.due_s is not None or (camera.recall_only and live.expected_s > now_s) else 0
    known = (live.aim, live.velocity, live.goal, live.goal_framing_id, live.trim, live.answers, live.picture)
    return (*known, live.no_position, stands(state, camera, now_s), state.on_air(camera.id), own)


def blind_words(state: LiveState, camera: Camera) -> str:
    """Why this row's seconds are not read from where the camera is; empty when they are."""
    if camera.recall_only:
        return "own memories"
    return "no position" if state.live(camera.id).no_position else ""
