"""Storing aims and looking after them. Every edit can be undone."""

from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.values import without
from ribalta.core.engine.actions.board import (
    FramingParams,
    camera_meant,
    camera_named,
    framing_meant,
    framing_words,
    locked,
    reachable_framing_meant,
)
from ribalta.core.engine.actions.program import scenes
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.framing_settings import focus_missing, kept_now
from ribalta.core.engine.program.landing import stands
from ribalta.core.engine.removing import Users, cleared
from ribalta.core.engine.state.action import Action, Held, NoParams, Outcome, Params, edited
from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.planning.naming import Guess, guess
from ribalta.core.ports.guests import Role
from ribalta.core.ports.messages import Notice, PictureWanted, Remember, Severity
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call, Kind, named
from ribalta.core.show.document.model import LETTERS, Camera, Framing, LandingRule


class StoreParams(FramingParams):
    overwrite: Annotated[bool, Field(description="replace the framing that is there (a long press)")] = False
    light: Annotated[bool, Field(description="store exposure and white balance with it too")] = False


class RenameParams(FramingParams):
    name: Annotated[str, Field(max_length=80)]


class RemoveParams(FramingParams):
    users: Users = "ask"


class PageParams(Params):
    by: Annotated[int, Field(ge=-99, le=99)]


class RuleParams(Params):
    rule: LandingRule


def _storable_aim(state: LiveState, camera: Camera, now_s: float) -> Aim:
    if not camera.steered:
        raise ActionRefused(f"Camera {camera.number} is fixed: it has one view and nothing to store.")
    live = state.live(camera.id)
    if live.no_position:
        raise ActionRefused(f"Camera {camera.number} does not say where it stands. Nothing stored: check it in Rig.")
    if not live.answers or live.aim is None:
        raise ActionRefused(f"Camera {camera.number} does not answer, so where it stands is not known. Nothing stored.")
    if not stands(state, camera, now_s):
        raise ActionRefused(f"Camera {camera.number} is still moving: store it when it stands.")
    return live.aim


def _free_memory(state: LiveState, camera: Camera, there: Framing | None) -> int:
    """Which of its own memories a camera is to use: the one of the framing that is replaced, or a free one."""
    if not state.live(camera.id).answers:
        raise ActionRefused(f"Camera {camera.number} does not answer. Nothing stored.")
    if there is not None and there.memory is not None:
        return there.memory
    assert camera.head is not None
    used = {f.memory for f in state.show.framings if f.camera_id == camera.id}
    free = next((k for k in range(camera.head.memories) if k not in used), None)
    if free is None:
        raise ActionRefused(
            f"All {camera.head.memories} memories of camera {camera.number} are in use: remove a framing first."
        )
    return free


def store(state: LiveState, params: StoreParams, now_s: float) -> Outcome:
    if params.camera is None and state.desk.row == SCENE_ROW:
        number = params.slot(state) + 1
        return scenes.store(state, scenes.StoreSceneParams(scene=number, overwrite=params.overwrite), now_s)
    camera = camera_meant(state, params.camera)
    slot = params.slot(state)
    there = state.show.framing_at(camera.id, slot)
    if there is not None and there.protected:
        raise locked(state, there)
    if there is not None and not params.overwrite:
        raise ActionRefused(f"“{there.name}” is on {params.letter}. Hold Shift+{params.letter} to replace it.")
    if camera.recall_only:
        aim, memory = Aim(0.0, 0.0, 0.0), _free_memory(state, camera, there)
    else:
        aim, memory = _storable_aim(state, camera, now_s), None
    framing = _stored(state, camera, there, slot, aim, memory, params.light, now_s)
    show = state.show.with_framing(framing).model_copy(update={"next_number": state.show.next_number + 1})
    outcome = edited(state, show, f"stored “{framing.name}” on camera {camera.number}, {framing.letter}")
    state = outcome.state.with_live(
        camera.id, goal=aim, goal_framing_id=framing.id, trim=STILL, asked_travel_s=0.0, expected_s=now_s, due_s=None
    )
    if state.is_next(camera.id):
        state = state.with_program(next=Shot(camera.id, framing.id)).with_desk(row=camera.id)
    kept = (Remember(camera.id, memory),) if memory is not None else ()
    missing = _missing(state, camera)
    said = (Notice(f"Stored “{framing.name}”, but {' and '.join(missing)}.", Severity.FAULT),) if missing else ()
    wanted = (PictureWanted(camera.id, framing.picture),) if state.live(camera.id).picture and framing.picture else ()
    return Outcome(state, (*wanted, *outcome.events, *said), kept)


def _overwrites(state: LiveState, params: StoreParams) -> Held | None:
    """Storing where there is something already, and what is stored there: a framing or a scene."""
    slot, page = params.slot(state), state.desk.page if params.page is None else params.page
    if params.camera is None and state.desk.row == SCENE_ROW:
        return scenes.overwrites(state, scenes.StoreSceneParams(scene=slot + 1))
    try:
        camera = camera_meant(state, params.camera)
    except ActionRefused:
        return None
    there = state.show.framing_at(camera.id, slot)
    if there is None or there.protected:
        return None
    where = {"camera": camera.number, "letter": params.letter, "page": page, "overwrite": True, "light": params.light}
    return Held(f"store over “{there.name}”", Call(action="framing.store", arguments=where))


def _stored(
    state: LiveState,
    camera: Camera,
    there: Framing | None,
    slot: int,
    aim: Aim,
    memory: int | None,
    light: bool,
    now_s: float,
) -> Framing:
    """A new framing, with what it seems to show; or the one that is there with a new aim, picture and settings."""
    number = state.show.next_number
    changes: dict[str, Any] = {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom, "memory": memory}
    changes |= {"kept": kept_now(state, camera, light), "seen": True}
    pictured = state.live(camera.id).picture
    if pictured:
        changes["pictured_at_s"] = now_s + state.wall_clock.offset_s
    if there is not None:
        return there.model_copy(update=changes | {"picture": f"{there.id}-{number}.jpg" if pictured else there.picture})
    about = Guess() if camera.recall_only else guess(state.show, camera, aim)
    return Framing(
        id=f"f{number}",
        camera_id=camera.id,
        slot=slot,
        name=about.name[:80] or f"View {LETTERS[slot % len(LETTERS)]}",
        mark_id=about.mark_ids[0] if about.mark_ids else None,
        more_mark_ids=about.mark_ids[1:],
        size=about.size,
        picture=f"f{number}-{number}.jpg" if pictured else None,
        **changes,
    )


def _missing(state: LiveState, camera: Camera) -> list[str]:
    """What could not be stored with a framing, as phrases."""
    missing = []
    if not state.live(camera.id).picture:
        missing.append(f"no picture comes from camera {camera.number}, so it has none of now")
    if focus_missing(state, camera):
        missing.append("the camera has not said its focus yet, so that is not stored with it")
    return missing


def restore(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    """Send the camera to its stored framing again, without any trim, and without readying it."""
    framing = reachable_framing_meant(state, params)
    shot = Shot(framing.camera_id, framing.id)
    if state.on_air(framing.camera_id):
        seconds = state.show.settings.live_move_s
        raise ActionRefused(
            f"Camera {state.camera(shot).number} is on air, so it stays. Ctrl+Shift+{framing.letter} moves it to"
            f" “{framing.name}” on air, in {seconds:g} s."
        )
    return switching.send_to_framing(state, shot, now_s)


def rename(state: LiveState, params: RenameParams, now_s: float) -> Outcome:
    framing, name = framing_meant(state, params), params.name.strip()
    if not name:
        raise ActionRefused(f"A framing needs a name: “{framing.name}” keeps its own.")
    if name == framing.name:
        return Outcome(state)
    show = state.show.with_framing(framing.model_copy(update={"name": name}))
    return edited(state, show, f"renamed “{framing.name}” to “{name}”")


def protect(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    framing = framing_meant(state, params)
    show = state.show.with_framing(framing.model_copy(update={"protected": not framing.protected}))
    return edited(state, show, f"{'unprotected' if framing.protected else 'protected'} “{framing.name}”")


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    framing = framing_meant(state, params)
    if framing.protected:
        raise locked(state, framing)
    for shot, where in ((state.program.on_air, "on air"), (state.program.next, "readied as Next")):
        if shot is not None and shot.framing_id == framing.id:
            raise ActionRefused(f"“{framing.name}” is {where}: it cannot be removed now.")
    camera = state.camera(Shot(framing.camera_id))
    place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
    item = named(state.show, Kind.FRAMING, framing.id)
    show = cleared(state.show, (item,), f"“{framing.name}”", params.users, "framing.remove", place)
    show = show.model_copy(update={"framings": without(show.framings, framing.id)})
    state = state.with_program(then=tuple(s for s in state.program.then if s.framing_id != framing.id))
    return edited(state, show, f"removed “{framing.name}”")


def page(state: LiveState, params: PageParams, now_s: float) -> Outcome:
    last = max((f.slot // len(LETTERS) for f in state.show.framings), default=0)
    return Outcome(state.with_desk(page=min(max(0, state.desk.page + params.by), last + 1)))


def rule(state: LiveState, params: RuleParams, now_s: float) -> Outcome:
    settings = state.show.settings.model_copy(update={"landing_rule": params.rule})
    return edited(state, state.show.model_copy(update={"settings": settings}), f"set the landing rule to {params.rule}")


def next_rule(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    rules = list(LandingRule)
    following = rules[(rules.index(state.show.settings.landing_rule) + 1) % len(rules)]
    return rule(state, RuleParams(rule=following), now_s)


ACTIONS = (
    Action(
        "framing.store",
        "Store the selected camera on {letter}",
        StoreParams,
        store,
        {f"Shift+{x}": {"letter": x} for x in LETTERS},
        stores=True,
        held=_overwrites,
        role=Role.OPERATOR,
        touches=camera_named,
    ),
    Action(
        "framing.restore",
        "Send the camera to framing {letter}",
        FramingParams,
        restore,
        says=framing_words("Send camera {camera} to"),
        role=Role.OPERATOR,
        touches=camera_named,
    ),
    Action(
        "framing.rename",
        "Rename framing {letter}",
        RenameParams,
        rename,
        stores=True,
        role=Role.OPERATOR,
        touches=camera_named,
    ),
    Action("framing.lock", "Lock framing {letter}, or unlock it", FramingParams, protect, stores=True),
    Action("framing.remove", "Remove framing {letter}", RemoveParams, remove, stores=True),
    Action(
        "board.page",
        "Turn the board's page",
        PageParams,
        page,
        {"PgDown": {"by": 1}, "PgUp": {"by": -1}},
        role=Role.WATCHER,
    ),
    Action("landing.rule", "Set the landing rule", RuleParams, rule),
    Action("landing.next_rule", "Change the landing rule", NoParams, next_rule, {"L": {}}, recordable=False),
)
