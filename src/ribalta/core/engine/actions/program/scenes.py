"""Scenes: storing the desk as it stands, changing one, and readying it like any shot."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.values import without
from ribalta.core.engine.actions.program.layers import (
    InsetParams,
    SourceParams,
    changed_inset,
    source_meant,
    title_meant,
)
from ribalta.core.engine.program import switching
from ribalta.core.engine.removing import Users, cleared
from ribalta.core.engine.state.action import Action, Held, NoParams, Outcome, Params, edited, turned_down
from ribalta.core.engine.state.live import SCENE_ROW, LiveState
from ribalta.core.ports.messages import PictureWanted
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call, Kind, named
from ribalta.core.show.document.model import LETTERS, Show
from ribalta.core.show.document.part import Name
from ribalta.core.show.document.scenes import Inset, Key, Scene, Source

SceneNumber = Annotated[int, Field(ge=1, le=99, description="the scene's number in its row")]
LIVE = "program"


class SceneParams(Params):
    scene: SceneNumber


class ReadySceneParams(SceneParams):
    queue: bool = False


class StoreSceneParams(Params):
    """Without a number it is put on the first free one; `overwrite` replaces what is there."""

    scene: SceneNumber | None = None
    name: Name | None = None
    overwrite: bool = False


class AddParams(SourceParams):
    """A new scene with this picture as its base, on the first free number."""

    name: Name | None = None


class RemoveParams(SceneParams):
    users: Users = "ask"


class RenameParams(SceneParams):
    name: Name


class MoveParams(SceneParams):
    to: SceneNumber


class BaseParams(SourceParams):
    scene: SceneNumber


class SceneInsetParams(InsetParams):
    scene: SceneNumber
    remove: bool = False


class SceneTitleParams(SceneParams):
    """`title` None takes what is there out."""

    layer: Annotated[int, Field(ge=1, le=3)]
    title: str | None = None


class SceneSoundParams(SceneParams):
    """With the microphones that are open now, or with whatever is open when it is taken."""

    own: bool


class SceneTransitionParams(SceneParams):
    """With the transition that is set now, or with whatever is set when it is taken."""

    own: bool


def scene_meant(state: LiveState, number: int) -> Scene:
    """The scene of a number. Raises ActionRefused when there is none."""
    scene = state.show.scene_numbered(number)
    if scene is None:
        letter = LETTERS[(number - 1) % len(LETTERS)]
        raise ActionRefused(f"There is no scene on {letter} yet. Shift+{letter} stores what is on air there.")
    return scene


def shot_of(scene: Scene) -> Shot:
    """A scene as a shot, with its base."""
    base = scene.base
    return Shot(base.camera_id or "", base.framing_id, base.medium_id, scene.id)


def select_row(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return Outcome(state.with_desk(row=SCENE_ROW))


def ready(state: LiveState, params: ReadySceneParams, now_s: float) -> Outcome:
    """Send all its cameras to their framings, whatever was readied last."""
    scene = scene_meant(state, params.scene)
    _whole(state, scene)
    shot = shot_of(scene)
    busy = switching.busy(state, shot)
    if not busy and not params.queue:
        return switching.ready(state, shot, now_s)
    outcome = switching.queue(state, shot, now_s)
    if params.queue:
        return outcome
    numbers = " and ".join(str(state.camera(part).number) for part in busy)
    one = len(busy) == 1
    said = f"Camera{'' if one else 's'} {numbers} {'is' if one else 'are'} on air elsewhere, so “{scene.name}” waits"
    return outcome.then(lambda s: turned_down(s, f"{said} under Then."))


def _whole(state: LiveState, scene: Scene) -> None:
    """Raises ActionRefused when something of it is no longer there, or one camera would be in two places."""
    wanted: dict[str, str] = {}
    for source in scene.sources:
        lost = source.camera_id is not None and state.show.camera(source.camera_id) is None
        if lost or (source.medium_id is not None and state.show.medium(source.medium_id) is None):
            gone = state.show.source_words(source)
            raise ActionRefused(f"“{scene.name}” shows {gone}: choose another picture for it.")
        if source.camera_id is None or source.framing_id is None:
            continue
        framing, camera = state.show.framing(source.framing_id), state.camera(Shot(source.camera_id))
        if framing is None:
            raise ActionRefused(f"A framing of “{scene.name}” was removed: choose another for it.")
        if camera.head is not None and camera.head.limits.clamp(framing.aim)[1]:
            raise ActionRefused(f"“{framing.name}” of “{scene.name}” is out of reach of camera {camera.number}.")
        if wanted.setdefault(source.camera_id, framing.id) != framing.id:
            raise ActionRefused(f"“{scene.name}” wants camera {camera.number} at two framings at once.")


def overwrites(state: LiveState, params: StoreSceneParams) -> Held | None:
    """Storing a scene where there is one already."""
    there = state.show.scene_numbered(params.scene) if params.scene else None
    if there is None:
        return None
    over = Call(action="scene.store", arguments={"scene": there.number, "overwrite": True})
    return Held(f"store over “{there.name}”", over)


def store(state: LiveState, params: StoreSceneParams, now_s: float) -> Outcome:
    """What is on air now becomes a scene: base, insets, key, titles; the transition that is set stays out of it."""
    if state.program.on_air is None:
        raise ActionRefused("Nothing is on air that could be stored as a scene.")
    number = params.scene or _free_number(state)
    before = state.show.scene_numbered(number)
    if before is not None and not params.overwrite:
        raise ActionRefused(f"Scene {number} is “{before.name}”. Press long to replace it.")
    program = state.program.on_air
    framing_id = program.framing_id or state.live(program.camera_id).goal_framing_id
    base = Source(
        camera_id=program.camera_id or None,
        framing_id=framing_id if state.show.framing(framing_id or "") is not None else None,
        medium_id=program.medium_id,
    )
    worn = state.program.overlays.in_use
    made = state.show.next_number
    key = worn.get("key")
    titles = [worn.get(f"title{n}") for n in (1, 2, 3)]
    scene = Scene(
        id=before.id if before is not None else f"s{made}",
        number=number,
        name=params.name or (before.name if before is not None else f"Scene {number}"),
        base=base,
        insets=tuple(layer for layer in worn.values() if isinstance(layer, Inset)),
        key=key if isinstance(key, Key) else None,
        title_ids=tuple(t if isinstance(t, str) else None for t in titles),
        transition=before.transition if before is not None else None,
        picture=f"s{made}.jpg",
    )
    outcome = edited(state, with_scene(state.show, scene), f"stored scene {number} “{scene.name}”")
    return outcome.saying(PictureWanted(LIVE, f"s{made}.jpg"))


def _free_number(state: LiveState) -> int:
    taken = {s.number for s in state.show.scenes}
    number = next((n for n in range(1, 100) if n not in taken), 0)
    if number == 0:
        raise ActionRefused("All 99 scenes are used: remove one first.")
    return number


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    source = source_meant(state, params)
    if source is None:
        raise ActionRefused("Say which camera or which medium the scene begins with.")
    number = _free_number(state)
    scene = Scene(id=f"s{state.show.next_number}", number=number, name=params.name or f"Scene {number}", base=source)
    return edited(state, with_scene(state.show, scene), f"made scene {number} “{scene.name}”")


def with_scene(show: Show, scene: Scene) -> Show:
    """With one scene put in, in place of the one with its id."""
    others = without(show.scenes, scene.id)
    scenes = tuple(sorted((*others, scene), key=lambda s: s.number))
    return show.model_copy(update={"scenes": scenes, "next_number": show.next_number + 1})


def _changed(state: LiveState, scene: Scene, what: str, **changes: object) -> Outcome:
    return edited(state, with_scene(state.show, scene.model_copy(update=changes)), what)


def rename(state: LiveState, params: RenameParams, now_s: float) -> Outcome:
    scene = scene_meant(state, params.scene)
    return _changed(state, scene, f"renamed scene {scene.number} to “{params.name}”", name=params.name)


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    scene = scene_meant(state, params.scene)
    for shot, where in ((state.program.on_air, "on air"), (state.program.next, "readied as Next")):
        if shot is not None and shot.scene_id == scene.id:
            raise ActionRefused(f"“{scene.name}” is {where}: it cannot be removed now.")
    item = named(state.show, Kind.SCENE, scene.id)
    asked = {"scene": scene.number}
    show = cleared(state.show, (item,), f"“{scene.name}”", params.users, "scene.remove", asked)
    show = show.model_copy(update={"scenes": without(show.scenes, scene.id)})
    state = state.with_program(then=tuple(s for s in state.program.then if s.scene_id != scene.id))
    return edited(state, show, f"removed scene “{scene.name}”")


def move(state: LiveState, params: MoveParams, now_s: float) -> Outcome:
    """To another number; what is there takes its place."""
    scene, other = scene_meant(state, params.scene), state.show.scene_numbered(params.to)
    show = with_scene(state.show, scene.model_copy(update={"number": params.to}))
    if other is not None and other.id != scene.id:
        show = with_scene(show, other.model_copy(update={"number": params.scene}))
    return edited(state, show, f"moved scene “{scene.name}” to {params.to}")


def base(state: LiveState, params: BaseParams, now_s: float) -> Outcome:
    scene, source = scene_meant(state, params.scene), source_meant(state, params)
    if source is None:
        raise ActionRefused("Say which camera or which medium.")
    return _changed(state, scene, f"“{scene.name}” has {state.show.source_words(source)} as its base", base=source)


def inset(state: LiveState, params: SceneInsetParams, now_s: float) -> Outcome:
    scene = scene_meant(state, params.scene)
    before = next((i for i in scene.insets if i.slot == params.slot), None)
    others = tuple(i for i in scene.insets if i.slot != params.slot)
    if params.remove:
        return _changed(state, scene, f"removed inset {params.slot} of “{scene.name}”", insets=others)
    source = source_meant(state, params)
    if before is None and source is None:
        raise ActionRefused(f"Inset {params.slot} has no picture yet: choose a camera or a medium first.")
    plain = InsetParams.model_validate(params.model_dump(exclude={"scene", "remove"}))
    made = changed_inset(before or Inset(slot=params.slot), plain, source)
    insets = tuple(sorted((*others, made), key=lambda i: i.slot))
    return _changed(state, scene, f"changed inset {params.slot} of “{scene.name}”", insets=insets)


def title(state: LiveState, params: SceneTitleParams, now_s: float) -> Outcome:
    scene = scene_meant(state, params.scene)
    if params.title is not None and title_meant(state, params.title).layer != params.layer:
        raise ActionRefused(f"That title belongs to another layer than {params.layer}.")
    ids = list(scene.title_ids)
    ids[params.layer - 1] = params.title
    return _changed(state, scene, f"changed the titles of “{scene.name}”", title_ids=tuple(ids))


def sound(state: LiveState, params: SceneSoundParams, now_s: float) -> Outcome:
    scene = scene_meant(state, params.scene)
    if not params.own:
        return _changed(state, scene, f"“{scene.name}” leaves the sound as it is", open_mics=None)
    mics = tuple(m.id for m in state.show.microphones if not state.strip(m.id).muted)
    return _changed(state, scene, f"“{scene.name}” opens the {len(mics)} microphones that are open now", open_mics=mics)


def transition(state: LiveState, params: SceneTransitionParams, now_s: float) -> Outcome:
    scene = scene_meant(state, params.scene)
    own = state.program.transition if params.own else None
    how = state.program.transition.words if params.own else "whatever is set then"
    return _changed(state, scene, f"“{scene.name}” is taken with: {how}", transition=own)


ACTIONS = (
    Action(
        "scene.ready",
        "Ready scene {scene}",
        ReadySceneParams,
        ready,
    ),
    Action("row.scenes", "Select the scenes for the letters", NoParams, select_row, {"0": {}}),
    Action("scene.store", "Store what is on air as a scene", StoreSceneParams, store, stores=True, held=overwrites),
    Action("scene.add", "Make a scene of a picture", AddParams, add, stores=True),
    Action("scene.rename", "Rename scene {scene}", RenameParams, rename, stores=True),
    Action("scene.remove", "Remove scene {scene}", RemoveParams, remove, stores=True),
    Action("scene.move", "Move scene {scene} to another number", MoveParams, move, stores=True),
    Action("scene.base", "Choose the base of scene {scene}", BaseParams, base, stores=True),
    Action("scene.inset", "Change an inset of scene {scene}", SceneInsetParams, inset, stores=True),
    Action("scene.title", "Choose a title of scene {scene}", SceneTitleParams, title, stores=True),
    Action("scene.sound", "Choose which microphones scene {scene} opens", SceneSoundParams, sound, stores=True),
    Action("scene.transition", "Choose how scene {scene} is taken", SceneTransitionParams, transition, stores=True),
)
