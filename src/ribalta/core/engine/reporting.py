"""What a report does to the live state."""

from dataclasses import replace
from types import MappingProxyType

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.base.values import changed
from ribalta.core.engine.program import camera_memories, switching, travel_learning
from ribalta.core.engine.program.framing_checks import judged
from ribalta.core.engine.program.landing import image_speed_percent_s, seen_standing
from ribalta.core.engine.program.tally import light
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.as_run import RecordingBegan, SoundHeard, TakeShown
from ribalta.core.ports.crew import CheckDone, EveningEnded
from ribalta.core.ports.messages import (
    Arrived,
    ClipKnown,
    ClockSet,
    Compared,
    Contact,
    DeviceRefused,
    LineMeasured,
    LinkTrouble,
    MessageCame,
    NoPosition,
    Notice,
    OutputEnded,
    OutputWanted,
    PicturePresence,
    PictureStalled,
    Position,
    Report,
    RoomLeft,
    SettingReported,
    Severity,
    VoicesHeard,
)
from ribalta.core.ports.shots import LineQuality, SettingLive, Shot

SHORTEST_STEP_S = 0.02


def apply_report(state: LiveState, report: Report, now_s: float) -> Outcome:
    """Reports of cameras that the show does not have are ignored."""
    if isinstance(report, OutputEnded):
        return _ended(state, report)
    if isinstance(report, ClipKnown):
        return Outcome(state.with_medium(report.medium_id, length_s=report.length_s))
    if isinstance(report, ClockSet):
        return Outcome(state.with_wall_clock(offset_s=report.wall_offset_s, utc_offset_s=report.utc_offset_s))
    if isinstance(report, RoomLeft):
        return Outcome(state.with_outputs(room_minutes=report.minutes))
    if isinstance(report, MessageCame):
        return Outcome(state)  # triggers hear it
    if isinstance(report, TakeShown):
        return Outcome(state)  # the as-run log hears it
    if isinstance(report, RecordingBegan):
        files = tuple((str(what), str(path)) for what, path in report.files)
        return Outcome(state, (replace(report, files=files),))
    if isinstance(report, SoundHeard):
        return Outcome(state, (report,))
    if isinstance(report, CheckDone):
        return Outcome(state.with_crew(checked_at_s=report.at_s, stops=report.stops, looks=report.looks))
    if isinstance(report, EveningEnded):
        return Outcome(state.with_crew(closed_takes=state.program.takes))
    if isinstance(report, VoicesHeard):
        return Outcome(voice_follow.heard(state, tuple(report.mic_ids), now_s))
    if state.show.camera(report.camera_id) is None:
        return Outcome(state)
    match report:
        case Position():
            return _position(state, report)
        case Contact():
            return _contact(state, report, now_s).then(light)
        case PicturePresence():
            lost = state.live(report.camera_id).was_lost or not report.arrives
            return Outcome(state.with_live(report.camera_id, picture=report.arrives, was_lost=lost))
        case PictureStalled():
            return Outcome(_picture_late(state, report, now_s))
        case DeviceRefused():
            camera = state.camera(Shot(report.camera_id))
            said = f"Camera {camera.number} answered that {report.sentence}."
            return Outcome(state, (Notice(said, Severity.FAULT),))
        case LineMeasured():
            return Outcome(_heard(state, report))
        case LinkTrouble():
            return _trouble(state, report)
        case NoPosition():
            return _no_position(state, report)
        case Arrived():
            return Outcome(camera_memories.arrived(state, report.camera_id, now_s))
        case SettingReported():
            return light(_setting(state, report))
        case Compared():
            return Outcome(judged(state, report, now_s))


def _ended(state: LiveState, report: OutputEnded) -> Outcome:
    camera = state.show.camera(report.output)
    if camera is not None:
        said = f"The recording of camera {camera.number} has ended: {report.phrase}. Program is still recorded."
        return Outcome(state, (Notice(said, Severity.FAULT),))
    said = f"The {report.output} has ended by itself: {report.phrase}."
    if not report.began:
        said = f"{report.phrase}."
    elif report.output == "recording":
        said += " What was recorded until then can be played."
    live = state.output(report.output)
    state = state.with_output(report.output, replace(live, on=False, trouble=said))
    return Outcome(state, (OutputWanted(report.output, False), Notice(said, Severity.FAULT)))


def _heard(state: LiveState, report: LineMeasured) -> LiveState:
    live = state.live(report.camera_id)
    line = LineQuality(live.line.asked + report.asked, live.line.unanswered + report.unanswered, report.uneven_s)
    return state.with_live(report.camera_id, round_trip_s=report.round_trip_s, heard_s=report.at_s, line=line)


def _picture_late(state: LiveState, report: PictureStalled, now_s: float) -> LiveState:
    camera, live = state.camera(Shot(report.camera_id)), state.live(report.camera_id)
    if report.captured_s is None:
        kept = live.seen_s if seen_standing(camera, live) else now_s
        return state.with_live(camera.id, newest_s=None, seen_s=kept)
    late_s = now_s if live.newest_s is None else live.late_s
    return state.with_live(camera.id, newest_s=report.captured_s, late_s=late_s)


def _trouble(state: LiveState, report: LinkTrouble) -> Outcome:
    camera, before = state.camera(Shot(report.camera_id)), state.live(report.camera_id).trouble
    outcome = Outcome(state.with_live(report.camera_id, trouble=report.phrase))
    if report.phrase is None:
        said = f"The line to camera {camera.number} “{camera.name}” is open again."
        return outcome.saying(Notice(said)) if before is not None else outcome
    said = f"Camera {camera.number} “{camera.name}” is out of reach: {report.phrase}."
    return outcome.saying(Notice(said, Severity.FAULT))


def _no_position(state: LiveState, report: NoPosition) -> Outcome:
    camera = state.camera(Shot(report.camera_id))
    said = f"Camera {camera.number} “{camera.name}” answers, but does not say where it stands: its cuts cannot land."
    state = state.with_live(camera.id, no_position=True, aim=None, velocity=STILL, still_since_s=None)
    return Outcome(state, (Notice(said, Severity.FAULT),))


def _setting(state: LiveState, report: SettingReported) -> LiveState:
    settings = dict(state.live(report.camera_id).settings)
    asked = settings.get(report.setting, SettingLive()).asked
    settings[report.setting] = SettingLive(report.value, None if asked == report.value else asked)
    return state.with_live(report.camera_id, settings=MappingProxyType(settings))


def _position(state: LiveState, report: Position) -> Outcome:
    live = state.live(report.camera_id)
    step_s = report.sampled_s - live.sampled_s
    if live.aim is None:
        velocity = STILL
    elif step_s < SHORTEST_STEP_S:
        return Outcome(state)  # older than what is known, or too close to tell a speed
    else:
        way = report.aim - live.aim
        velocity = Aim(way.pan_deg / step_s, way.tilt_deg / step_s, way.zoom / step_s)
    camera = state.camera(Shot(report.camera_id))
    now = changed(live, aim=report.aim, velocity=velocity, sampled_s=report.sampled_s, no_position=False)
    moves = image_speed_percent_s(camera, now) > state.show.settings.speed_limit_percent_s
    since = None if moves else live.still_since_s if live.still_since_s is not None else report.sampled_s
    state = state.with_camera_live(camera.id, changed(now, still_since_s=since))
    return Outcome(travel_learning.learn(state, camera.id))


def _contact(state: LiveState, report: Contact, now_s: float) -> Outcome:
    live, camera = state.live(report.camera_id), state.camera(Shot(report.camera_id))
    if live.answers == report.answers:
        return Outcome(state)
    if not report.answers:
        state = state.with_live(camera.id, answers=False, velocity=STILL, still_since_s=None, was_lost=True)
        return Outcome(state, (Notice(f"Camera {camera.number} “{camera.name}” does not answer.", Severity.FAULT),))
    state = state.with_live(
        camera.id, answers=True, aim=None, velocity=STILL, still_since_s=None, no_position=False, heard_s=now_s
    )
    outcome = Outcome(state)
    lost_before = live.aim is not None or live.goal_framing_id is not None
    if lost_before:  # whatever it was asked for may have been lost with it
        outcome = outcome.saying(Notice(f"Camera {camera.number} answers again."))
        if live.goal is not None and not state.on_air(camera.id):
            shot = Shot(camera.id, live.goal_framing_id)
            again = switching.send(state, shot, live.goal, now_s, live.trim)
            outcome = Outcome(again.state, outcome.events, again.requests)
    return outcome
