"""Which camera the letters are for: by its number, in banks of nine."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import BANK, CameraParams, camera_meant, in_bank
from ribalta.core.engine.actions.program.switching import ready_camera
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.guests import GUEST_HAND
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.guests import RANKS, Role
from ribalta.core.show.automation.calls import Call, following_items
from ribalta.core.show.document.model import Camera

TWICE_S = 3.0  # so soon after the first, a second press of its number readies a camera as it stands


class RowKeyParams(Params):
    """`hand` is that of the guest who asks."""

    number: Annotated[int, Field(ge=1, le=BANK, description="of the key: a camera of the bank that is shown")]
    hand: Annotated[str, Field(max_length=60)] = ""


class BankParams(Params):
    by: Annotated[int, Field(ge=-9, le=9)]


def select(state: LiveState, params: CameraParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    return Outcome(state.with_desk(row=camera.id, numbered_at_s=None))


def by_number(state: LiveState, params: RowKeyParams, now_s: float) -> Outcome:
    """Select a camera for the letters. A fixed one is readied, and a steered one when its number comes twice, unless it
    is a guest's key that may not ready."""
    camera = camera_meant(state, in_bank(state, params.number))
    guest = state.guests.here.get(params.hand.removeprefix(GUEST_HAND))
    if guest is not None and RANKS[guest.role] < RANKS[Role.DEPUTY]:
        return select(state, CameraParams(camera=camera.number), now_s)
    if _readies(state, camera, now_s):
        return ready_camera(state, CameraParams(camera=camera.number), now_s)
    return Outcome(state.with_desk(row=camera.id, numbered_at_s=now_s))


def _readies(state: LiveState, camera: Camera, now_s: float) -> bool:
    before_s = state.desk.numbered_at_s
    twice = state.desk.row == camera.id and before_s is not None and now_s - before_s <= TWICE_S
    return twice or not camera.steered


def _recorded(state: LiveState, params: RowKeyParams, now_s: float) -> Call | None:
    """A macro gets what was readied; the letters that follow a number say their camera themselves."""
    camera = state.show.camera_numbered(in_bank(state, params.number))
    if camera is None or not _readies(state, camera, now_s):
        return None
    return following_items(state.show, Call(action="ready.camera", arguments={"camera": camera.number}))


def bank(state: LiveState, params: BankParams, now_s: float) -> Outcome:
    """Which nine cameras the number keys are, among those banks that have any."""
    there = sorted({(c.number - 1) // BANK for c in state.show.cameras})
    if len(there) < 2:
        raise ActionRefused("Every camera has its number key already: there is only one bank.")
    at = there.index(state.desk.bank) if state.desk.bank in there else 0
    return Outcome(state.with_desk(bank=there[(at + params.by) % len(there)], numbered_at_s=None))


def _words(state: LiveState, params: RowKeyParams) -> str:
    return f"Select camera {in_bank(state, params.number)}"


ACTIONS = (
    Action(
        "row.key",
        "Select camera {number} for the letters; again: ready it as it stands",
        RowKeyParams,
        by_number,
        {str(n): {"number": n} for n in range(1, BANK + 1)},
        says=_words,
        recorded=_recorded,
        role=Role.WATCHER,
    ),
    Action(
        "row.select", "Select camera {camera} for the letters", CameraParams, select, names_row=True, role=Role.WATCHER
    ),
    Action(
        "board.bank",
        "The number keys are the next nine cameras",
        BankParams,
        bank,
        {"`": {"by": 1}, "Shift+`": {"by": -1}},
        recordable=False,
        role=Role.WATCHER,
    ),
)
