"""Recording, streaming, and where else program goes."""

from typing import Annotated

from pydantic import Field, ValidationError

from ribalta.core.base.faults import ActionRefused, NextStep
from ribalta.core.base.hosts import is_host
from ribalta.core.engine.actions.board import CameraNumber, camera_meant
from ribalta.core.engine.state.action import Action, Held, NoParams, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, OutputWanted
from ribalta.core.ports.shots import VIRTUAL, OutputLive
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.outputs import FORMAT, OutputSettings, TallyReceiver, format_words

RECORDING, STREAM = "recording", "stream"


class SwitchParams(Params):
    on: bool | None = None


class OutputsParams(Params):
    """What is left out stays as it is."""

    format: Annotated[str | None, Field(pattern=FORMAT)] = None
    folder: Annotated[str | None, Field(max_length=1000)] = None
    cameras: list[CameraNumber] | None = None
    camera_sound: bool | None = None
    expects_recording: bool | None = None
    stream_to: Annotated[str | None, Field(max_length=500, json_schema_extra={"holds": "key"})] = None
    stream_kbit_s: Annotated[int | None, Field(ge=200, le=20000)] = None
    one_encoding: bool | None = None
    tally_cameras: bool | None = None
    aux: str | None = None


class TallyParams(Params):
    host: Annotated[str, Field(min_length=1, max_length=200)]
    port: Annotated[int, Field(ge=1, le=65535)] = 8900
    version: str = "5.0"
    screen: Annotated[int, Field(ge=0, le=65534)] = 0
    remove: bool = False


def _switch(state: LiveState, name: str, on: bool | None, now_s: float) -> Outcome:
    live = state.output(name)
    to = not live.on if on is None else on
    if to == live.on:
        return Outcome(state)
    state = state.with_output(name, OutputLive(to, now_s))
    return Outcome(state, (OutputWanted(name, to),))


def record(state: LiveState, params: SwitchParams, now_s: float) -> Outcome:
    """Everything that should be recorded: program, and the cameras that are chosen."""
    outcome = _switch(state, RECORDING, params.on, now_s)
    if outcome.state is state:
        return outcome
    on = outcome.state.output(RECORDING).on
    return outcome.saying(Notice("Recording." if on else "The recording is being closed."))


def _stops_recording(state: LiveState, params: SwitchParams) -> Held | None:
    on = state.output(RECORDING).on
    return Held("stop the recording", Call(action="record", arguments={"on": False})) if on else None


def _streams(state: LiveState, params: SwitchParams) -> Held | None:
    """Its start too: that is seen by everyone."""
    on = state.output(STREAM).on
    if not on and not state.show.outputs.stream_to:
        return None
    return Held("stop the stream" if on else "go live", Call(action="stream", arguments={"on": not on}))


def chapter(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if not state.output(RECORDING).on:
        step = NextStep("Record", "record", (("on", 1),))
        raise ActionRefused("Nothing is being recorded, so there is no place for a chapter.", step)
    name = state.shot_words(state.program.on_air) if state.program.on_air is not None else "chapter"
    return Outcome(state, (OutputWanted("chapter", True, name), Notice(f"Chapter: {name}.")))


def stream(state: LiveState, params: SwitchParams, now_s: float) -> Outcome:
    if not state.output(STREAM).on and params.on is not False and not state.show.outputs.stream_to:
        step = NextStep("Type it", "", (("view", "Rig"), ("page", "Outputs#stream")))
        raise ActionRefused("No address is given to stream to: type one in Rig, under Outputs.", step)
    outcome = _switch(state, STREAM, params.on, now_s)
    if outcome.state is state:
        return outcome
    on = outcome.state.output(STREAM).on
    return outcome.saying(Notice("The stream is being opened." if on else "The stream is stopped."))


def virtual_camera(state: LiveState, params: SwitchParams, now_s: float) -> Outcome:
    """Program as a camera of this machine, for other programs on it."""
    return _switch(state, VIRTUAL, params.on, now_s)


def change(state: LiveState, params: OutputsParams, now_s: float) -> Outcome:
    new = params.model_dump(exclude_none=True, exclude={"cameras"})
    if params.cameras is not None:
        new["record_camera_ids"] = tuple(camera_meant(state, n).id for n in params.cameras)
    if new.get("aux") not in (None, "program", "clean", "next") and state.show.camera(str(new["aux"])) is None:
        raise ActionRefused("The auxiliary output shows program, clean, next or a camera.")
    outputs = state.show.outputs.model_copy(update=new)
    if outputs.format != state.show.outputs.format:
        _refuse_while_out(state)
    outcome = edited(state, state.show.model_copy(update={"outputs": outputs}), "changed the outputs")
    for name, fields, then in LATER:
        if state.output(name).on and new.keys() & fields:
            outcome = outcome.saying(Notice(f"The {name} that runs goes on as it began: {then}"))
    return outcome


def _refuse_while_out(state: LiveState) -> None:
    """Whoever takes program away has been told its size and its rate."""
    running = [name for name in (RECORDING, STREAM, VIRTUAL) if state.output(name).on]
    if running:
        now = format_words(state.show.outputs.format)
        raise ActionRefused(f"Program stays at {now} while the {running[0]} is on. Stop that first.")


LATER = (
    (RECORDING, {"folder", "record_camera_ids", "camera_sound"}, "the next one will be as you say now."),
    (STREAM, {"stream_to", "stream_kbit_s"}, "stop and start it to stream as you say now."),
)


def tally(state: LiveState, params: TallyParams, now_s: float) -> Outcome:
    """Add somebody who wants tally, or change or remove the one at that address."""
    if not params.remove and not is_host(params.host.strip()):
        raise ActionRefused(f"“{params.host[:60]}” is not an address: type one such as 192.168.1.20, or a name.")
    outputs = state.show.outputs
    others = tuple(t for t in outputs.tally if (t.host, t.port) != (params.host, params.port))
    if params.remove:
        return _with_tally(state, outputs, others, f"{params.host} no longer gets tally")
    try:
        receiver = TallyReceiver.model_validate(params.model_dump(exclude={"remove"}))
    except ValidationError:
        raise ActionRefused(f"TSL UMD version {params.version} is not spoken: 3.1 or 5.0.") from None
    if len(others) >= 32:
        raise ActionRefused("32 receivers of tally are the most there can be.")
    return _with_tally(state, outputs, (*others, receiver), f"{params.host} gets tally now")


def _with_tally(state: LiveState, outputs: OutputSettings, tally: tuple[TallyReceiver, ...], what: str) -> Outcome:
    outputs = outputs.model_copy(update={"tally": tally})
    return edited(state, state.show.model_copy(update={"outputs": outputs}), what)


ACTIONS = (
    Action(
        "record",
        "Start or stop recording all that should be",
        SwitchParams,
        record,
        chords={"Ctrl+R": {"on": True}},
        held=_stops_recording,
    ),
    Action("record.chapter", "Begin a chapter in the recording", NoParams, chapter),
    Action("stream", "Start or stop the stream", SwitchParams, stream, held=_streams),
    Action("virtual_camera", "Show program as a camera of this machine, or not", SwitchParams, virtual_camera),
    Action("outputs.change", "Change where program goes", OutputsParams, change, stores=True),
    Action("outputs.tally", "Tell somebody what is on air", TallyParams, tally, stores=True),
)
