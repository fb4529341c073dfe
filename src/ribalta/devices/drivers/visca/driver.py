"""One VISCA camera as a state machine: requests and bytes in, bytes and reports out.

- At most one message of each kind (a `Lane`) is on its way; a newer wish replaces one not sent yet.
- With numbered replies, a command that gets no answer is sent again with its own number, so a camera that did hear
  it does not do it twice; an unanswered inquiry is asked anew. A reply to anything no longer awaited is ignored.
- Without numbers, a message that gets no answer ends the conversation for `late_s`: whatever comes meanwhile is
  thrown away, so that a late answer is never taken for the answer to a newer question. Then all is asked anew.
- How long an answer is waited for goes with how long answers have taken, from SOONEST_S to LATEST_S.
- Without numbers, too, an answer is known only by its length: no two questions whose answers are as long are asked
  at once; and a setting, or a zoom that no lens could have reached since, counts when it was answered twice alike.
  An acknowledgement may be taken for another's: a camera that then stands still away from where it was sent is sent
  there again, MENDED times at most.
- After `silence_s` without any reply the camera is out of contact; it is then greeted every PROBE_S, and the answer
  to a greeting is what makes contact.

Where a conversation stands is a `Stage`, and what leads from one to another is the table TRANSITIONS.
"""

from collections.abc import Callable

from ribalta.core.ports.messages import (
    Adjust,
    Arrived,
    Contact,
    DeviceRefused,
    Drive,
    GlideTo,
    GoHome,
    GoTo,
    NoPosition,
    Position,
    Recall,
    Remember,
    Report,
    Request,
    SettingReported,
    TurnBy,
)
from ribalta.core.show.document.model import Head
from ribalta.devices.drivers.trips import Trips
from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.dialects import Dialect, Headered
from ribalta.devices.drivers.visca.lanes import INQUIRY, Lane, Lanes
from ribalta.devices.drivers.visca.messages import COMMANDS, SETTINGS
from ribalta.devices.drivers.visca.moves import Moves
from ribalta.devices.drivers.visca.samples import Samples
from ribalta.devices.drivers.visca.settings_poll import SettingsPoll
from ribalta.devices.drivers.visca.stages import Happening, Stage

SOONEST_S, LATEST_S = 0.2, 0.8
PATIENCE = 2.5  # how many usual round trips an answer is waited for
SMOOTH = 0.2
MENDED, MENDED_AFTER_S, STANDS_WITHIN_COUNTS = 4, 0.6, 30
PROBE_S = 0.5
BUSY_PAUSE_S = 0.06
POLL_MOVING_S = 0.04
POLL_STILL_S = 0.25
POLL_REFUSED_S = 0.5
KEEP_POLLING_S = 0.7
NEVER_S = float("inf")


class ViscaDriver:
    """`head` gives counts per degree, the zoom's speed, and what the camera can tell.

    Call `next_deadline_s` after every other call to know when to `tick`.
    """

    def __init__(self, camera_id: str, head: Head, now_s: float, dialect: Dialect | None = None) -> None:
        self.camera_id = camera_id
        self._head = head
        self._dialect = dialect or Headered()
        self._lanes = Lanes()
        self._moves = Moves(self._lanes, head)
        self._sequence = 0
        self._stage = Stage.GREETING
        self._heard_s = self._probe_s = self._poll_s = now_s
        self._quiet_until_s = self._busy_until_s = now_s
        self._settings = SettingsPoll(head.settings, self._dialect.numbered, now_s)
        self._adjusting: dict[str, bytes] = {}
        self._trips = Trips(camera_id, now_s)
        self._usual_s = 0.0  # a smoothed round trip
        self._within_s = SOONEST_S
        self._recalling = -1  # the socket of a recall under way, -1 for none
        self._position_refused = False
        self._samples = Samples(head.zoom.speed, self._dialect.numbered, now_s)
        self._goal: tuple[GoTo, int, float] | None = None  # how often it may be asked again, and not before when
        self._out: list[bytes] = []
        self._reports: list[Report] = []
        self.tick(now_s)

    @property
    def _answers(self) -> bool:
        return self._stage is not Stage.GREETING

    def _happens(self, what: Happening, now_s: float) -> None:
        """By the table; what is not in it has no effect."""
        row = TRANSITIONS.get((self._stage, what))
        if row is not None:
            self._stage, step = row
            step(self, now_s)

    def _look_if_quiet_is_over(self, now_s: float) -> None:
        if now_s >= self._quiet_until_s:
            self._happens(Happening.QUIET_OVER, now_s)

    # Requests

    def request(self, request: Request, now_s: float) -> None:
        """Nothing is sent while out of contact: the engine asks again when contact returns."""
        if not self._answers:
            return
        if not isinstance(request, Adjust):
            self._goal = (request, MENDED, now_s) if isinstance(request, GoTo) else None
        last = self._samples.last
        match request:
            case GoTo():
                self._moves.go_to(request.aim, request.pace, last, now_s)
            case GlideTo():
                self._moves.glide(request, last, self._usual_s / 2, now_s)
                self._goal = (GoTo(self.camera_id, request.aim), MENDED, now_s + request.seconds)
            case Recall(memory=memory):
                self._moves.end()
                self._lanes.memory.wanted, self._recalling = wire.memory_recall(memory), -1
            case Remember(memory=memory):
                self._lanes.memory.wanted = wire.memory_set(memory)
            case GoHome():
                self._moves.home()
            case Drive(pan=pan, tilt=tilt, zoom=zoom):
                self._moves.drive(pan, tilt, zoom, now_s)
            case TurnBy(pan_deg=pan_deg, tilt_deg=tilt_deg):
                self._moves.turn_by(pan_deg, tilt_deg)
            case Adjust(setting=setting, value=value) if setting in SETTINGS:
                self._adjusting[setting] = SETTINGS[setting].write(value)
            case Adjust(setting=setting):
                self._reports.append(DeviceRefused(self.camera_id, f"it cannot set {setting} over VISCA"))
        if not isinstance(request, Adjust):
            self._keep_polling(now_s)
        self.tick(now_s)

    # Bytes in and out

    def drain(self) -> tuple[list[bytes], list[Report]]:
        """See `Driver`."""
        out, reports = self._out, self._reports
        self._out, self._reports = [], []
        return out, reports

    def receive(self, data: bytes, now_s: float) -> None:
        """What has arrived. Anything malformed, late or repeated has no effect."""
        self._look_if_quiet_is_over(now_s)
        for sequence, reply in self._dialect.read(data):
            if isinstance(reply, wire.ControlReply):
                self._control(sequence, reply, now_s)
            elif self._stage is Stage.TALKING:
                self._take(sequence, reply, now_s)
            elif self._stage is Stage.QUIET:
                self._heard_s = now_s
            elif not self._dialect.numbered:
                self._happens(Happening.ANSWERED, now_s)
        self.tick(now_s)

    def _take(self, sequence: int, reply: wire.Reply, now_s: float) -> None:
        finished = isinstance(reply, wire.Completion) and not reply.data
        if finished and isinstance(reply, wire.Completion) and self._lanes.memory.sent is None:
            mine = sequence == self._lanes.memory.sequence if self._dialect.numbered else True
            if mine and reply.socket == self._recalling:
                self._heard_s, self._recalling = now_s, -1
                self._reports.append(Arrived(self.camera_id))
                return
        lane = self._lanes.numbered(sequence) if self._dialect.numbered else self._lanes.meant(reply)
        self._heard_s = now_s  # even if nobody waits for it any more: it is there
        if lane is not None:
            self._answered(lane, reply, now_s)

    def tick(self, now_s: float) -> None:
        """Do what is due."""
        if not self._answers:
            if now_s >= self._probe_s:
                self._probe_s = now_s + PROBE_S
                self._sequence = 0
                self._out.extend(self._dialect.greeting())
            return
        if now_s - self._heard_s > self._dialect.silence_s:
            self._happens(Happening.SILENCE, now_s)
            return
        self._look_if_quiet_is_over(now_s)
        self._poll(now_s)
        if self._moves.tick(now_s):
            self._keep_polling(now_s)
        if self._stage is Stage.TALKING:
            within_s = self._within_s
            for lane in self._lanes.all:
                self._advance(lane, now_s, within_s)

    def next_deadline_s(self) -> float:
        """See `Driver`."""
        if not self._answers:
            return self._probe_s
        due = [self._heard_s + self._dialect.silence_s + 0.001, self._moves.due_s()]
        if self._idle(self._polled()):
            due.append(self._poll_s)
        due.append(self._asks_setting_s())
        for lane in self._lanes.all:
            if lane.sent is not None:
                due.append(lane.sent_s + self._within_s)
            elif lane.wanted is not None and self._tellable(lane):
                due.append(max(lane.not_before_s, self._quiet_until_s))
        return min(due)

    # Inside

    def _polled(self) -> tuple[Lane, ...]:
        if self._head.reports_position and not self._position_refused:
            return (self._lanes.ask_pan_tilt, self._lanes.ask_zoom)
        return (self._lanes.ask_version,)

    @staticmethod
    def _idle(lanes: tuple[Lane, ...]) -> bool:
        return all(lane.sent is None and lane.wanted is None for lane in lanes)

    def _poll(self, now_s: float) -> None:
        polled = self._polled()
        if now_s >= self._poll_s and self._idle(polled):
            moving = now_s < self._busy_until_s and len(polled) > 1
            self._poll_s = now_s + (POLL_MOVING_S if moving else POLL_STILL_S)
            if len(polled) > 1:
                polled[0].wanted, polled[1].wanted = wire.PAN_TILT_INQUIRY, wire.ZOOM_INQUIRY
            else:
                polled[0].wanted = wire.VERSION_INQUIRY
                if self._position_refused:  # perhaps it says it again by now
                    self._poll_s = now_s + POLL_REFUSED_S
                    self._lanes.ask_pan_tilt.wanted = wire.PAN_TILT_INQUIRY
        if self._adjusting and self._idle((self._lanes.adjust,)):
            setting = next(iter(self._adjusting))
            self._lanes.adjust.wanted = self._adjusting.pop(setting)
            self._settings.ask_soon(setting, now_s)  # the next question is what became of it
        if now_s >= self._asks_setting_s():
            asking = self._lanes.ask_setting
            asking.wanted, asking.length = self._settings.inquiry(now_s)

    def _asks_setting_s(self) -> float:
        """When it asks for a setting next; never while one is on its way, set or asked for."""
        if not self._settings.asked or not self._idle((self._lanes.adjust, self._lanes.ask_setting)):
            return NEVER_S
        return max(self._settings.due_s, self._busy_until_s)

    def _keep_polling(self, now_s: float) -> None:
        self._busy_until_s = now_s + KEEP_POLLING_S
        self._poll_s = min(self._poll_s, now_s + POLL_MOVING_S)

    def _advance(self, lane: Lane, now_s: float, within_s: float) -> None:
        if lane.sent is not None:
            if now_s - lane.sent_s < within_s:
                return
            self._trips.missed()
            self._within_s = min(LATEST_S, 1.5 * within_s)
            if not self._dialect.numbered:
                self._happens(Happening.UNANSWERED, now_s)
                return
            if lane.resend_same and lane.wanted is None:
                lane.sent_s = now_s
                self._out.append(self._dialect.wrap(lane.kind, lane.sequence, lane.sent))
                return
            lane.wanted = lane.wanted or lane.sent
        free = self._stage is Stage.TALKING and now_s >= lane.not_before_s
        if lane.wanted is not None and free and self._tellable(lane):
            self._sequence = (self._sequence + 1) & 0xFFFFFFFF
            lane.sent, lane.wanted = lane.wanted, None
            lane.sequence, lane.sent_s = self._sequence, now_s
            self._out.append(self._dialect.wrap(lane.kind, lane.sequence, lane.sent))

    def _tellable(self, lane: Lane) -> bool:
        """Could an answer be told from those to what is on its way already?"""
        if self._dialect.numbered or lane.kind is not INQUIRY:
            return True
        return all(other.sent is None or other is lane or other.length != lane.length for other in self._lanes.all)

    def _fall_quiet(self, now_s: float) -> None:
        self._quiet_until_s = now_s + max(self._dialect.late_s, self._usual_s)
        dropped = self._samples.drop()
        for lane in self._lanes.all:
            if lane.sent is not None:
                lane.wanted, lane.sent = lane.wanted or lane.sent, None
        if dropped:  # half an answer is none: ask for both again
            self._lanes.ask_pan_tilt.wanted, self._lanes.ask_zoom.wanted = wire.PAN_TILT_INQUIRY, wire.ZOOM_INQUIRY

    def _control(self, sequence: int, reply: wire.ControlReply, now_s: float) -> None:
        if reply.payload[:1] == b"\x0f":
            self._happens(Happening.RESTARTED, now_s)
        elif reply.payload == b"\x01" and sequence == 0:
            self._happens(Happening.ANSWERED, now_s)

    def _begin(self, now_s: float) -> None:
        self._heard_s = self._poll_s = now_s
        self._quiet_until_s = now_s + (0.0 if self._dialect.numbered else self._dialect.late_s)
        self._settings.due_s = now_s
        self._trips.begin(now_s)
        self._keep_polling(now_s)
        self._reports.append(Contact(self.camera_id, True))

    def _lose(self, now_s: float) -> None:
        self._probe_s, self._goal = now_s, None
        self._samples.forget()
        self._moves.end()
        self._position_refused, self._recalling = False, -1
        self._adjusting.clear()
        for lane in self._lanes.all:
            lane.clear()
        self._reports.append(Contact(self.camera_id, False))

    def _answered(self, lane: Lane, reply: wire.Reply, now_s: float) -> None:
        sent, lane.sent = lane.sent, None
        self._tell_heard(now_s - lane.sent_s, now_s)
        match reply:
            case wire.Completion(data=data) if lane.kind is INQUIRY:
                self._read_answer(lane, data, now_s)
            case wire.ErrorReply(code=wire.BUFFER_FULL):
                lane.not_before_s = now_s + BUSY_PAUSE_S
                lane.wanted = lane.wanted or sent
            case wire.ErrorReply() if lane in (self._lanes.ask_pan_tilt, self._lanes.ask_zoom):
                self._refuse_position(now_s)
            case wire.ErrorReply(code=code) if lane.kind is not INQUIRY and code != wire.CANCELLED:
                phrase = wire.ERROR_PHRASES.get(code, f"it refuses, with code {code:#04x}")
                self._reports.append(DeviceRefused(self.camera_id, phrase))
            case wire.Ack(socket=socket) if sent and COMMANDS["memory recall"].read(sent):
                self._recalling = socket

    def _tell_heard(self, round_trip_s: float, now_s: float) -> None:
        self._usual_s += SMOOTH * (round_trip_s - self._usual_s) if self._usual_s else round_trip_s
        self._within_s = max(SOONEST_S, min(LATEST_S, PATIENCE * self._usual_s))
        heard = self._trips.answered(round_trip_s, now_s)
        if heard is not None:
            self._reports.append(heard)

    def _refuse_position(self, now_s: float) -> None:
        if not self._position_refused:
            self._position_refused = True
            if "power" in self._settings.asked:  # perhaps it is only in standby
                self._settings.ask_soon("power", now_s)
            self._samples.drop()
            self._reports.append(NoPosition(self.camera_id))

    def _read_answer(self, lane: Lane, data: bytes, now_s: float) -> None:
        if lane is self._lanes.ask_setting:
            found = self._settings.answer(data, now_s)
            if found is not None:
                self._reports.append(SettingReported(self.camera_id, *found))
        elif lane is not self._lanes.ask_version:
            self._position_refused = False
            self._sampled(lane, data, now_s)

    def _sampled(self, lane: Lane, data: bytes, now_s: float) -> None:
        """A report is made when a poll has both answers."""
        asked = lane is self._lanes.ask_pan_tilt
        found = self._samples.pan_tilt(data, lane.sent_s, now_s) if asked else self._samples.zoom(data, now_s)
        if found is None:
            return
        counts, sampled_s = found
        if self._samples.last is not None and counts != self._samples.last:
            self._keep_polling(now_s)
        elif self._goal is not None:
            self._mend(counts, sampled_s, now_s)
        self._samples.is_last(counts, now_s)
        self._reports.append(Position(self.camera_id, self._moves.aim(counts), sampled_s))

    def _mend(self, counts: tuple[int, int, int], sampled_s: float, now_s: float) -> None:
        """It stands still: if that is not where it was sent, it is sent there again."""
        assert self._goal is not None
        request, left, asked_s = self._goal
        if sampled_s < asked_s + MENDED_AFTER_S or self._moves.busy or not self._idle(self._lanes.moving):
            return
        off = max(abs(a - b) for a, b in zip(counts, self._moves.counts(request.aim), strict=True))
        if off <= STANDS_WITHIN_COUNTS or left == 0:
            self._goal = None
        else:
            self._goal = (request, left - 1, now_s)
            self._moves.go_to(request.aim, request.pace, counts, now_s)
            self._keep_polling(now_s)

    def _go_on(self, now_s: float) -> None:
        """What was held back may be sent."""


Step = Callable[[ViscaDriver, float], None]
TRANSITIONS: dict[tuple[Stage, Happening], tuple[Stage, Step]] = {
    (Stage.GREETING, Happening.ANSWERED): (Stage.QUIET, ViscaDriver._begin),
    (Stage.QUIET, Happening.QUIET_OVER): (Stage.TALKING, ViscaDriver._go_on),
    (Stage.QUIET, Happening.SILENCE): (Stage.GREETING, ViscaDriver._lose),
    (Stage.QUIET, Happening.RESTARTED): (Stage.GREETING, ViscaDriver._lose),
    (Stage.TALKING, Happening.UNANSWERED): (Stage.QUIET, ViscaDriver._fall_quiet),
    (Stage.TALKING, Happening.SILENCE): (Stage.GREETING, ViscaDriver._lose),
    (Stage.TALKING, Happening.RESTARTED): (Stage.GREETING, ViscaDriver._lose),
}
