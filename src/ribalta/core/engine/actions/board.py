"""How actions say which camera and framing they mean."""

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused, NextStep
from ribalta.core.engine.state.action import Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.model import LETTERS, Camera, Framing

BANK = 9  # number keys, and so cameras of a bank
CameraNumber = Annotated[int, Field(ge=1, le=99, description="the camera's number")]


class CameraParams(Params):
    camera: CameraNumber


class FramingParams(Params):
    """A place on the board: the row (the one last named when left out) and its letter, on a page from 0."""

    camera: CameraNumber | None = None
    letter: Annotated[str, Field(pattern=f"^[{LETTERS}]$")]
    page: Annotated[int, Field(ge=0, le=99)] | None = None

    def slot(self, state: LiveState) -> int:
        """Its place among the camera's framings, from 0."""
        page = state.desk.page if self.page is None else self.page
        return page * len(LETTERS) + LETTERS.index(self.letter)


def in_bank(state: LiveState, key: int) -> int:
    """The camera's number that a number key means, in the bank that is shown."""
    return state.desk.bank * BANK + key


def camera_meant(state: LiveState, number: int | None) -> Camera:
    """Raises ActionRefused when there is no such camera."""
    if number is None:
        camera = state.show.camera(state.desk.row) if state.desk.row else None
        if camera is None:
            raise ActionRefused("No camera is selected yet: press its number first.")
        return camera
    camera = state.show.camera_numbered(number)
    if camera is None:
        have = ", ".join(str(c.number) for c in sorted(state.show.cameras, key=lambda c: c.number))
        raise ActionRefused(f"There is no camera {number}. This show has: {have or 'none yet'}.")
    return camera


def camera_named(state: LiveState, params: Any) -> tuple[str, ...]:
    """The id of the camera that an action names: for rows that touch one."""
    return (camera_meant(state, params.camera).id,)


def framing_meant(state: LiveState, params: FramingParams) -> Framing:
    """Raises ActionRefused when that place is empty."""
    camera = camera_meant(state, params.camera)
    framing = state.show.framing_at(camera.id, params.slot(state))
    if framing is None:
        if not camera.steered:
            raise ActionRefused(f"Camera {camera.number} is fixed and has no framings: press {camera.number} for it.")
        raise ActionRefused(
            f"Camera {camera.number} has nothing on {params.letter}. Steer it, then Shift+{params.letter} to store."
        )
    return framing


def place_of(camera: Camera, framing: Framing) -> tuple[tuple[str, str | int], ...]:
    """The arguments by which an action means this framing."""
    return (("camera", camera.number), ("letter", framing.letter), ("page", framing.page))


def locked(state: LiveState, framing: Framing) -> ActionRefused:
    """Why a framing stays as it is, and how it is unlocked."""
    camera = state.show.camera(framing.camera_id)
    step = NextStep("Unlock it", "framing.lock", place_of(camera, framing)) if camera is not None else None
    return ActionRefused(f"“{framing.name}” is locked: unlock it first, or store on another letter.", step)


def framing_words(verb: str) -> Callable[[LiveState, FramingParams], str]:
    """How an action on a framing is put into words: “Ready 2 E “Hands”” for the verb “Ready”."""

    def says(state: LiveState, params: FramingParams) -> str:
        try:
            framing = framing_meant(state, params)
        except ActionRefused:
            return ""
        camera = state.show.camera(framing.camera_id)
        return f"{verb.format(camera=camera.number if camera else '?')} “{framing.name}”"

    return says


def reachable_framing_meant(state: LiveState, params: FramingParams) -> Framing:
    """Raises ActionRefused also when the camera's head cannot go there: such a cut would never land."""
    framing = framing_meant(state, params)
    camera = state.show.camera(framing.camera_id)
    if camera is not None and camera.recall_only and framing.memory is None:
        raise ActionRefused(
            f"“{framing.name}” is in none of camera {camera.number}'s own memories: aim the camera and store it again."
        )
    if camera is not None and camera.head is not None:
        _, met = camera.head.limits.clamp(framing.aim)
        if met:
            raise ActionRefused(
                f"“{framing.name}” is out of reach of camera {camera.number}: {', '.join(met)}."
                " Steer the camera and store it again."
            )
    return framing
