"""Ready and take: what is next and what goes out."""

from dataclasses import replace
from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import (
    CameraParams,
    FramingParams,
    camera_meant,
    framing_words,
    reachable_framing_meant,
)
from ribalta.core.engine.actions.program import scenes
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.engine.program.taking import take_with
from ribalta.core.engine.state.action import Action, NoParams, Outcome, Params, edited, turned_down
from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.picture.wipes import Ease as Easing
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import LETTERS, LandingRule
from ribalta.core.show.document.part import Colour, Share
from ribalta.core.show.document.scenes import CUT, Transition, TransitionKind, WipeShape


class ReadyFramingParams(FramingParams):
    live: Annotated[bool, Field(description="move the camera even on air, in a given time")] = False
    seconds: Annotated[float | None, Field(ge=0.5, le=120, description="of such a move; the show's own if none")] = None


class LiveMoveParams(Params):
    seconds: Annotated[float, Field(ge=0.5, le=60, allow_inf_nan=False)]


class TransitionParams(Params):
    """What is left out stays as it is."""

    kind: TransitionKind | None = None
    seconds: Annotated[float, Field(ge=0.01, le=10, allow_inf_nan=False)] | None = None
    easing: Easing | None = None
    colour: Colour | None = None
    shape: WipeShape | None = None
    softness: Share | None = None
    backwards: bool | None = None


class TakeParams(TransitionParams):
    """With a transition of its own for this take, if anything is given."""


class ByHandParams(Params):
    share: Annotated[float | None, Field(ge=0, le=1, description="how far it is")] = None
    by: Annotated[float, Field(ge=-1, le=1, description="or how much further")] = 0.0


def ready_camera(state: LiveState, params: CameraParams, now_s: float) -> Outcome:
    camera = camera_meant(state, params.camera)
    state = state.with_desk(row=camera.id, numbered_at_s=None)
    if state.on_air(camera.id):
        return turned_down(
            state, f"Camera {camera.number} is on air. A letter now queues one of its framings for afterwards."
        )
    return switching.ready(state, Shot(camera.id), now_s)


def _scene_number(state: LiveState, params: FramingParams) -> int | None:
    """Which scene a letter means; None when the named row is a camera's."""
    return params.slot(state) + 1 if params.camera is None and state.desk.row == SCENE_ROW else None


def ready_framing(state: LiveState, params: ReadyFramingParams, now_s: float) -> Outcome:
    number = _scene_number(state, params)
    if number is not None:
        return scenes.ready(state, scenes.ReadySceneParams(scene=number), now_s)
    framing = reachable_framing_meant(state, params)
    shot = Shot(framing.camera_id, framing.id)
    state = state.with_desk(row=framing.camera_id, numbered_at_s=None)
    if not state.on_air(framing.camera_id):
        return switching.ready(state, shot, now_s)
    if not params.live:
        return switching.busy_on_air(state, shot, framing, now_s)
    if state.program.in_transition:
        raise ActionRefused("A transition is running: wait for its end before moving a camera on air.")
    asked_s = params.seconds or state.show.settings.live_move_s
    outcome = switching.move_live(state, shot, now_s, asked_s)
    due_s = outcome.state.live(framing.camera_id).due_s
    said = f"Camera {state.camera(shot).number} moves on air to “{framing.name}”"
    if due_s is None:
        return outcome.saying(Notice(f"{said}."))
    in_s = due_s - now_s
    short = f" It cannot in {asked_s:g} s." if in_s > asked_s + 0.05 else ""
    return outcome.saying(Notice(f"{said}, in {in_s:.1f} s.{short}"))


def live_move(state: LiveState, params: LiveMoveParams, now_s: float) -> Outcome:
    settings = state.show.settings.model_copy(update={"live_move_s": params.seconds})
    show = state.show.model_copy(update={"settings": settings})
    return edited(state, show, f"set moves on air to {params.seconds:g} s")


def queue_framing(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    number = _scene_number(state, params)
    if number is not None:
        return scenes.ready(state, scenes.ReadySceneParams(scene=number, queue=True), now_s)
    framing = reachable_framing_meant(state, params)
    return switching.queue(
        state.with_desk(row=framing.camera_id, numbered_at_s=None), Shot(framing.camera_id, framing.id), now_s
    )


def take(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return take_with(state, CUT, now_s)


def take_over(state: LiveState, params: TakeParams, now_s: float) -> Outcome:
    scene = state.scene(state.program.next)
    transition = scene.transition if scene is not None and scene.transition is not None else state.program.transition
    return take_with(state, _changed(transition, params), now_s)


def _changed(transition: Transition, params: TransitionParams) -> Transition:
    return Transition.model_validate(transition.model_dump() | params.model_dump(exclude_none=True))


def transition_set(state: LiveState, params: TransitionParams, now_s: float) -> Outcome:
    transition = _changed(state.program.transition, params)
    return Outcome(
        state.with_program(transition=transition), (Notice(f"Shift+Space takes with this now: {transition.words}."),)
    )


def transition_normal(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    normal = state.show.settings.normal
    return Outcome(state.with_program(transition=normal), (Notice(f"Back to this show's normal one: {normal.words}."),))


def transition_make_normal(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    settings = state.show.settings.model_copy(update={"normal": state.program.transition})
    show = state.show.model_copy(update={"settings": settings})
    return edited(state, show, f"made this show's normal transition: {state.program.transition.words}")


def by_hand(state: LiveState, params: ByHandParams, now_s: float) -> Outcome:
    """Move the transition by hand. It begins only with cameras that are set; at its ends it is done or undone."""
    change = state.program.in_transition
    if change is None:
        share = params.share if params.share is not None else params.by
        if share <= 0:
            return Outcome(state)
        begun = _begin_by_hand(state, now_s)
        return begun.then(lambda s: by_hand(s, ByHandParams(share=share), now_s))
    share = params.share if params.share is not None else change.progress_at(now_s) + params.by
    if share >= 1 or share <= 0:
        return switching.end_change(state, now_s, share >= 1)
    return Outcome(state.with_program(in_transition=replace(change, progress=share, at_s=now_s, direction=0)))


def _begin_by_hand(state: LiveState, now_s: float) -> Outcome:
    shot = state.program.next
    if shot is None:
        raise ActionRefused("Nothing is readied. Press a camera's number, then a framing's letter.")
    straight = state.show.settings.landing_rule is LandingRule.STRAIGHT
    if not straight and set_at_s(state, shot) > now_s:
        raise ActionRefused(f"{state.shot_words(shot)} is not set yet, so the transition cannot begin by hand.")
    transition = state.program.transition
    if transition.length_s == 0:
        transition = Transition()
    return switching.put_on_air(state, shot, transition, now_s, 0.0, False)


def turn_back(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    """Let the running transition go the other way from where it is."""
    change = state.program.in_transition
    if change is None:
        raise ActionRefused("No transition is running, so there is nothing to turn back.")
    way = -1 if change.direction >= 0 else 1
    return Outcome(
        state.with_program(in_transition=replace(change, progress=change.progress_at(now_s), at_s=now_s, direction=way))
    )


def take_back(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if state.program.next is None:
        raise ActionRefused("Nothing is readied, so there is nothing to unready.")
    return switching.take_back(state, now_s)


def let_go(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if state.program.held is None:
        return Outcome(state)
    return Outcome(state.with_program(held=None), (Notice("The held take was let go. Next stays ready."),))


def cover(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    cover_id = state.show.settings.cover_camera_id
    if cover_id is None:
        raise ActionRefused("This show has no cover camera yet.")
    state = state.with_program(held=None)
    if state.program.on_air == Shot(cover_id) and state.program.in_transition is None:
        return turned_down(state, "The cover shot is on air already.")
    return switching.put_on_air(state, Shot(cover_id), CUT, now_s, 0.0, False)


ACTIONS = (
    Action("ready.camera", "Ready camera {camera} as it stands", CameraParams, ready_camera, names_row=True),
    Action(
        "ready.framing",
        "Ready framing {letter} of the selected camera",
        ReadyFramingParams,
        ready_framing,
        {x: {"letter": x} for x in LETTERS} | {f"Ctrl+Shift+{x}": {"letter": x, "live": True} for x in LETTERS},
        says=framing_words("Ready camera {camera} at"),
        also="preset recall",
        on_scenes="scene.ready",
    ),
    Action(
        "queue.framing",
        "Put framing {letter} of the selected camera under Then",
        FramingParams,
        queue_framing,
        {f"Alt+{x}": {"letter": x} for x in LETTERS},
        says=framing_words("Then camera {camera} at"),
        on_scenes="scene.ready",
    ),
    Action("live_move.seconds", "Set how long a move on air takes", LiveMoveParams, live_move),
    Action(
        "take", "Cut to Next", NoParams, take, {"Space": {}}, changes_air=True, also="cut go", chords={"Ctrl+Space": {}}
    ),
    Action(
        "take.transition",
        "Take Next with the transition that is set",
        TakeParams,
        take_over,
        {"Shift+Space": {}},
        changes_air=True,
        also="mix auto transition",
        chords={"Ctrl+Shift+Space": {}},
    ),
    Action(
        "transition.set",
        "Set the transition of the next takes",
        TransitionParams,
        transition_set,
        {
            "Z": {"kind": "dip"},
            "X": {"kind": "mix"},
            "C": {"kind": "wipe"},
        },
    ),
    Action("transition.normal", "Back to this show's normal transition", NoParams, transition_normal, {"V": {}}),
    Action(
        "transition.make_normal",
        "Make the transition that is set the normal one",
        NoParams,
        transition_make_normal,
        {"Shift+V": {}},
        stores=True,
    ),
    Action(
        "transition.by_hand", "Move the transition by hand", ByHandParams, by_hand, changes_air=True, continuous=True
    ),
    Action("transition.reverse", "Turn the running transition back", NoParams, turn_back, {"U": {}}),
    Action("unready", "Unready: nothing is Next", NoParams, take_back, {"Backspace": {}}, changes_air=True),
    Action("take.release", "Let go of a held take", NoParams, let_go, {"Esc": {}}, changes_air=True),
    Action("cover", "Cut to the cover shot", NoParams, cover, {"Tab": {}}, changes_air=True, chords={"Ctrl+Tab": {}}),
)
