"""Messages to other machines: where they go, and sending them. What they say may name what is on air."""

import re
from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.collection import Collection
from ribalta.core.engine.removing import Users
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Send
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.automation.house import NAME, House
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Listening, TokenHere, Wire
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Name, Port

VARIABLES = ("camera", "camera_name", "framing", "scene", "slide", "next", "on_air")
_FIELD = re.compile(r"\{([a-z_]*)\}")


class DestinationParams(Params):
    destination: Annotated[str, Field(description="the destination's id")]


class FieldsParams(Params):
    """What is left out stays as it is. `host` is the name of a port when it is MIDI."""

    name: Name | None = None
    wire: Wire | None = None
    host: Annotated[str | None, Field(max_length=200)] = None
    port: Port | None = None
    timeout_s: Annotated[float | None, Field(ge=0.1, le=30)] = None


class ChangeParams(FieldsParams, DestinationParams):
    pass


class RemoveParams(DestinationParams):
    users: Users = "ask"


class SendParams(DestinationParams):
    """What goes out depends on where it goes.

    OSC: `address` and `arguments`. HTTP: `method`, `address` (the path) and `text`. TCP and UDP: `text`, or `bytes`
    in hexadecimal. MIDI: `midi` (note, control, program), `channel`, `number`, `value`. Words in braces such as
    {camera} become what is on air.
    """

    address: Annotated[str, Field(max_length=400)] = ""
    arguments: Annotated[tuple[str | int | float, ...], Field(max_length=40)] = ()
    text: Annotated[str, Field(max_length=4000)] = ""
    bytes: Annotated[str, Field(max_length=4000, pattern=r"^([0-9a-fA-F]{2}\s*)*$")] = ""
    method: Annotated[str, Field(pattern="^(GET|POST|PUT)$")] = "GET"
    midi: Annotated[str, Field(pattern="^(note|control|program)$")] = "note"
    channel: Annotated[int, Field(ge=1, le=16)] = 1
    number: Annotated[int, Field(ge=0, le=127)] = 60
    value: Annotated[int, Field(ge=0, le=127)] = 127


class ListenParams(Params):
    """What is left out stays as it is."""

    osc: bool | None = None
    osc_port: Port | None = None
    http: bool | None = None
    http_port: Port | None = None
    tcp_port: Annotated[int | None, Field(ge=0, le=65535)] = None
    udp_port: Annotated[int | None, Field(ge=0, le=65535)] = None
    beyond: bool | None = None
    token_here: TokenHere | None = None
    midi: tuple[str, ...] | None = None


class HouseParams(Params):
    """What is left out stays as it is."""

    on: bool | None = None
    name: Annotated[str | None, Field(pattern=NAME)] = None
    host: Annotated[str | None, Field(max_length=200)] = None
    port: Annotated[int | None, Field(ge=1, le=65535)] = None
    tls: bool | None = None
    user: Annotated[str | None, Field(max_length=80)] = None


DESTINATIONS = Collection[Destination](
    "destinations",
    lambda show: show.destinations,
    Show.destination,
    "d",
    ("destination", "destinations"),
    100,
    Kind.DESTINATION,
)


def _stored(state: LiveState, made: Destination, what: str) -> Outcome:
    return edited(state, DESTINATIONS.put(state.show, made), what)


def add(state: LiveState, params: FieldsParams, now_s: float) -> Outcome:
    name = DESTINATIONS.free_name(state.show, params.name)
    given = params.model_dump(exclude_none=True, exclude={"name"})
    made = Destination(id=DESTINATIONS.new_id(state.show), name=name, **given)
    return _stored(state, made, f"made destination “{name}”")


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    found = DESTINATIONS.meant(state, params.destination)
    given = params.model_dump(exclude_none=True, exclude={"destination"})
    return _stored(state, found.model_copy(update=given), f"changed destination “{found.name}”")


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    found = DESTINATIONS.meant(state, params.destination)
    asked = {"destination": found.id}
    show = DESTINATIONS.take_out(state.show, found, params.users, "destination.remove", asked)
    return edited(state, show, f"removed destination “{found.name}”")


def send(state: LiveState, params: SendParams, now_s: float) -> Outcome:
    to = DESTINATIONS.meant(state, params.destination)
    known = variables(state)
    given: dict[str, Any] = {}
    match to.wire:
        case Wire.OSC:
            if not params.address.startswith("/"):
                raise ActionRefused(f"A message to “{to.name}” needs an OSC address that begins with /.")
            given = {"address": filled(params.address, known)}
            given["arguments"] = tuple(filled(a, known) if isinstance(a, str) else a for a in params.arguments)
        case Wire.HTTP:
            given = {"method": params.method, "address": filled(params.address, known)}
            given["text"] = filled(params.text, known)
        case Wire.MIDI:
            given = {name: getattr(params, name) for name in ("midi", "channel", "number", "value")}
        case Wire.TCP | Wire.UDP:
            if not params.text and not params.bytes:
                raise ActionRefused(f"A message to “{to.name}” needs a text or bytes.")
            given = {"bytes": params.bytes} if params.bytes else {"text": filled(params.text, known)}
    return Outcome(state, (Send(to, tuple(given.items()), state.run.id),))


def variables(state: LiveState) -> dict[str, str]:
    """What words in braces stand for now: what is on air, or in a trigger of what has left the air, that. Nothing of
    the kind is an empty word."""
    program = state.run.subject or state.program.on_air
    camera = state.show.camera(program.camera_id) if program is not None else None
    framing, scene = state.framing(program), state.scene(program)
    medium = state.show.medium(program.medium_id or "") if program is not None else None
    return {
        "camera": str(camera.number) if camera is not None else "",
        "camera_name": camera.name if camera is not None else "",
        "framing": framing.name if framing is not None else "",
        "scene": scene.name if scene is not None else "",
        "slide": str(state.medium(medium.id).slide + 1) if medium is not None and medium.kind == "deck" else "",
        "next": state.shot_words(state.program.next) if state.program.next is not None else "",
        "on_air": state.shot_words(program) if program is not None else "",
    }


def filled(text: str, known: dict[str, str]) -> str:
    """Raises ActionRefused for a word in braces that stands for nothing."""

    def word(found: re.Match[str]) -> str:
        if found[1] not in known:
            raise ActionRefused(f"{found[0]} stands for nothing. There are {{{'}, {'.join(VARIABLES)}}}.")
        return known[found[1]]

    return _FIELD.sub(word, text)


def listen(state: LiveState, params: ListenParams, now_s: float) -> Outcome:
    new = Listening.model_validate(state.show.listening.model_dump() | params.model_dump(exclude_none=True))
    ports = [p for p in (new.osc_port if new.osc else 0, new.udp_port) if p]
    streams = [p for p in (new.http_port if new.http else 0, new.tcp_port) if p]
    if len(set(ports)) < len(ports) or len(set(streams)) < len(streams):
        raise ActionRefused("Two kinds of messages cannot come in on one port: choose another.")
    return edited(state, state.show.model_copy(update={"listening": new}), "changed how messages come in")


def connect_house(state: LiveState, params: HouseParams, now_s: float) -> Outcome:
    """Where its broker is, and whether it is told what is on air."""
    changes = params.model_dump(exclude_none=True)
    house = House.model_validate(state.show.house.model_dump() | changes)
    if house.on and not house.host.strip():
        raise ActionRefused("Type the address of the house's broker first.")
    if house == state.show.house:
        return Outcome(state)
    what = "changed the house's broker"
    if house.on != state.show.house.on:
        what = f"connected to the broker at {house.host}" if house.on else "let go of the house's broker"
    return edited(state, state.show.model_copy(update={"house": house}), what)


ACTIONS = (
    Action("message.send", "Send a message to {destination}", SendParams, send),
    Action("destination.add", "Make a destination for messages", FieldsParams, add, stores=True),
    Action("destination.change", "Change destination {destination}", ChangeParams, change, stores=True),
    Action("destination.remove", "Remove destination {destination}", RemoveParams, remove, stores=True),
    Action("messages.listen", "Choose how messages come in", ListenParams, listen, stores=True),
    Action("house.connect", "Choose the broker of the house", HouseParams, connect_house, stores=True, also="mqtt"),
)
