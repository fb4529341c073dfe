"""Guests and stations: the door is opened, somebody is invited, comes, holds a camera, is asked for a shot, goes."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.values import replaced, without
from ribalta.core.engine.actions.board import CameraNumber, CameraParams, camera_meant, camera_named
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.program.manual_control import overruled
from ribalta.core.engine.state.action import Action, Held, Outcome, Params
from ribalta.core.engine.state.guests import GUEST_HAND
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.guests import Guest, Hold, Invitation, Role, ShotAsked
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import ShotSize

MOST_INVITATIONS, MOST_GUESTS, MOST_ASKED = 50, 40, 20
LONGEST_MINUTES = 60 * 24 * 31
KEEP_MINUTES = 5.0
T = TypeVar("T")

Hash = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$", description="SHA-256, as hexadecimal digits")]
Id = Annotated[str, Field(max_length=40)]


class OpenParams(Params):
    """`on` None turns it over."""

    on: bool | None = None
    port: Annotated[int, Field(ge=1024, le=65535)] | None = None
    beyond: bool | None = None


class InviteParams(Params):
    """`cameras` by number, none for all; `minutes` None: until the show ends; `uses` 0: any number of people.
    `hears`: the sound of program and what the crew says; `talks`: may speak to the crew."""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    role: Literal[Role.WATCHER, Role.OPERATOR, Role.DEPUTY]
    code: Hash
    cameras: Annotated[tuple[CameraNumber, ...], Field(max_length=99)] = ()
    minutes: Annotated[float, Field(gt=0, le=LONGEST_MINUTES, allow_inf_nan=False)] | None = None
    uses: Annotated[int, Field(ge=0, le=MOST_GUESTS)] = 1
    hears: bool = False
    talks: bool = False


class InvitationParams(Params):
    invitation: Id


class EnterParams(InvitationParams):
    session: Hash
    name: Annotated[str, Field(max_length=40)] = ""
    by: Literal["browser", "station", "broker"] = "browser"


class GuestParams(Params):
    guest: Id


class PresenceParams(GuestParams):
    there: bool


class HoldParams(CameraParams):
    """`hand` is that of the guest who asks."""

    hand: Annotated[str, Field(max_length=60)] = ""
    on: bool = True
    minutes: Annotated[float, Field(gt=0, le=600, allow_inf_nan=False)] = KEEP_MINUTES


class AskParams(Params):
    """A camera, or a mark by its number; `guest` empty: whoever has the camera."""

    camera: CameraNumber | None = None
    mark: Annotated[int, Field(ge=1, le=99)] | None = None
    size: ShotSize | None = None
    words: Annotated[str, Field(max_length=120)] = ""
    guest: Id = ""


class AskedParams(Params):
    asked: Id


def _with(items: Mapping[str, T], key: str, value: T | None) -> Mapping[str, T]:
    kept = {k: v for k, v in items.items() if k != key}
    return MappingProxyType(kept if value is None else {**kept, key: value})


# The door and its invitations


def open_door(state: LiveState, params: OpenParams, now_s: float) -> Outcome:
    guests = state.guests
    on = not guests.open if params.on is None else params.on
    port = guests.port if params.port is None else params.port
    beyond = guests.beyond if params.beyond is None else params.beyond
    state = state.with_guests(open=on, port=port, beyond=beyond)
    if on == guests.open:
        return Outcome(state)
    if on:
        return Outcome(state, (Notice("The guests' door is open: nobody comes in without an invitation."),))
    gone = len(guests.here)
    state = state.with_guests(**_nobody())
    return Outcome(state, (Notice(f"The guests' door is closed{f': {gone} are out' if gone else ''}."),))


def _nobody() -> dict[str, object]:
    empty: Mapping[str, object] = MappingProxyType({})
    quiet = {"talking": frozenset[str](), "crew_talks": False}
    return {"invitations": empty, "here": empty, "holds": empty, "beats": empty, "asked": (), **quiet}


def invite(state: LiveState, params: InviteParams, now_s: float) -> Outcome:
    guests = state.guests
    if not guests.open:
        raise ActionRefused("The guests' door is closed: open it in Rig, under Guests, then invite.")
    if len(guests.invitations) >= MOST_INVITATIONS:
        raise ActionRefused(f"There are {MOST_INVITATIONS} invitations already: take one back first.")
    cameras = tuple(camera_meant(state, number).id for number in params.cameras)
    number = guests.count + 1
    ends_at_s = None if params.minutes is None else now_s + params.minutes * 60.0
    made = Invitation(
        f"i{number}",
        params.name.strip() or "Guest",
        Role(params.role),
        cameras,
        params.code,
        ends_at_s,
        params.uses,
        hears=params.hears,
        talks=params.talks,
    )
    state = state.with_guests(invitations=_with(guests.invitations, made.id, made), count=number)
    return Outcome(state, (Notice(f"{made.name} is invited as {made.role}."),))


def without_invitation(state: LiveState, invitation_id: str) -> LiveState:
    """It is taken back, and who came with it is out."""
    guests = state.guests
    invitations = _with(guests.invitations, invitation_id, None)
    here = {k: g for k, g in guests.here.items() if g.invitation != invitation_id}
    return _with_only(state.with_guests(invitations=invitations), MappingProxyType(here))


def _with_only(state: LiveState, here: Mapping[str, Guest]) -> LiveState:
    """With these guests and no others, and what they hold."""
    guests = state.guests
    holds = {camera: hold for camera, hold in guests.holds.items() if hold.guest in here}
    asked = tuple(replace(one, guest="") if one.guest and one.guest not in here else one for one in guests.asked)
    talking = guests.talking & here.keys()
    return state.with_guests(here=here, holds=MappingProxyType(holds), asked=asked, talking=talking)


def withdraw(state: LiveState, params: InvitationParams, now_s: float) -> Outcome:
    found = state.guests.invitations.get(params.invitation)
    if found is None:
        raise ActionRefused("That invitation was taken back before.")
    return Outcome(without_invitation(state, found.id), (Notice(f"The invitation of {found.name} is taken back."),))


def send_out(state: LiveState, params: GuestParams, now_s: float) -> Outcome:
    guest = state.guests.here.get(params.guest)
    if guest is None:
        raise ActionRefused("That guest is out already.")
    state = _with_only(state, _with(state.guests.here, guest.id, None))
    return Outcome(state, (Notice(f"{guest.name} is out."),))


def ends_s(state: LiveState) -> float:
    """When the next invitation is over, in clock time."""
    if not state.guests.invitations:
        return NEVER_S
    return min((i.ends_at_s for i in state.guests.invitations.values() if i.ends_at_s is not None), default=NEVER_S)


def end_invitations(state: LiveState, now_s: float) -> Outcome:
    """Those whose time is over."""
    over = [one for one in state.guests.invitations.values() if one.is_over(now_s)]
    for one in over:
        state = without_invitation(state, one.id)
    return Outcome(state, tuple(Notice(f"The invitation of {one.name} is over.") for one in over))


# Who comes and goes


def enter(state: LiveState, params: EnterParams, now_s: float) -> Outcome:
    guests = state.guests
    found = guests.invitations.get(params.invitation)
    if found is None or not guests.open or found.is_over(now_s):
        raise ActionRefused("This invitation was taken back, or is over.")
    if found.uses and found.used >= found.uses:
        raise ActionRefused("This invitation has been used: ask for another.")
    if len(guests.here) >= MOST_GUESTS:
        raise ActionRefused(f"{MOST_GUESTS} guests are here already.")
    number = guests.count + 1
    name = params.name.strip() or found.name
    sound = {"hears": found.hears, "talks": found.talks}
    guest = Guest(f"g{number}", name, found.role, found.id, found.cameras, params.session, params.by, **sound)
    used = replace(found, used=found.used + 1)
    state = state.with_guests(
        invitations=_with(guests.invitations, found.id, used), here=_with(guests.here, guest.id, guest), count=number
    )
    what = f"a {guest.by}, as {guest.role}"
    return Outcome(state, (Notice(f"{guest.name} is here: {what}."),))


def presence(state: LiveState, params: PresenceParams, now_s: float) -> Outcome:
    guest = state.guests.here.get(params.guest)
    if guest is None or guest.there == params.there:
        return Outcome(state)
    here = _with(state.guests.here, guest.id, replace(guest, there=params.there))
    return Outcome(state.with_guests(here=here, talking=state.guests.talking - {guest.id}))


# Holding a camera


def hold(state: LiveState, params: HoldParams, now_s: float) -> Outcome:
    """Keep a camera for the guest that asks, or let it go."""
    camera = camera_meant(state, params.camera)
    holds = state.guests.holds
    if not params.on:
        return Outcome(state.with_guests(holds=_with(holds, camera.id, None)))
    guest = state.guests.here.get(params.hand.removeprefix(GUEST_HAND))
    if guest is None:
        raise ActionRefused("A camera is kept for a guest, by the guest.")
    kept = Hold(guest.id, now_s + params.minutes * 60.0, True)
    return Outcome(state.with_guests(holds=_with(holds, camera.id, kept)))


def take_back(state: LiveState, params: CameraParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    guest = state.guests.holder(camera.id, now_s)
    if guest is None:
        raise ActionRefused(f"Camera {camera.number} is held by nobody.")
    state = state.with_guests(holds=_with(state.guests.holds, camera.id, None))
    return Outcome(overruled(state, camera), (Notice(f"Camera {camera.number} is yours again; {guest.name} had it."),))


# Asking for a shot


def ask(state: LiveState, params: AskParams, now_s: float) -> Outcome:
    guests = state.guests
    if len(guests.asked) >= MOST_ASKED:
        raise ActionRefused(f"{MOST_ASKED} shots are asked for already: take some back first.")
    mark = None
    if params.mark is not None:
        marks = state.show.marks
        if params.mark > len(marks):
            raise ActionRefused(f"There is no mark {params.mark}.")
        mark = marks[params.mark - 1]
    camera_id = camera_meant(state, params.camera).id if params.camera is not None else ""
    if params.guest and params.guest not in guests.here:
        raise ActionRefused("That guest is not here.")
    words = params.words.strip() or ", ".join(filter(None, (mark.name if mark else "", str(params.size or ""))))
    if not words:
        raise ActionRefused("Say what is to be seen: a mark, a size, or a few words.")
    number = guests.count + 1
    one = ShotAsked(f"a{number}", camera_id, words, params.guest)
    return Outcome(state.with_guests(asked=(*guests.asked, one), count=number), (Notice(f"Asked for: {words}."),))


def _asked(state: LiveState, asked_id: str) -> ShotAsked:
    found = next((one for one in state.guests.asked if one.id == asked_id), None)
    if found is None:
        raise ActionRefused("That shot is not asked for any more.")
    return found


class OfferParams(AskedParams):
    camera: CameraNumber


def offer(state: LiveState, params: OfferParams, now_s: float) -> Outcome:
    """It is there: the camera shows what was asked for."""
    one, camera = _asked(state, params.asked), camera_meant(state, params.camera)
    if one.camera not in ("", camera.id):
        raise ActionRefused(f"“{one.words}” was asked of another camera.")
    offered = replace(one, camera=camera.id, offered_at_s=now_s)
    said = Notice(f"Camera {camera.number} is offered: {one.words}.")
    return Outcome(state.with_guests(asked=replaced(state.guests.asked, offered)), (said,))


def accept(state: LiveState, params: AskedParams, now_s: float) -> Outcome:
    """Ready what is offered, as it stands."""
    one = _asked(state, params.asked)
    if one.offered_at_s is None:
        raise ActionRefused(f"“{one.words}” is not offered yet.")
    live = state.live(one.camera)
    outcome = switching.ready(state, Shot(one.camera, live.goal_framing_id), now_s)
    left = without(outcome.state.guests.asked, one.id)
    return replace(outcome, state=outcome.state.with_guests(asked=left))


def drop(state: LiveState, params: AskedParams, now_s: float) -> Outcome:
    one = _asked(state, params.asked)
    return Outcome(state.with_guests(asked=without(state.guests.asked, one.id)))


def _closing(state: LiveState, params: OpenParams) -> Held | None:
    if not state.guests.open or params.on is True or not state.guests.here:
        return None
    return Held(
        f"close the door on {len(state.guests.here)} guests", Call(action="guests.open", arguments={"on": False})
    )


_BY_HAND: dict[str, Any] = {"recordable": False, "role": Role.DIRECTOR}
_DOOR: dict[str, Any] = {"recordable": False, "hidden": True, "role": Role.DOOR}

ACTIONS = (
    Action("guests.open", "Open the guests' door, or close it", OpenParams, open_door, held=_closing, **_BY_HAND),
    Action("guest.invite", "Invite {name} as {role}", InviteParams, invite, also="guest station link code", **_BY_HAND),
    Action("guest.withdraw", "Take an invitation back", InvitationParams, withdraw, **_BY_HAND),
    Action("guest.send_out", "Send a guest out", GuestParams, send_out, **_BY_HAND),
    Action("guest.enter", "Let a guest in", EnterParams, enter, **_DOOR),
    Action("guest.presence", "Say whether a guest's line is up", PresenceParams, presence, **_DOOR),
    Action(
        "camera.hold",
        "Keep camera {camera} for a while, or let it go",
        HoldParams,
        hold,
        recordable=False,
        role=Role.OPERATOR,
        touches=camera_named,
    ),
    Action("camera.take_back", "Take camera {camera} back from a guest", CameraParams, take_back, recordable=False),
    Action("shot.ask", "Ask somebody for a shot", AskParams, ask, recordable=False),
    Action(
        "shot.offer",
        "Offer camera {camera} as it was asked for",
        OfferParams,
        offer,
        recordable=False,
        role=Role.OPERATOR,
        touches=camera_named,
    ),
    Action("shot.accept", "Ready a shot that is offered", AskedParams, accept, recordable=False),
    Action("shot.drop", "Ask no longer for a shot", AskedParams, drop, recordable=False),
)
