"""Recording a macro: what the director does becomes steps that mean the same whenever they are run."""

from ribalta.core.engine.state.action import Action, Params
from ribalta.core.engine.state.automation_state import MacroRecording
from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.ports.causes import PEOPLE, Cause
from ribalta.core.show.automation.calls import LETTERS, Call, following_items
from ribalta.core.show.automation.macros import Step, StepKind

SHORTEST_S = 0.04


def with_call(state: LiveState, row: Action, params: Params, cause: Cause, now_s: float) -> LiveState:
    """`state` is the one before the action: rows and pages as they were when it was asked for."""
    tape = state.automation.recording
    if tape is None or cause.by not in PEOPLE or not row.recordable or row.stores:
        return state
    call = row.recorded(state, params, now_s) if row.recorded is not None else meant(state, row, params)
    if call is None:
        return state
    return state.with_automation(
        recording=MacroRecording(tape.name, tape.timed, tape.since_s, (*tape.calls, (now_s, call)))
    )


def meant(state: LiveState, row: Action, params: Params) -> Call:
    """The call with what it leaves to the moment written out (which row, which page), following its items."""
    arguments = params.model_dump(mode="json", exclude_defaults=True)
    action = row.id
    given = type(params).model_fields
    if "letter" in given and arguments.get("letter") is not None and arguments.get("camera") is None:
        page = arguments.get("page", state.desk.page)
        if state.desk.row == SCENE_ROW and row.on_scenes:
            number = page * len(LETTERS) + LETTERS.index(arguments["letter"]) + 1
            queue = {"queue": True} if action.startswith("queue") else {}
            arguments, action = {"scene": number} | queue, row.on_scenes
        else:
            camera = state.show.camera(state.desk.row or "")
            if camera is not None:
                arguments |= {"camera": camera.number, "page": page}
    elif "letter" in arguments and "page" in given and "page" not in arguments and given["page"].default is None:
        arguments["page"] = state.desk.page
    return following_items(state.show, Call(action=action, arguments=arguments))


def steps_of(tape: MacroRecording) -> tuple[Step, ...]:
    """The steps of what was done, with the waits between them if they were to be kept."""
    steps: list[Step] = []
    last_s: float | None = None
    for at_s, call in tape.calls:
        if tape.timed and last_s is not None and at_s - last_s >= SHORTEST_S:
            steps.append(Step(kind=StepKind.WAIT, seconds=round(at_s - last_s, 2)))
        steps.append(Step(kind=StepKind.DO, call=call))
        last_s = at_s
    return tuple(steps)
