"""Everything that changes which cameras are on air or next, and so tally, is in this file."""

from dataclasses import replace
from types import MappingProxyType

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.engine.program import camera_memories
from ribalta.core.engine.program.framing_settings import bring_back
from ribalta.core.engine.program.landing import (
    NEVER_S,
    error_percent,
    landing_state,
    parts,
    set_at_s,
    target_of,
    time_to_set_s,
)
from ribalta.core.engine.state.action import Outcome, turned_down
from ribalta.core.engine.state.live import KEPT_RECORDS, LiveState, sources_of
from ribalta.core.motion import gliding
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.messages import ChangeFinished, GlideTo, GoTo, Logged, ProgramChanged, Readied, Recall
from ribalta.core.ports.shots import HeldTake, LandingRecord, LandingState, Shot, TransitionState
from ribalta.core.show.document.model import Framing
from ribalta.core.show.document.scenes import Transition

LIVE_PERCENT_S = 10.0  # of the frame's width a second: how fast a hand moves the picture on air
SHORTEST_EASE_S, LONGEST_EASE_S, SHORTEST_GLIDE_S = 1.0, 12.0, 0.3


def send(state: LiveState, shot: Shot, aim: Aim, now_s: float, trim: Aim = STILL, pace: float = 1.0) -> Outcome:
    """Ask the shot's camera to go to an aim; a fixed camera stays. `trim` is what of it is not stored."""
    camera = state.camera(shot)
    if not camera.steered:
        return Outcome(state)
    if camera.recall_only:
        framing = state.framing(shot)
        if framing is None or framing.memory is None:
            return Outcome(state)
        return Outcome(camera_memories.sent(state, camera, framing, now_s), (), (Recall(camera.id, framing.memory),))
    live = state.live(shot.camera_id)
    state = state.with_live(
        shot.camera_id,
        goal=aim,
        goal_framing_id=shot.framing_id,
        trim=trim,
        pace=pace,
        asked_s=now_s,
        asked_from=live.aim if live.still_since_s is not None else None,
        due_s=None,
    )
    travel = time_to_set_s(state, shot, now_s)
    state = state.with_live(shot.camera_id, asked_travel_s=travel or 0.0)
    return Outcome(state, (), (GoTo(shot.camera_id, aim, pace),))


def glide(state: LiveState, shot: Shot, aim: Aim, now_s: float, seconds: float, trim: Aim = STILL) -> Outcome:
    """Ask the shot's camera to glide to an aim in a time; longer if its head cannot do it in that.

    A camera that does not say where it stands goes as `send` has it.
    """
    camera, live = state.camera(shot), state.live(shot.camera_id)
    if camera.head is None or camera.recall_only or live.aim is None:
        return send(state, shot, aim, now_s, trim)
    seconds = max(seconds, gliding.least_s(camera.head.motion, live.aim, aim), SHORTEST_GLIDE_S)
    state = state.with_live(
        shot.camera_id,
        goal=aim,
        goal_framing_id=shot.framing_id,
        trim=trim,
        pace=1.0,
        asked_s=now_s,
        asked_from=None,
        due_s=now_s + seconds,
        asked_travel_s=seconds,
    )
    return Outcome(state, (), (GlideTo(camera.id, aim, seconds),))


def ease(state: LiveState, shot: Shot, aim: Aim, now_s: float, trim: Aim = STILL) -> Outcome:
    """Move a camera while everybody watches: so slowly that the picture never runs away."""
    camera, live = state.camera(shot), state.live(shot.camera_id)
    way = offset_percent(live.aim, aim, camera.lens) if live.aim is not None else 0.0
    return glide(state, shot, aim, now_s, min(LONGEST_EASE_S, max(SHORTEST_EASE_S, way / LIVE_PERCENT_S)), trim)


def send_to_framing(state: LiveState, shot: Shot, now_s: float, again: bool = True) -> Outcome:
    """Ask the cameras of a shot to go to their stored framings, dropping any trim; as it stands, a camera stays.

    The settings that were stored with a framing are asked for too. Cameras on air stay where they are; those that are
    there or on their way are asked `again`, or left alone.
    """
    outcome = Outcome(state)
    for part in parts(state, shot):
        if not state.on_air(part.camera_id) and (again or not _under_way(state, part, now_s)):
            outcome = outcome.then(lambda s, part=part: _send_one(s, part, now_s))  # type: ignore[misc]
    return outcome


def _under_way(state: LiveState, part: Shot, now_s: float) -> bool:
    if part.framing_id is None or state.live(part.camera_id).goal_framing_id != part.framing_id:
        return False
    return landing_state(state, part, now_s) in (LandingState.SET, LandingState.TRAVELLING)


def _send_one(state: LiveState, shot: Shot, now_s: float) -> Outcome:
    framing = state.framing(shot)
    if framing is None:
        return Outcome(state)
    outcome = send(state, shot, framing.aim, now_s, STILL, state.camera(shot).recall_pace)
    return outcome.then(lambda s: bring_back(s, framing))


def busy(state: LiveState, shot: Shot) -> tuple[Shot, ...]:
    """The cameras of a shot that cannot go where it wants them, because they are on air somewhere else."""
    if shot.scene_id is None:
        return tuple(part for part in parts(state, shot) if state.on_air(part.camera_id))
    return tuple(
        part
        for part in parts(state, shot)
        if state.on_air(part.camera_id)
        and part.framing_id not in (None, state.live(part.camera_id).goal_framing_id)
        and state.camera(part).steered
    )


def ready(state: LiveState, shot: Shot, now_s: float, again: bool = True) -> Outcome:
    """Set a shot up as Next. A held take of another shot is let go. See `send_to_framing` for `again`."""
    then = tuple(s for s in state.program.then if not _same_place(s, shot))
    held = state.program.held if state.program.held and state.program.held.shot == shot else None
    if (shot, then) != (
        state.program.next,
        state.program.then,
    ):  # what stays the same stays the same object: nobody has to look again
        state = state.with_program(next=shot, then=then)
    outcome = send_to_framing(state.with_program(held=held), shot, now_s, again)
    return outcome.saying(Readied(shot)).then(lambda s: send_ahead(s, now_s))


def _same_place(one: Shot, other: Shot) -> bool:
    """Would both want the same camera, or are they the same scene or medium?"""
    if one.scene_id is not None or other.scene_id is not None:
        return one.scene_id == other.scene_id
    return one == other if not one.camera_id else one.camera_id == other.camera_id


def take_back(state: LiveState, now_s: float) -> Outcome:
    """Nothing is Next any more, unless the queue has something; a held take is let go."""
    return move_up(state.with_program(next=None, held=None, pending=MappingProxyType({})), now_s)


def move_live(state: LiveState, shot: Shot, now_s: float, seconds: float) -> Outcome:
    """Glide from where the camera on air is to a framing, in so many seconds, while everybody watches."""
    framing = state.framing(shot)
    if framing is None:
        return Outcome(state)
    outcome = glide(state.with_program(on_air=shot), shot, framing.aim, now_s, seconds)
    return outcome.then(lambda s: bring_back(s, framing))


def queue(state: LiveState, shot: Shot, now_s: float) -> Outcome:
    """Put a shot behind Next, in place of an earlier wish for the same camera; its camera goes there if it is free.

    With nothing as Next, it becomes Next unless its camera is on air.
    """
    then = (*(s for s in state.program.then if not _same_place(s, shot)), shot)
    return move_up(state.with_program(then=then), now_s)


def send_ahead(state: LiveState, now_s: float) -> Outcome:
    """Cameras of the queue that are neither on air nor Next travel to their framings."""
    outcome = Outcome(state)
    for part in (part for shot in state.program.then for part in parts(state, shot)):
        live = state.live(part.camera_id)
        if state.on_air(part.camera_id) or state.is_next(part.camera_id) or live.goal_framing_id == part.framing_id:
            continue
        outcome = outcome.then(lambda s, part=part: _send_one(s, part, now_s))  # type: ignore[misc]
    return outcome


def put_on_air(
    state: LiveState, shot: Shot, transition: Transition, now_s: float, held_s: float, forced: bool
) -> Outcome:
    """The one place where program changes: record the landing, cut or start the transition, move the queue up."""
    before, dress, is_next = state.program.on_air, state.overlays_of(shot), state.program.next == shot
    length_s = transition.length_s if before is not None else 0.0
    record = _record(state, shot, length_s, now_s, held_s, forced)
    changing = None
    if length_s > 0 and before is not None:
        pending = tuple(state.program.pending.items()) if is_next else ()
        changing = TransitionState(
            before, shot, state.program.overlays, dress, transition, now_s, now_s, pending=pending
        )
    state = state.with_program(
        on_air=shot,
        since_s=now_s,
        overlays=dress,
        in_transition=changing,
        held=None,
        next=None if is_next else state.program.next,
        pending=MappingProxyType({}) if is_next else state.program.pending,
        records=(*state.program.records, record)[-KEPT_RECORDS:],
        takes=state.program.takes + 1,
    )
    state = _scene_sound(clips_run(state, now_s), shot)
    outcome = Outcome(state, (ProgramChanged(before, shot, length_s), Logged(record)))
    return outcome if changing else outcome.then(lambda s: move_up(s, now_s))


def _scene_sound(state: LiveState, shot: Shot) -> LiveState:
    """A scene that says which microphones are open opens those, and mutes all others."""
    scene = state.scene(shot)
    if scene is None or scene.open_mics is None:
        return state
    strips = {m.id: replace(state.strip(m.id), muted=m.id not in scene.open_mics) for m in state.show.microphones}
    return state.with_sound(strips=MappingProxyType(strips))


def clips_run(state: LiveState, now_s: float) -> LiveState:
    """Clips play from their beginning when they go on air, and go back there when they have left it."""
    shots = (
        state.program.on_air,
        state.program.in_transition.before if state.program.in_transition is not None else None,
    )
    seen = {s.medium_id for s in shots if s is not None}
    seen |= {source.medium_id for layer in state.program.overlays.layers for source in sources_of(layer)}
    for medium in state.show.media:
        started_s = state.medium(medium.id).started_s
        if medium.kind == "clip" and (medium.id in seen) != (started_s is not None):
            state = state.with_medium(medium.id, started_s=now_s if medium.id in seen else None)
    return state


def _steered(state: LiveState, part: Shot) -> bool:
    camera = state.show.camera(part.camera_id)
    return camera is not None and camera.steered


def _record(
    state: LiveState, shot: Shot, transition_s: float, now_s: float, held_s: float, forced: bool
) -> LandingRecord:
    camera, framing, scene = state.show.camera(shot.camera_id), state.framing(shot), state.scene(shot)
    name = framing.name if framing is not None else None
    plain = camera is not None and scene is None
    cameras = parts(state, shot)
    return LandingRecord(
        at_s=now_s,
        shot=shot,
        camera_number=camera.number if camera is not None and plain else 0,
        framing_name=name if plain else state.shot_words(shot),
        transition_s=transition_s,
        landed=not any(_steered(state, p) for p in cameras) or set_at_s(state, shot) <= now_s,
        error_percent=error_percent(state, shot),
        held_s=held_s,
        forced=forced,
        trimmed=any(p.framing_id is not None and state.live(p.camera_id).trim != STILL for p in cameras),
        run_id=state.run.id,
    )


def move_up(state: LiveState, now_s: float) -> Outcome:
    """A camera has left the air: the head of the queue becomes Next if there is none, and the queue travels."""
    outcome = Outcome(state)
    free = next((s for s in state.program.then if not busy(state, s)), None)
    if state.program.next is None and free is not None:
        outcome = ready(state, free, now_s, again=False)
    return outcome.then(lambda s: send_ahead(s, now_s))


def end_change(state: LiveState, now_s: float, on: bool | None = None) -> Outcome:
    """The transition is over, where it was going or as `on` says; one that went back has not happened, and what it
    would have brought is Next again."""
    change = state.program.in_transition
    assert change is not None
    if on is None:
        on = change.direction >= 0
    state = state.with_program(in_transition=None)
    if not on:
        back = change.after if state.program.next is None else state.program.next
        state = state.with_program(
            on_air=change.before,
            since_s=now_s,
            overlays=change.before_overlays,
            next=back,
            pending=MappingProxyType(dict(change.pending)),
        )
        return Outcome(clips_run(state, now_s), (ProgramChanged(change.after, change.before, 0),))
    return Outcome(clips_run(state, now_s), (ChangeFinished(),)).then(lambda s: move_up(s, now_s))


def hold(state: LiveState, shot: Shot, transition: Transition, now_s: float) -> Outcome:
    """Wait until the shot is set. A camera that has stalled or wandered off its framing is sent there again."""
    outcome = Outcome(state.with_program(held=HeldTake(shot, transition, now_s, state.run.id)))
    for part in parts(state, shot):
        framing, target = state.framing(part), target_of(state, part)
        if framing is None or target is None or landing_state(state, part, now_s) is not LandingState.OFF:
            continue
        if state.on_air(part.camera_id):
            continue
        trim = target - framing.aim
        outcome = outcome.then(
            lambda s, part=part, target=target, trim=trim: send(s, part, target, now_s, trim)  # type: ignore[misc]
        )
    return outcome


def held_deadline_s(state: LiveState) -> float:
    """When the held take goes if no report changes that; infinite when there is none."""
    return max(state.program.held.since_s, set_at_s(state, state.program.held.shot)) if state.program.held else NEVER_S


def release_held(state: LiveState, now_s: float) -> Outcome:
    """The take that is held goes on air now."""
    assert state.program.held is not None
    return put_on_air(
        state, state.program.held.shot, state.program.held.transition, now_s, now_s - state.program.held.since_s, False
    )


def busy_on_air(state: LiveState, shot: Shot, framing: Framing, now_s: float) -> Outcome:
    """A framing was asked of a camera that is on air: it waits in the queue, and a sentence says so."""
    said = (
        f"Camera {state.camera(shot).number} is on air, so “{framing.name}” waits under Then."
        f" Ctrl+Shift+{framing.letter} moves it there on air, in {state.show.settings.live_move_s:g} s."
    )
    return queue(state, shot, now_s).then(lambda s: turned_down(s, said))
