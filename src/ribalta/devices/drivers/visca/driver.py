"""One VISCA camera as a state machine: requests and bytes in, bytes and reports out.

- At most one message of each kind (a `_Lane`) is on its way; a newer wish replaces one not sent yet.
- A command that gets no answer is sent again with its own sequence number, so a camera that did hear it does not
  do it twice; an unanswered inquiry is asked anew. A reply to anything no longer awaited is ignored.
- After SILENCE_S without any reply the camera is out of contact; a sequence reset is then tried every PROBE_S,
  and the answer to one is what makes contact.
"""

from dataclasses import dataclass

from ribalta.core.base.aim import Aim
from ribalta.core.engine.messages import Contact, DeviceRefused, GoTo, Position, Report
from ribalta.core.show.model import Head
from ribalta.devices.drivers.visca import wire

ANSWER_WITHIN_S = 0.2
SILENCE_S = 1.0
PROBE_S = 0.5
BUSY_PAUSE_S = 0.06
POLL_MOVING_S = 0.04
POLL_STILL_S = 0.25
KEEP_POLLING_S = 0.7
RAMP_STEP_S = 0.06


@dataclass(slots=True)
class _Lane:
    """One kind of message: what is to be sent, and what is awaited."""

    kind: wire.PayloadType
    resend_same: bool
    wanted: bytes | None = None
    sent: bytes | None = None
    sequence: int = -1
    sent_s: float = 0.0
    not_before_s: float = 0.0


@dataclass(frozen=True, slots=True)
class _Ramp:
    """A slow zoom: counts from `start` to `end` in so many seconds, gently at both ends."""

    start_s: float
    seconds: float
    start: int
    end: int

    def at(self, now_s: float) -> int:
        share = min(1.0, (now_s - self.start_s) / self.seconds)
        return round(self.start + (self.end - self.start) * share * share * (3 - 2 * share))


class ViscaDriver:
    """`head` gives counts per degree and the zoom's speed.

    Call `next_deadline_s` after every other call to know when to `tick`.
    """

    def __init__(self, camera_id: str, head: Head, now_s: float) -> None:
        self.camera_id = camera_id
        self._counts = head.counts_per_deg
        self._zoom_speed = head.zoom.speed
        self._ramp: _Ramp | None = None
        self._ramp_s = now_s
        self._sequence = 0
        self._answers = False
        self._heard_s = now_s
        self._probe_s = now_s
        self._probe_sequence = -1
        self._poll_s = now_s
        self._busy_until_s = now_s
        command, inquiry = wire.PayloadType.COMMAND, wire.PayloadType.INQUIRY
        self._pan_tilt, self._zoom, self._memory = (_Lane(command, True) for _ in range(3))
        self._ask_pan_tilt, self._ask_zoom = (_Lane(inquiry, False) for _ in range(2))
        self._lanes = (self._pan_tilt, self._zoom, self._memory, self._ask_pan_tilt, self._ask_zoom)
        self._pan_tilt_sample: tuple[float, int, int] | None = None
        self._zoom_sample: int | None = None
        self._last: tuple[int, int, int] | None = None
        self._out: list[bytes] = []
        self._reports: list[Report] = []
        self.tick(now_s)

    # Requests

    def go_to(self, request: GoTo, now_s: float) -> None:
        """Nothing is sent while out of contact: the engine asks again when contact returns."""
        if not self._answers:
            return
        pan, tilt = round(request.aim.pan_deg * self._counts), round(request.aim.tilt_deg * self._counts)
        zoom = round(min(1.0, max(0.0, request.aim.zoom)) * wire.ZOOM_COUNTS)
        self._go_to_zoom(zoom, request.pace, now_s)
        speeds = max(1, round(request.pace * wire.PAN_SPEEDS)), max(1, round(request.pace * wire.TILT_SPEEDS))
        self._pan_tilt.wanted = wire.pan_tilt_absolute(_held16(pan), _held16(tilt), *speeds)
        self._keep_polling(now_s)
        self.tick(now_s)

    def _go_to_zoom(self, zoom: int, pace: float, now_s: float) -> None:
        """At once, or below full pace by small eased steps: the zoom command of the protocol has no speed."""
        here = self._last[2] if self._last is not None else zoom
        seconds = abs(zoom - here) / wire.ZOOM_COUNTS / (self._zoom_speed * pace)
        self._ramp = None
        if pace < 1 and seconds > RAMP_STEP_S:
            self._ramp, self._ramp_s = _Ramp(now_s, seconds, here, zoom), now_s
        else:
            self._zoom.wanted = wire.zoom_direct(zoom)

    def memory_set(self, slot: int, now_s: float) -> None:
        """Ask the camera to store where it stands in its own memory 0..127."""
        self._memory.wanted = wire.memory_set(slot)
        self.tick(now_s)

    def memory_recall(self, slot: int, now_s: float) -> None:
        """Ask the camera to go to its own memory 0..127."""
        self._memory.wanted = wire.memory_recall(slot)
        self._keep_polling(now_s)
        self.tick(now_s)

    # Bytes in and out

    def drain(self) -> tuple[list[bytes], list[Report]]:
        out, reports = self._out, self._reports
        self._out, self._reports = [], []
        return out, reports

    def receive(self, data: bytes, now_s: float) -> None:
        """One datagram. Anything malformed, late or repeated has no effect."""
        message = wire.read(data)
        if message is None:
            return
        sequence, reply = message
        if isinstance(reply, wire.ControlReply):
            self._control(sequence, reply, now_s)
        elif self._answers:
            lane = next((x for x in self._lanes if x.sent is not None and x.sequence == sequence), None)
            if lane is not None:
                self._heard_s = now_s
                self._answered(lane, reply, now_s)
        self.tick(now_s)

    def tick(self, now_s: float) -> None:
        """Do what is due."""
        if not self._answers:
            if now_s >= self._probe_s:
                self._probe_s = now_s + PROBE_S
                self._probe_sequence = self._sequence = 0
                self._out.append(wire.datagram(wire.PayloadType.CONTROL, 0, wire.RESET_SEQUENCE))
            return
        if now_s - self._heard_s > SILENCE_S:
            self._lose(now_s)
            return
        if now_s >= self._poll_s and self._ask_pan_tilt.sent is None and self._ask_zoom.sent is None:
            self._ask_pan_tilt.wanted, self._ask_zoom.wanted = wire.PAN_TILT_INQUIRY, wire.ZOOM_INQUIRY
            self._poll_s = now_s + (POLL_MOVING_S if now_s < self._busy_until_s else POLL_STILL_S)
        if self._ramp is not None and now_s >= self._ramp_s:
            self._ramp_s = now_s + RAMP_STEP_S
            self._zoom.wanted = wire.zoom_direct(self._ramp.at(now_s))
            self._keep_polling(now_s)
            if now_s >= self._ramp.start_s + self._ramp.seconds:
                self._ramp = None
        for lane in self._lanes:
            self._advance(lane, now_s)

    def next_deadline_s(self) -> float:
        if not self._answers:
            return self._probe_s
        due = [self._heard_s + SILENCE_S + 0.001]
        if self._ramp is not None:
            due.append(self._ramp_s)
        if self._ask_pan_tilt.sent is None and self._ask_zoom.sent is None:
            due.append(self._poll_s)
        for lane in self._lanes:
            if lane.sent is not None:
                due.append(lane.sent_s + ANSWER_WITHIN_S)
            elif lane.wanted is not None:
                due.append(lane.not_before_s)
        return min(due)

    # Inside

    def _keep_polling(self, now_s: float) -> None:
        self._busy_until_s = now_s + KEEP_POLLING_S
        self._poll_s = min(self._poll_s, now_s + POLL_MOVING_S)

    def _advance(self, lane: _Lane, now_s: float) -> None:
        if lane.sent is not None:
            if now_s - lane.sent_s < ANSWER_WITHIN_S:
                return
            if lane.resend_same and lane.wanted is None:
                lane.sent_s = now_s
                self._out.append(wire.datagram(lane.kind, lane.sequence, lane.sent))
                return
            lane.wanted = lane.wanted or lane.sent
        if lane.wanted is not None and now_s >= lane.not_before_s:
            self._sequence = (self._sequence + 1) & 0xFFFFFFFF
            lane.sent, lane.wanted = lane.wanted, None
            lane.sequence, lane.sent_s = self._sequence, now_s
            self._out.append(wire.datagram(lane.kind, lane.sequence, lane.sent))

    def _control(self, sequence: int, reply: wire.ControlReply, now_s: float) -> None:
        if self._answers:
            if reply.payload[:1] == b"\x0f":  # the camera has lost count (it restarted): begin again
                self._lose(now_s)
        elif reply.payload == b"\x01" and sequence == self._probe_sequence:
            self._answers, self._heard_s, self._poll_s = True, now_s, now_s
            self._keep_polling(now_s)
            self._reports.append(Contact(self.camera_id, True))

    def _lose(self, now_s: float) -> None:
        self._answers, self._probe_s, self._last = False, now_s, None
        self._pan_tilt_sample = self._zoom_sample = self._ramp = None
        for lane in self._lanes:
            lane.wanted = lane.sent = None
        self._reports.append(Contact(self.camera_id, False))

    def _answered(self, lane: _Lane, reply: wire.Reply, now_s: float) -> None:
        sent, lane_was_inquiry = lane.sent, lane.kind is wire.PayloadType.INQUIRY
        lane.sent = None
        match reply:
            case wire.Completion(data=data) if lane_was_inquiry:
                self._sampled(lane, data, now_s)
            case wire.ErrorReply(code=wire.BUFFER_FULL):
                lane.not_before_s = now_s + BUSY_PAUSE_S
                lane.wanted = lane.wanted or sent
            case wire.ErrorReply(code=code) if not lane_was_inquiry and code != wire.CANCELLED:
                phrase = wire.ERROR_PHRASES.get(code, f"it refuses, with code {code:#04x}")
                self._reports.append(DeviceRefused(self.camera_id, phrase))

    def _sampled(self, lane: _Lane, data: bytes, now_s: float) -> None:
        """Pan and tilt, and zoom, are two answers; a report is made when a poll has both."""
        if lane is self._ask_pan_tilt:
            pan_tilt = wire.read_pan_tilt(data)
            self._pan_tilt_sample = ((lane.sent_s + now_s) / 2, *pan_tilt) if pan_tilt else None
        else:
            self._zoom_sample = wire.read_zoom(data)
        if self._pan_tilt_sample is None or self._zoom_sample is None:
            return
        sampled_s, pan, tilt = self._pan_tilt_sample
        counts = (pan, tilt, self._zoom_sample)
        self._pan_tilt_sample = self._zoom_sample = None
        if self._last is not None and counts != self._last:
            self._keep_polling(now_s)
        self._last = counts
        aim = Aim(pan / self._counts, tilt / self._counts, counts[2] / wire.ZOOM_COUNTS)
        self._reports.append(Position(self.camera_id, aim, sampled_s))


def _held16(counts: int) -> int:
    return max(-0x8000, min(0x7FFF, counts))
