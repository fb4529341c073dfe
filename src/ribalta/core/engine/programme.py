"""Everything that changes which cameras are on air or next, and so tally, is in this file."""

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.base.frames import frames_to_s
from ribalta.core.engine import memories
from ribalta.core.engine.action import Outcome, turned_down
from ribalta.core.engine.keeping import bring_back
from ribalta.core.engine.landing import NEVER_S, error_percent, landing_state, set_at_s, target_of, time_to_set_s
from ribalta.core.engine.messages import GlideTo, GoTo, Logged, MixFinished, ProgramChanged, Recall
from ribalta.core.engine.shots import HeldTake, LandingRecord, LandingState, Mixing, Shot
from ribalta.core.engine.state import KEPT_RECORDS, LiveState
from ribalta.core.motion import gliding
from ribalta.core.optics.projection import offset_percent
from ribalta.core.show.model import Framing

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
        return Outcome(memories.sent(state, camera, framing, now_s), (), (Recall(camera.id, framing.memory),))
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


def send_to_framing(state: LiveState, shot: Shot, now_s: float) -> Outcome:
    """Ask the camera to go to the shot's stored framing, dropping any trim; as it stands, it stays.

    The settings that were stored with the framing are asked for too.
    """
    framing = state.framing(shot)
    if framing is None:
        return Outcome(state)
    outcome = send(state, shot, framing.aim, now_s, STILL, state.camera(shot).recall_pace)
    return outcome.then(lambda s: bring_back(s, framing))


def ready(state: LiveState, shot: Shot, now_s: float) -> Outcome:
    """Set a shot up as Next. A held take of another shot is let go."""
    then = tuple(s for s in state.then if s.camera_id != shot.camera_id)
    held = state.held if state.held and state.held.shot == shot else None
    outcome = send_to_framing(state.with_(next=shot, then=then, held=held), shot, now_s)
    return outcome.then(lambda s: _send_ahead(s, now_s))


def take_back(state: LiveState, now_s: float) -> Outcome:
    """Nothing is Next any more, unless the queue has something; a held take is let go."""
    return move_up(state.with_(next=None, held=None), now_s)


def move_live(state: LiveState, shot: Shot, now_s: float, seconds: float) -> Outcome:
    """Glide from where the camera on air is to a framing, in so many seconds, while everybody watches."""
    framing = state.framing(shot)
    if framing is None:
        return Outcome(state)
    outcome = glide(state.with_(program=shot), shot, framing.aim, now_s, seconds)
    return outcome.then(lambda s: bring_back(s, framing))


def queue(state: LiveState, shot: Shot, now_s: float) -> Outcome:
    """Put a shot behind Next, in place of an earlier wish for the same camera; its camera goes there if it is free.

    With nothing as Next, it becomes Next unless its camera is on air.
    """
    then = (*(s for s in state.then if s.camera_id != shot.camera_id), shot)
    return move_up(state.with_(then=then), now_s)


def _send_ahead(state: LiveState, now_s: float) -> Outcome:
    """Cameras of the queue that are neither on air nor Next travel to their framings."""
    outcome = Outcome(state)
    for shot in state.then:
        live = state.live(shot.camera_id)
        if state.on_air(shot.camera_id) or state.is_next(shot.camera_id) or live.goal_framing_id == shot.framing_id:
            continue
        outcome = outcome.then(lambda s, shot=shot: send_to_framing(s, shot, now_s))  # type: ignore[misc]
    return outcome


def put_on_air(state: LiveState, shot: Shot, frames: int, now_s: float, held_s: float, forced: bool) -> Outcome:
    """The one place where program changes: record the landing, cut or start the mix, move the queue up."""
    before = state.program
    camera, framing = state.camera(shot), state.framing(shot)
    record = LandingRecord(
        at_s=now_s,
        shot=shot,
        camera_number=camera.number,
        framing_name=framing.name if framing else None,
        frames=frames,
        landed=set_at_s(state, shot) <= now_s,
        error_percent=error_percent(state, shot),
        held_s=held_s,
        forced=forced,
        trimmed=framing is not None and state.live(shot.camera_id).trim != STILL,
    )
    mixing = None
    if frames > 0 and before is not None:
        mixing = Mixing(before, shot, frames, now_s, now_s + frames_to_s(frames))
    state = state.with_(
        program=shot,
        program_since_s=now_s,
        mixing=mixing,
        held=None,
        next=None if state.next == shot else state.next,
        records=(*state.records, record)[-KEPT_RECORDS:],
    )
    outcome = Outcome(state, (ProgramChanged(before, shot, frames if mixing else 0), Logged(record)))
    return outcome if mixing else outcome.then(lambda s: move_up(s, now_s))


def move_up(state: LiveState, now_s: float) -> Outcome:
    """A camera has left the air: the head of the queue becomes Next if there is none, and the queue travels."""
    outcome = Outcome(state)
    free = next((s for s in state.then if not state.on_air(s.camera_id)), None)
    if state.next is None and free is not None:
        outcome = ready(state, free, now_s)
    return outcome.then(lambda s: _send_ahead(s, now_s))


def end_mix(state: LiveState, now_s: float) -> Outcome:
    return Outcome(state.with_(mixing=None), (MixFinished(),)).then(lambda s: move_up(s, now_s))


def hold(state: LiveState, shot: Shot, frames: int, now_s: float) -> Outcome:
    """Wait until the shot is set. A camera that has stalled or wandered off its framing is sent there again."""
    state = state.with_(held=HeldTake(shot, frames, now_s))
    framing, target = state.framing(shot), target_of(state, shot)
    if framing is None or target is None or landing_state(state, shot, now_s) is not LandingState.OFF:
        return Outcome(state)
    return send(state, shot, target, now_s, target - framing.aim)


def held_deadline_s(state: LiveState) -> float:
    """When the held take goes if no report changes that; infinite when there is none."""
    return max(state.held.since_s, set_at_s(state, state.held.shot)) if state.held else NEVER_S


def release_held(state: LiveState, now_s: float) -> Outcome:
    assert state.held is not None
    return put_on_air(state, state.held.shot, state.held.frames, now_s, now_s - state.held.since_s, False)


def busy_on_air(state: LiveState, shot: Shot, framing: Framing, now_s: float) -> Outcome:
    """A framing was asked of a camera that is on air: it waits in the queue, and a sentence says so."""
    said = (
        f"Camera {state.camera(shot).number} is on air, so “{framing.name}” waits under Then."
        f" Ctrl+Shift+{framing.letter} moves it there on air, in {state.show.settings.live_move_s:g} s."
    )
    return queue(state, shot, now_s).then(lambda s: turned_down(s, said))
