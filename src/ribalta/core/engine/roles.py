"""What a guest may do: the one place where that is decided, from what an action declares (its role, and which cameras
it touches) and from the invitation. Pages and stations hide what is not allowed, and nothing relies on that."""

from dataclasses import replace

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.state.action import Action, Outcome, Params
from ribalta.core.engine.state.guests import GUEST_HAND
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import PEOPLE, By, Cause
from ribalta.core.ports.guests import RANKS, Guest, Role
from ribalta.core.ports.messages import DeskAsked

GONE = "This invitation was taken back, or is over: nothing was done."


def allowed(state: LiveState, row: Action, params: Params, cause: Cause, now_s: float) -> Params:
    """The arguments as whoever asks may have them. Raises ActionRefused when they may not."""
    if row.role is Role.DOOR:
        if cause.by is not By.GUEST or cause.guest:
            raise ActionRefused(f"“{row.sentence}” is what the guests' door says, and nobody else.")
        return params
    if not cause.guest:
        if row.role is Role.DIRECTOR and cause.by not in PEOPLE:
            raise ActionRefused(f"“{row.sentence}” is done by people, not by a {cause.by}.")
        return params
    guest = guest_meant(state, cause.guest, now_s)
    if RANKS[guest.role] < RANKS[row.role]:
        raise ActionRefused(f"“{row.sentence}” is not for {guest.name}: {_is_for(row.role, guest)}.")
    if row.at_desk:
        raise ActionRefused(f"“{row.sentence}” is done at a desk of one's own.")
    for camera_id in row.touches(state, params) if row.touches is not None else ():
        may_touch(state, guest, camera_id, now_s)
    if "hand" in type(params).model_fields:
        params = params.model_copy(update={"hand": GUEST_HAND + guest.id})
    return params


def guest_meant(state: LiveState, guest_id: str, now_s: float) -> Guest:
    """Raises ActionRefused when there is no such guest any more."""
    guest = state.guests.here.get(guest_id)
    invitation = state.guests.invitations.get(guest.invitation) if guest is not None else None
    over = invitation is None or invitation.is_over(now_s)
    if guest is None or over or not state.guests.open:
        raise ActionRefused(GONE)
    return guest


def _is_for(role: Role, guest: Guest) -> str:
    if guest.role is Role.WATCHER:
        return "a watcher only watches"
    return "only the director does that" if role is Role.DIRECTOR else f"it takes a {role}"


def may_touch(state: LiveState, guest: Guest, camera_id: str, now_s: float) -> None:
    """Raises ActionRefused when a camera is none of a guest's, or somebody else holds it."""
    camera = state.show.camera(camera_id)
    called = f"Camera {camera.number}" if camera is not None else "That camera"
    if not guest.may_touch(camera_id):
        raise ActionRefused(f"{called} is not among those of {guest.name}.")
    holder = state.guests.holder(camera_id, now_s)
    if holder is not None and holder.id != guest.id:
        left_s = state.guests.holds[camera_id].until_s - now_s
        raise ActionRefused(f"{called} is held by {holder.name} for {max(1, round(left_s))} s more.")


def within(
    state: LiveState, row: Action, cause: Cause, moved: tuple[str, ...], outcome: Outcome, now_s: float
) -> Outcome:
    """What came of it, once more looked at: an operator moves no camera but those it was given, whatever an action
    declared, and nothing is asked of the director's desk. Raises ActionRefused."""
    guest = state.guests.here.get(cause.guest)
    if guest is None or row.role is Role.DOOR:
        return outcome
    if guest.role is not Role.DEPUTY:
        for camera_id in moved:
            may_touch(state, guest, camera_id, now_s)
    events = tuple(event for event in outcome.events if not isinstance(event, DeskAsked))
    return replace(outcome, events=events) if len(events) < len(outcome.events) else outcome
