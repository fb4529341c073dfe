"""A dry run: what would happen from here, and when, in hand-wound time, with cameras that move as their model says.

The engine is the real one, begun anew from a state; only the cameras are pretended. Each reports when it sets off, and
when it stands at its goal, after the time that `core/motion/travel.py` foretells.
"""

import heapq
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType

from ribalta.core.base.aim import Aim
from ribalta.core.engine.automation import macro_runner
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.state.automation_state import VOICE_FOLLOW_OFF, VoiceMode
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.ports.causes import ActionRan
from ribalta.core.ports.messages import (
    Adjust,
    Contact,
    Event,
    GlideTo,
    GoTo,
    Logged,
    Notice,
    PicturePresence,
    Position,
    Request,
    SettingReported,
    Severity,
)
from ribalta.core.ports.messages import Report as Said
from ribalta.core.ports.shots import LandingRecord, Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import StepKind
from ribalta.core.show.document.model import Show

SETS_OFF_S, STEP_S = 0.04, 0.03
LONGEST_S, MOST_LINES = 6 * 3600.0, 5000
KEYS, TAKES = (StepKind.UNTIL_KEY,), (StepKind.UNTIL_TAKEN,)


@dataclass(frozen=True, slots=True)
class ReportLine:
    """Something that would happen `at_s` seconds after the beginning. `landed` of takes: True, False; else None.
    `macro` and `step`: which step of which macro asked for it, if one did."""

    at_s: float
    words: str
    action: str = ""
    landed: bool | None = None
    trouble: bool = False
    macro: str = ""
    step: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class _Trip:
    start: Aim
    end: Aim
    begun_s: float
    ends_s: float

    def at(self, now_s: float) -> Aim:
        share = min(1.0, max(0.0, (now_s - self.begun_s) / max(1e-6, self.ends_s - self.begun_s)))
        way = self.end - self.start
        return self.start + Aim(way.pan_deg * share, way.tilt_deg * share, way.zoom * share)


class Rehearsal:
    """A show that goes on from a state without anybody watching."""

    def __init__(self, state: LiveState, now_s: float) -> None:
        """Whatever runs by itself in `state` does not: only what the call leads to is told."""
        for camera in state.show.cameras:
            if state.live(camera.id).newest_s is not None:  # a picture that is late now is taken to come again
                state = state.with_live(camera.id, newest_s=None)
        nothing = state.with_automation(runs=(), waiting_macros=(), recording=None, fired=MappingProxyType({}))
        self.engine = Engine(nothing.with_(voice=VOICE_FOLLOW_OFF))
        self.now_s = self._begun_s = now_s
        self._first = state.run.count + 1  # the call itself is not told of
        self.lines: list[ReportLine] = []
        self.records: list[LandingRecord] = []
        self._trips: dict[str, _Trip] = {}
        self._due: list[tuple[float, int, Said]] = []
        self._count = 0
        for camera in state.show.cameras:  # those that are on their way get there
            live = state.live(camera.id)
            if live.goal is not None and live.aim is not None and live.still_since_s is None:
                self._move(GoTo(camera.id, live.goal, live.pace))

    def run(
        self, call: Call, until: Callable[[LiveState], bool] = lambda _: False, longest_s: float = LONGEST_S
    ) -> tuple[ReportLine, ...]:
        """Everything that follows from a call, until nothing is left to happen or `until` says so."""
        self.engine.act(call.action, call.arguments, self.now_s)
        self._take_in()
        while self.now_s - self._begun_s < longest_s and len(self.lines) < MOST_LINES:
            if until(self.engine.state):
                break
            if self._help(KEYS):
                continue
            due = min(self.engine.next_deadline_s(), self._due[0][0] if self._due else NEVER_S)
            if not self._busy(due):
                if not self._help(TAKES):
                    break
                continue
            self.now_s = max(self.now_s, due)
            if self._due and self._due[0][0] <= self.now_s:
                self.engine.report(heapq.heappop(self._due)[2], self.now_s)
            else:
                self.engine.advance(self.now_s)
            self._take_in()
        return tuple(self.lines)

    def go_on(self, until_s: float) -> None:
        """What happens by itself up to a time (clock time)."""
        while (due := min(self.engine.next_deadline_s(), self._due[0][0] if self._due else NEVER_S)) <= until_s:
            self.now_s = max(self.now_s, due)
            if self._due and self._due[0][0] <= self.now_s:
                self.engine.report(heapq.heappop(self._due)[2], self.now_s)
            else:
                self.engine.advance(self.now_s)
            self._take_in()
        self.now_s = max(self.now_s, until_s)

    def act(self, action: str, arguments: Mapping[str, object]) -> None:
        """What somebody asks for now."""
        self.engine.act(action, dict(arguments), self.now_s)
        self._take_in()

    def _busy(self, due: float) -> bool:
        """Is there anything left of what was begun? A trigger's hour of the day does not count."""
        state = self.engine.state
        under_way = bool(
            state.automation.runs
            or state.automation.waiting_macros
            or state.automation.playlist
            or state.voice.mode is not VoiceMode.OFF
            or self._due
            or state.program.held
            or state.program.in_transition
            or state.program.fading
        )
        return under_way and due < NEVER_S

    def _help(self, kinds: tuple[StepKind, ...]) -> bool:
        """Where somebody would have to press a key, or take, it is taken as done."""
        state = self.engine.state
        waits = [s.waiting for run in state.automation.runs for s in run.strands if s.waiting is not None]
        if not any(w.kind in kinds and w.until_s == NEVER_S for w in waits):
            return False
        self._say("Waits for somebody; here it goes on at once")
        self.engine.state = macro_runner.go_on(state, None, self.now_s, skip=kinds == TAKES)
        return True

    def _say(self, words: str, action: str = "", landed: bool | None = None, trouble: bool = False) -> None:
        self.lines.append(ReportLine(round(self.now_s - self._begun_s, 3), words, action, landed, trouble))

    def _take_in(self) -> None:
        events, requests = self.engine.drain()
        for event in events:
            self._note(event)
        for request in requests:
            self._move(request)

    def _note(self, event: Event) -> None:
        if isinstance(event, ActionRan) and event.number > self._first:
            refused = bool(event.refused)
            self._say(event.words + (f": {event.refused}" if refused else ""), event.action, trouble=refused)
            at_s, cause = round(event.at_s - self._begun_s, 3), event.cause
            self.lines[-1] = replace(self.lines[-1], at_s=at_s, macro=cause.macro, step=cause.step)
        elif isinstance(event, Logged):
            record, state = event.record, self.engine.state
            self.records.append(record)
            missed = record.error_percent is not None and not record.landed
            off = f", {record.error_percent:.1f} % off" if missed else ""
            words = f"On air: {state.shot_words(record.shot)}{off}"
            self._say(words, landed=record.landed, trouble=not record.landed)
            self.lines[-1] = replace(self.lines[-1], at_s=round(record.at_s - self._begun_s, 3))
        elif isinstance(event, Notice) and event.severity is Severity.FAULT:
            self._say(event.sentence, trouble=True)

    def _move(self, request: Request) -> None:
        camera = self.engine.state.show.camera(request.camera_id)
        if camera is None or camera.head is None:
            return
        if isinstance(request, Adjust):
            self.later(self.now_s + SETS_OFF_S, SettingReported(camera.id, request.setting, request.value))
            return
        if not isinstance(request, GoTo | GlideTo):
            return
        trip, live = self._trips.get(camera.id), self.engine.state.live(camera.id)
        start = trip.at(self.now_s) if trip is not None else live.aim
        if start is None or not live.answers:
            return
        motion = camera.head.motion
        if isinstance(request, GoTo):
            needs_s = motion.at_pace(request.pace).travel_s(start, request.aim)
        else:
            needs_s = request.seconds + motion.settle_s
        self._due = [one for one in self._due if not (isinstance(one[2], Position) and one[2].camera_id == camera.id)]
        heapq.heapify(self._due)
        ends_s = self.now_s + max(needs_s, 4 * SETS_OFF_S)
        trip = self._trips[camera.id] = _Trip(start, request.aim, self.now_s, ends_s)
        begun_s = self.now_s + SETS_OFF_S
        for at_s in (begun_s, begun_s + STEP_S, ends_s - STEP_S, ends_s):  # two reports tell a speed
            aim = trip.at(at_s) if at_s < ends_s - STEP_S else request.aim
            self.later(at_s, Position(camera.id, aim, at_s))

    def later(self, when_s: float, report: Said) -> None:
        """Have something reported at a time to come."""
        self._count += 1
        heapq.heappush(self._due, (when_s, self._count, report))


@dataclass(frozen=True, slots=True)
class Report:
    """What a rehearsal came to. `shots` are (on air since, for how long, words, landed); `cameras` seconds on air."""

    lines: tuple[ReportLine, ...]
    seconds: float
    shots: tuple[tuple[float, float, str, bool], ...]
    cameras: tuple[tuple[str, float], ...]

    @property
    def landed(self) -> int:
        """How many shots landed."""
        return sum(1 for _, _, _, landed in self.shots if landed)


def rehearse(show: Show, call: Call, longest_s: float, on_air: Shot | None = None) -> Report:
    """Run a macro or a playlist of a show in hand-wound time: every camera answers and stands at its first framing, and
    the cover shot is on air, or `on_air`."""
    state = all_there(show)
    if on_air is not None:
        state = state.with_program(on_air=on_air)
    rehearsal = Rehearsal(state, 0.0)
    lines = rehearsal.run(
        call,
        until=lambda s: s.automation.playlist is None and not s.automation.runs and s.run.count > 1,
        longest_s=longest_s,
    )
    end = rehearsal.engine.state
    records = rehearsal.records
    ends = [*(r.at_s for r in records[1:]), *([rehearsal.now_s] if records else [])]
    shots = tuple(
        (round(r.at_s, 2), round(e - r.at_s, 2), end.shot_words(r.shot), r.landed)
        for r, e in zip(records, ends, strict=True)
    )
    used: dict[str, float] = {}
    for record, until_s in zip(records, ends, strict=True):
        camera = show.camera(record.shot.camera_id)
        if camera is not None:
            name = f"{camera.number} {camera.name}"
            used[name] = used.get(name, 0.0) + until_s - record.at_s
    cameras = tuple((name, round(used[name], 1)) for name in sorted(used))
    return Report(lines, round(rehearsal.now_s, 2), shots, cameras)


def all_there(show: Show) -> LiveState:
    """Every camera answers, sends its picture, and stands at its first framing."""
    engine = Engine(opening_state(show, -1.0))
    for camera in show.cameras:
        engine.report(PicturePresence(camera.id, True), -1.0)
        if camera.head is None:
            continue
        engine.report(Contact(camera.id, True), -1.0)
        own = sorted((f for f in show.framings if f.camera_id == camera.id), key=lambda f: f.slot)
        aim = own[0].aim if own else Aim(0.0, 0.0, 0.0)
        for at_s in (-1.0, -0.9):
            engine.report(Position(camera.id, aim, at_s), at_s)
    engine.drain()
    return engine.state


def dry_run(state: LiveState, call: Call, now_s: float) -> tuple[ReportLine, ...]:
    """What would follow from a call, from a state on. Nothing real is touched."""
    rehearsal = Rehearsal(state, now_s)
    return rehearsal.run(call)
