"""A first evening: what somebody who has never directed does next, and why, from how the show stands.

Nothing is remembered: each piece of advice follows from the state, so it is right after a detour, an undo or a crash.
"""

from collections.abc import Callable, Collection
from dataclasses import dataclass

from ribalta.core.engine.state.crew_lists import is_closed, standing
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import Shot
from ribalta.core.ports.troubles import REFUSED_LOGIN
from ribalta.core.show.document.model import Camera, Framing

FRAMINGS, TAKES = 2, 6
COVER_KEY, TAKE_KEY = "Tab", "Space"


@dataclass(frozen=True, slots=True)
class Advice:
    """`does` is what to press now, `why` what for. `view` and `page` are where it is done. `number` counts the steps
    from 1; `of` is how many there are; `key` is what it is skipped by."""

    key: str
    does: str
    why: str
    view: str
    page: str
    number: int
    of: int


def advise(state: LiveState, now_s: float, skipped: Collection[str] = ()) -> Advice | None:
    """What to do now; None when the evening is over. `skipped` are keys of steps that are not wanted."""
    for k, (key, found) in enumerate(STEPS, 1):
        if key in skipped:
            continue
        said = found(state, now_s)
        if said is not None:
            does, why, view, page = said
            return Advice(key, does, why, view, page, k, len(STEPS))
    return None


Said = tuple[str, str, str, str] | None  # what to do, why, view, page


def _cameras(state: LiveState, now_s: float) -> Said:
    if state.show.cameras:
        return None
    does = "Press F2 for Rig, then Find cameras and Ask the network. When the list stands still, press Add all."
    return does, "The desk cuts between cameras, so it has to reach them first.", "Rig", "Cameras"


def _answers(state: LiveState, now_s: float) -> Said:
    for camera in sorted(state.show.cameras, key=lambda c: c.number):
        live = state.live(camera.id)
        if live.trouble == REFUSED_LOGIN:
            does = (
                f"Camera {camera.number} wants a user and a password. In Rig (F2) select it, type both under Reach, and"
                " press Enter: the others that want them get them, too."
            )
            return (
                does,
                "Whoever set the cameras up knows them; they are kept in this machine's keyring.",
                "Rig",
                "Reach",
            )
        if not live.picture or (camera.steered and not live.answers):
            what = "has no picture" if not live.picture else "does not answer"
            does = f"Camera {camera.number} {what}. In Rig (F2) press Check all, and then Fix what can be fixed."
            return does, "The check says in words what is wrong, and often mends it by one press.", "Rig", "Cameras"
    return None


def _cover(state: LiveState, now_s: float) -> Said:
    if state.show.settings.cover_camera_id is not None or len(state.show.cameras) < 2:
        return None
    does = "In Rig, select the camera that sees everything, and press Make cover shot."
    why = f"Whatever happens, {COVER_KEY} goes to it at once: a safe wide, always one key away."
    return does, why, "Rig", "Cameras"


def _framings(state: LiveState, now_s: float) -> Said:
    steered = [c for c in sorted(state.show.cameras, key=lambda c: c.number) if c.steered]
    if not steered:
        return None
    counts = {c.id: sum(f.camera_id == c.id for f in state.show.framings) for c in steered}
    low = next((c for c in steered[:2] if counts[c.id] < FRAMINGS), None)
    if low is None:
        return None
    letter = "QWERTASDFG"[min(9, counts[low.id])]
    does = (
        f"Press F3 for Frame, then {low.number}. Click in the picture on what should be in its middle, turn the wheel"
        f" to zoom. When it looks right, press Shift+{letter}."
    )
    why = f"That stores a framing. Camera {low.number} has {counts[low.id]}: with {FRAMINGS} it can be cut to and from."
    return does, why, "Frame", "Aim"


def _opening(state: LiveState, now_s: float) -> Said:
    if state.program.records:
        return None
    step = next((row.step for row in standing(state, "opening", now_s) if not row.done), None)
    if step is None:
        return None
    does = f"Opening list (Shift+F4): {step.words}. Enter ticks it."
    return does, "It is what this crew does before doors, in its order.", "Check", "Opening list"


def _checked(state: LiveState, now_s: float) -> Said:
    if state.crew.checked_at_s is not None or state.program.records:
        return None
    does = "Press Shift+F4 for Check, then Check everything. It takes about half a minute."
    return does, "What would fail tonight is found now, while nobody is watching.", "Check", "Tonight"


def _ready(state: LiveState, now_s: float) -> Said:
    if state.program.next is not None or state.program.records:
        return None
    found = _other_shot(state)
    if found is None:
        return None
    camera, framing = found
    if framing is not None:
        does = f"Press F6 for Air. Press {camera.number}, then {framing.letter}: camera {camera.number} gets ready."
    else:
        does = f"Press F6 for Air. Press {camera.number}: it is Next."
    why = "Nothing is on air yet by that: it stands beside, as Next, and its lamps fill while it travels."
    return does, why, "Air", ""


def _take(state: LiveState, now_s: float) -> Said:
    if state.program.records:
        return None
    if state.program.held is not None:
        return (
            "Wait: the take comes by itself.",
            "The camera is still on its way, and nobody should see that.",
            "Air",
            "",
        )
    does = f"When the lamps below Next are full, press {TAKE_KEY}."
    return does, "That is the cut: what was Next is on air now.", "Air", ""


def _safe(state: LiveState, now_s: float) -> Said:
    cover = state.show.camera(state.show.settings.cover_camera_id or "")
    if cover is None or any(record.shot.camera_id == cover.id for record in state.program.records):
        return None
    does = f"Press {COVER_KEY}: the wide is on air. Do that whenever you do not know what comes next."
    return does, "From a wide nobody misses anything, and there is time to think.", "Air", ""


def _go_on(state: LiveState, now_s: float) -> Said:
    left = TAKES - len(state.program.records)
    if left <= 0:
        return None
    does = f"Number, letter, then {TAKE_KEY}: ready, take. {left} more to get used to it."
    why = f"The left hand readies, the right hand takes. {COVER_KEY} is always the safe wide."
    return does, why, "Air", ""


def _directing(state: LiveState, now_s: float) -> Said:
    """As long as the show lasts."""
    if is_closed(state):
        return None
    does = f"You are directing. {COVER_KEY} is always the safe wide. When it is over: Shift+F6, Close down, and hold."
    return (
        does,
        "Holding it ends stream and recording and proves them, and sends the cameras home.",
        "Wrap",
        "Close down",
    )


def _closing(state: LiveState, now_s: float) -> Said:
    step = next((row.step for row in standing(state, "closing", now_s) if not row.done), None)
    if step is None:
        return None
    does = f"Closing list (Shift+F6): {step.words}. Enter ticks it."
    return does, "Then the hall can be left.", "Wrap", "Closing list"


def _other_shot(state: LiveState) -> tuple[Camera, Framing | None] | None:
    """A shot of a camera that is not on air: at a framing if there is one."""
    on_air = state.program.on_air or Shot("")
    cameras = [c for c in sorted(state.show.cameras, key=lambda c: c.number) if c.id != on_air.camera_id]
    for camera in cameras:
        framing = next((f for f in state.show.framings if f.camera_id == camera.id and f.page == 0), None)
        if framing is not None and state.live(camera.id).answers:
            return camera, framing
    return (cameras[0], None) if cameras else None


STEPS: tuple[tuple[str, Callable[[LiveState, float], Said]], ...] = (
    ("cameras", _cameras),
    ("answers", _answers),
    ("cover", _cover),
    ("framings", _framings),
    ("opening", _opening),
    ("check", _checked),
    ("ready", _ready),
    ("take", _take),
    ("safe", _safe),
    ("go on", _go_on),
    ("directing", _directing),
    ("closing", _closing),
)
