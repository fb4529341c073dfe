"""The show's cameras: adding, naming, numbering, connecting and removing them. Every edit can be undone."""

from dataclasses import replace
from typing import Annotated, Any

from pydantic import Field, ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.hosts import split_port
from ribalta.core.base.validation import why_not
from ribalta.core.base.values import without
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.removing import Users, cleared
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.shots import CameraLive
from ribalta.core.show.automation.calls import Kind, named
from ribalta.core.show.document.model import (
    Camera,
    Control,
    Head,
    LearnedWay,
    Measured,
    PictureKind,
    PictureSource,
    Protocol,
)
from ribalta.core.show.document.part import Port

MOST_CAMERAS = 99
CAMERA_NAME = Annotated[str, Field(max_length=80)]
Metres = Annotated[float, Field(ge=-1000, le=1000, allow_inf_nan=False)]
Degrees = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
Pace = Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)]
ZoomTable = tuple[tuple[float, float], ...]


class OneCamera(Params):
    camera: CameraNumber


class AddParams(Params):
    """The lowest free number when none is given. With a protocol, it is reached by that at once. `picture` is the
    address that its picture comes from."""

    number: CameraNumber | None = None
    name: CAMERA_NAME = ""
    protocol: Protocol | None = None
    host: Annotated[str, Field(max_length=260)] = ""
    port: Port | None = None
    picture: Annotated[str, Field(max_length=500, json_schema_extra={"holds": "login"})] = ""


class RemoveParams(OneCamera):
    """`users` says what becomes of what uses the camera."""

    users: Users = "ask"


class RenameParams(OneCamera):
    """`name` is the new one."""

    name: CAMERA_NAME


class RenumberParams(OneCamera):
    """`to` is the new number, 1 to 99."""

    to: CameraNumber


class ConnectParams(OneCamera):
    """How it is reached. A port left out is the protocol's own; `line` is for a serial line."""

    protocol: Protocol
    host: Annotated[str, Field(max_length=260)] = ""
    port: Port | None = None
    line: Annotated[str, Field(max_length=260)] = ""
    baud_rate: Annotated[int, Field(ge=1200, le=921600)] = 9600
    user: Annotated[str, Field(max_length=80)] = ""


class PictureParams(OneCamera):
    """Where its picture comes from: a name in shared memory, an address, a file, or a video device."""

    kind: PictureKind
    name: Annotated[str, Field(max_length=500, json_schema_extra={"holds": "login"})] = ""
    user: Annotated[str, Field(max_length=80)] = ""


class SwapParams(OneCamera):
    """`other` is the number of the camera to change numbers with."""

    other: CameraNumber


class PlaceParams(OneCamera):
    """What is left out stays. Metres on the floor plan; degrees, heading clockwise from the plan's north."""

    x_m: Metres | None = None
    y_m: Metres | None = None
    z_m: Metres | None = None
    heading_deg: Degrees | None = None
    tilt_deg: Degrees | None = None
    roll_deg: Degrees | None = None
    hung: bool | None = None


class ModelParams(OneCamera):
    """What its model can do, as a profile says; see `core/show/document/profiles.py`."""

    profile: Annotated[str, Field(max_length=120)]
    head: Head | None = None
    zoom_table: ZoomTable | None = None


class LearnParams(OneCamera):
    """What was measured of it. What is left out stays."""

    head: Head | None = None
    zoom_table: ZoomTable | None = None
    delay_s: Annotated[float, Field(ge=0, le=5)] | None = None
    measured: Measured | None = None


class PaceParams(OneCamera):
    """Shares of its full speed for recalls, and for steering by hand."""

    recall: Pace | None = None
    steer: Pace | None = None


OWN_PORTS = {
    Protocol.VISCA_IP: 52381,
    Protocol.VISCA_UDP: 1259,
    Protocol.VISCA_TCP: 5678,
    Protocol.VISCA_SERIAL: 1,
    Protocol.ONVIF: 80,
}


def _changed(camera: Camera, **changes: Any) -> Camera:
    """The camera with changes, checked whole. Raises ActionRefused."""
    try:
        return Camera.model_validate({**camera.model_dump(), **changes})
    except ValidationError as error:
        raise ActionRefused(f"Camera {camera.number} stays as it was: {why_not(error)}.") from None


def _with(state: LiveState, camera: Camera, what: str) -> Outcome:
    return edited(state, state.show.with_camera(camera), what)


def free_number(state: LiveState) -> int:
    """The lowest camera number that is not taken. Raises ActionRefused when there is none."""
    taken = {c.number for c in state.show.cameras}
    free = next((n for n in range(1, MOST_CAMERAS + 1) if n not in taken), None)
    if free is None:
        raise ActionRefused(f"This show has {MOST_CAMERAS} cameras: remove one first.")
    return free


def _fresh(state: LiveState, outcome: Outcome, camera: Camera) -> Outcome:
    """A new camera is in the show: its row is the one named now."""
    show = outcome.state.show.model_copy(update={"next_number": state.show.next_number + 1})
    return Outcome(outcome.state.with_(show=show).with_desk(row=camera.id), outcome.events, outcome.requests)


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    number = params.number or free_number(state)
    if state.show.camera_numbered(number) is not None:
        raise ActionRefused(f"There is a camera {number} already.")
    name = params.name.strip() or f"Camera {number}"
    picture = PictureSource(kind=PictureKind.STREAM, name=params.picture.strip()) if params.picture else PictureSource()
    camera = Camera(id=f"c{state.show.next_number}", number=number, name=name, picture=picture)
    if params.protocol is not None:
        host, typed = split_port(params.host)
        control = Control(protocol=params.protocol, host=host, port=typed or params.port or OWN_PORTS[params.protocol])
        _refuse_bad_host(control)
        camera = camera.model_copy(update={"control": control, "head": Head()})
    return _fresh(state, _with(state, camera, f"added camera {number}"), camera)


def duplicate(state: LiveState, params: OneCamera, now_s: float) -> Outcome:
    """A second camera of the same model beside it: its address, its picture and its framings are not copied."""
    first, number = camera_meant(state, params.camera), free_number(state)
    camera = _changed(
        first,
        id=f"c{state.show.next_number}",
        number=number,
        name=f"{first.name[:74]} copy",
        head=None,
        control=None,
        picture=PictureSource(),
        place={**first.place.model_dump(), "x_m": first.place.x_m + 0.5},
        measured=None,
        learned=(),
    )
    if first.control is not None and first.head is not None:
        control = first.control.model_copy(update={"host": "", "line": ""})
        camera = camera.model_copy(update={"head": first.head, "control": control})
    return _fresh(state, _with(state, camera, f"added camera {number} like camera {first.number}"), camera)


def rename(state: LiveState, params: RenameParams, now_s: float) -> Outcome:
    camera, name = camera_meant(state, params.camera), params.name.strip()
    if not name:
        raise ActionRefused(f"A camera needs a name: camera {camera.number} stays “{camera.name}”.")
    if name == camera.name:
        return Outcome(state)
    return _with(state, _changed(camera, name=name), f"renamed camera {camera.number} to “{name}”")


def renumber(state: LiveState, params: RenumberParams, now_s: float) -> Outcome:
    """Framings stay with their camera. A number that is taken is swapped."""
    camera, other = camera_meant(state, params.camera), state.show.camera_numbered(params.to)
    if other is camera:
        return Outcome(state)
    numbers = {camera.id: params.to, **({other.id: camera.number} if other else {})}
    cameras = tuple(c.model_copy(update={"number": numbers.get(c.id, c.number)}) for c in state.show.cameras)
    what = f"camera {camera.number} is now camera {params.to}"
    return edited(
        state,
        state.show.model_copy(update={"cameras": cameras}),
        f"{what}, and the other way round" if other else what,
    )


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    for there, where in ((state.on_air(camera.id), "on air"), (state.is_next(camera.id), "readied as Next")):
        if there:
            raise ActionRefused(f"Camera {camera.number} is {where}: it cannot be removed now.")
    items = (
        named(state.show, Kind.CAMERA, camera.id),
        *(named(state.show, Kind.FRAMING, f.id) for f in state.show.framings if f.camera_id == camera.id),
    )
    asked = {"camera": camera.number}
    show = cleared(state.show, items, f"Camera {camera.number}", params.users, "camera.remove", asked)
    settings = show.settings
    if settings.cover_camera_id == camera.id:
        settings = settings.model_copy(update={"cover_camera_id": None})
    framings = tuple(f for f in show.framings if f.camera_id != camera.id)
    lost = len(show.framings) - len(framings)
    show = show.model_copy(
        update={
            "cameras": without(show.cameras, camera.id),
            "framings": framings,
            "settings": settings,
        }
    )
    state = state.with_program(then=tuple(s for s in state.program.then if s.camera_id != camera.id)).with_desk(
        row=None if state.desk.row == camera.id else state.desk.row,
    )
    with_it = f" and its {lost} framing{'s' if lost != 1 else ''}" if lost else ""
    return edited(state, show, f"removed camera {camera.number} “{camera.name}”{with_it}")


def connect(state: LiveState, params: ConnectParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    host, typed = split_port(params.host)
    control = Control(
        protocol=params.protocol,
        host=host,
        port=typed or params.port or OWN_PORTS[params.protocol],
        line=params.line.strip(),
        baud_rate=params.baud_rate,
        user=params.user.strip(),
    )
    if params.protocol is Protocol.VISCA_SERIAL and not control.line.startswith("/dev/"):
        raise ActionRefused("A serial line has a name such as /dev/ttyUSB0: choose the one of the adapter.")
    _refuse_bad_host(control)
    head = camera.head or Head()
    camera = camera.model_copy(update={"control": control, "head": head})
    state = state.with_live(camera.id, **_blank(state, camera))
    return _with(state, camera, f"camera {camera.number} is reached at {control.where}")


def _refuse_bad_host(control: Control) -> None:
    if control.protocol is Protocol.VISCA_SERIAL:
        return
    if not control.host:
        raise ActionRefused("An address is missing: type one such as 192.168.1.20.")
    if any(c.isspace() or c in "/@?#\\" for c in control.host):
        raise ActionRefused(f"“{control.host}” is not an address: type one such as 192.168.1.20, or a name.")


def _blank(state: LiveState, camera: Camera) -> dict[str, Any]:
    """What is known of a camera when its control begins anew: only its picture."""
    fresh = CameraLive(picture=state.live(camera.id).picture)
    return {name: getattr(fresh, name) for name in CameraLive.__dataclass_fields__}


def fix(state: LiveState, params: OneCamera, now_s: float) -> Outcome:
    """It is a fixed camera from now on. Its framings would have no meaning, so they have to go first."""
    camera = camera_meant(state, params.camera)
    if any(f.camera_id == camera.id for f in state.show.framings):
        raise ActionRefused(f"Camera {camera.number} has framings: remove them before it becomes a fixed camera.")
    camera = camera.model_copy(update={"control": None, "head": None, "measured": None})
    state = state.with_live(camera.id, **_blank(state, camera))
    return _with(state, camera, f"camera {camera.number} is a fixed camera")


def picture(state: LiveState, params: PictureParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    source = camera.picture.model_copy(
        update={"kind": params.kind, "name": params.name.strip(), "user": params.user.strip()}
    )
    return _with(
        state,
        camera.model_copy(update={"picture": source}),
        f"camera {camera.number}'s picture comes from {source.name}",
    )


def swap_pictures(state: LiveState, params: SwapParams, now_s: float) -> Outcome:
    one, other = camera_meant(state, params.camera), camera_meant(state, params.other)
    if one.id == other.id:
        raise ActionRefused("Two cameras are needed to swap pictures.")
    show = state.show.with_camera(one.model_copy(update={"picture": other.picture}))
    show = show.with_camera(other.model_copy(update={"picture": one.picture}))
    return edited(state, show, f"swapped the pictures of cameras {one.number} and {other.number}")


def place(state: LiveState, params: PlaceParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    changes = params.model_dump(exclude={"camera"}, exclude_none=True)
    camera = camera.model_copy(update={"place": camera.place.model_copy(update=changes)})
    return _with(state, camera, f"placed camera {camera.number}")


def model(state: LiveState, params: ModelParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    changes: dict[str, Any] = {"profile": params.profile, "measured": None}
    if params.head is not None:
        if camera.control is None:
            raise ActionRefused(f"Camera {camera.number} is fixed: connect it before saying what its head can do.")
        changes["head"] = params.head
    if params.zoom_table is not None:
        changes["zoom_table"] = params.zoom_table
    return _with(state, _changed(camera, **changes), f"camera {camera.number} is a {params.profile}")


def learn(state: LiveState, params: LearnParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    changes: dict[str, Any] = params.model_dump(exclude={"camera", "delay_s"}, exclude_none=True)
    if params.delay_s is not None:
        changes["picture"] = camera.picture.model_copy(update={"delay_s": params.delay_s})
    return _with(state, _changed(camera, **changes), f"kept what was measured of camera {camera.number}")


def pace(state: LiveState, params: PaceParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    camera = camera.model_copy(
        update={"recall_pace": params.recall or camera.recall_pace, "steer_pace": params.steer or camera.steer_pace}
    )
    return _with(state, camera, f"changed the speeds of camera {camera.number}")


def cover(state: LiveState, params: OneCamera, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    settings = state.show.settings.model_copy(update={"cover_camera_id": camera.id})
    return edited(
        state, state.show.model_copy(update={"settings": settings}), f"camera {camera.number} is the cover shot"
    )


def forget(state: LiveState, params: OneCamera, now_s: float) -> Outcome:
    """Drop the travel times that were learned between its own memories."""
    camera = camera_meant(state, params.camera)
    ways: tuple[LearnedWay, ...] = ()
    if not camera.learned:
        return Outcome(state, (Notice(f"Nothing is learned of camera {camera.number} yet.", Severity.INFO),))
    return _with(
        state, camera.model_copy(update={"learned": ways}), f"forgot the travel times of camera {camera.number}"
    )


ACTIONS = tuple(
    replace(row, stores=True)
    for row in (
        Action("camera.add", "Add a camera", AddParams, add),
        Action("camera.duplicate", "Add a camera like camera {camera}", OneCamera, duplicate),
        Action("camera.rename", "Rename camera {camera}", RenameParams, rename),
        Action("camera.renumber", "Give camera {camera} another number", RenumberParams, renumber),
        Action("camera.remove", "Remove camera {camera}", RemoveParams, remove),
        Action("camera.connect", "Say how camera {camera} is reached", ConnectParams, connect),
        Action("camera.fix", "Make camera {camera} a fixed one", OneCamera, fix),
        Action("camera.picture", "Say where camera {camera}'s picture comes from", PictureParams, picture),
        Action("camera.swap_pictures", "Swap the pictures of two cameras", SwapParams, swap_pictures),
        Action("camera.place", "Say where camera {camera} stands", PlaceParams, place),
        Action("camera.model", "Say which model camera {camera} is", ModelParams, model),
        Action("camera.learn", "Keep what was measured of camera {camera}", LearnParams, learn),
        Action("camera.pace", "Set the speeds of camera {camera}", PaceParams, pace),
        Action("camera.cover", "Make camera {camera} the cover shot", OneCamera, cover),
        Action("camera.forget", "Forget the learned travel times of camera {camera}", OneCamera, forget),
    )
)
