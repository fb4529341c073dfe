"""One ONVIF camera as a state machine: requests and answers in, calls and reports out.

One call of each kind is on its way at a time; a newer wish replaces one that has not been sent, and a move that got
no answer is asked again. When no call is answered for SILENCE_S the camera is out of contact and is opened anew.
"""

from ribalta.core.base.aim import Aim
from ribalta.core.motion.gliding import Glide
from ribalta.core.ports.messages import (
    Adjust,
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
from ribalta.devices.drivers.glides import Gliding
from ribalta.devices.drivers.onvif import wire
from ribalta.devices.drivers.trips import Trips

OPEN_EVERY_S = 0.5
SILENCE_S = 3.0
POLL_MOVING_S = 0.05
POLL_STILL_S = 0.3
MOST_BAD_ANSWERS, POLL_BLIND_S = 4, 2.0
KEEP_POLLING_S = 0.8
DRIVEN_FOR_S = 0.4
LEG_S, LATE_S = 0.12, 0.06
NEVER_S = float("inf")
LAMP = "tally"
SETTINGS_EVERY_S = 3.0
SET_OVER_IMAGING = ("exposure.mode", "iris", "gain", "shutter", "white_balance", "focus.mode", "focus")


class OnvifDriver:
    """A head over ONVIF PTZ (Profile S and T): absolute moves, polled status, presets, and the settings of its picture.
    Calls travel as JSON to the link."""

    def __init__(self, camera_id: str, head: Head, now_s: float) -> None:
        self.camera_id = camera_id
        self._head = head
        self._number = 0
        self._answers = False
        self._heard_s = self._open_s = self._poll_s = self._busy_until_s = now_s
        self._trips = Trips(camera_id, now_s)
        self._opening: int | None = None
        self._asked: tuple[int, float] | None = None  # a status on its way, and when it was sent
        self._moving: int | None = None  # a move on its way, and what it was
        self._moved: tuple[str, dict[str, object]] = ("", {})
        self._wanted: tuple[str, dict[str, object]] | None = None
        self._lamp: tuple[str, str] | None = None  # what lights and darkens it
        self._lamp_wanted: str | None = None
        self._imaging = False  # its picture can be set
        self._settings_at_s = NEVER_S  # when they are asked for again
        self._settings: int | None = None  # a question about them on its way
        self._adjusting: int | None = None  # a new value on its way
        self._adjusts: dict[str, str | int] = {}  # those that wait, the last one of each
        self._last: tuple[float, float, float] | None = None
        self._no_position = False
        self._bad_answers = 0
        self._drive_until_s = NEVER_S
        self._gliding: Gliding | None = None
        self._leg_s = now_s
        self._out: list[bytes] = []
        self._reports: list[Report] = []
        self.tick(now_s)

    def request(self, request: Request, now_s: float) -> None:
        """See `Driver`."""
        if not self._answers:
            return
        if isinstance(request, Adjust):
            self._adjust(request)
            self.tick(now_s)
            return
        gliding, self._gliding = self._gliding, None
        match request:
            case GoTo():
                fields: dict[str, object] = dict(wire.to_spaces(request.aim, self._head))
                if request.pace < 1:
                    fields["speed"] = max(0.02, request.pace)
                self._wanted = ("move", fields)
            case GlideTo():
                self._begin_glide(request, gliding, now_s)
            case Recall(memory=memory):
                self._wanted = ("recall", {"preset": memory + 1})
            case Remember(memory=memory):
                self._wanted = ("remember", {"preset": memory + 1})
            case GoHome():
                self._wanted = ("home", {})
            case Drive(pan=pan, tilt=tilt, zoom=zoom):
                self._wanted = ("drive", {"x": pan, "y": tilt, "z": zoom}) if pan or tilt or zoom else ("stop", {})
                self._drive_until_s = now_s + DRIVEN_FOR_S if pan or tilt or zoom else NEVER_S
            case TurnBy(pan_deg=pan_deg, tilt_deg=tilt_deg):
                self._wanted = ("nudge", wire.by_spaces(pan_deg, tilt_deg, self._head))
        self._busy_until_s = now_s + KEEP_POLLING_S
        self._poll_s = min(self._poll_s, now_s + POLL_MOVING_S)
        self.tick(now_s)

    def _adjust(self, request: Adjust) -> None:
        """A lamp only of a camera that has one: without one, nobody has asked for anything that matters."""
        if request.setting == LAMP:
            if self._lamp is not None:
                self._lamp_wanted = self._lamp[0] if request.value == "lit" else self._lamp[1]
        elif self._imaging and request.setting in SET_OVER_IMAGING:
            self._adjusts[request.setting] = request.value
        else:
            words = request.setting.replace("_", " ")
            self._reports.append(DeviceRefused(self.camera_id, f"it cannot set {words} over ONVIF"))

    def drain(self) -> tuple[list[bytes], list[Report]]:
        """See `Driver`."""
        out, reports = self._out, self._reports
        self._out, self._reports = [], []
        return out, reports

    def receive(self, data: bytes, now_s: float) -> None:
        """One answer. Anything malformed, late or not asked for has no effect."""
        answer = wire.read(data)
        if answer is None:
            return
        if answer.id == self._opening:
            self._opening = None
            if answer.error is None:
                self._lamp = wire.lamp_commands(answer.fields.get("auxiliary"))
                self._imaging = answer.fields.get("imaging") is True
                self._begin(now_s)
        elif self._answers and self._asked is not None and answer.id == self._asked[0]:
            asked_s, self._asked = self._asked[1], None
            if answer.error is None:
                self._bad_answers = 0
                self._status(answer, asked_s, now_s)
            elif answer.fields.get("answered"):
                self._no_status(now_s)
        elif self._answers and answer.id == self._settings:
            self._settings = None
            for name, value in wire.settings_of(answer.fields.get("settings")):
                self._reports.append(SettingReported(self.camera_id, name, value))
        elif self._answers and answer.id == self._adjusting:
            self._adjusting, self._settings_at_s = None, now_s
            if answer.error is not None:
                self._reports.append(DeviceRefused(self.camera_id, answer.error))
        elif self._answers and answer.id == self._moving:
            self._moving = None
            if answer.error is None:
                self._heard_s = now_s
            elif answer.fields.get("refused"):
                self._heard_s = now_s
                self._reports.append(DeviceRefused(self.camera_id, answer.error))
            else:  # nobody knows whether it was heard
                self._wanted = self._wanted or self._moved
        self.tick(now_s)

    def tick(self, now_s: float) -> None:
        """See `Driver`."""
        if not self._answers:
            if now_s >= self._open_s:
                self._open_s = now_s + OPEN_EVERY_S
                if self._opening is None or now_s - self._heard_s > SILENCE_S:
                    self._heard_s = now_s
                    self._opening = self._call("open")
            return
        if now_s - self._heard_s > SILENCE_S:
            self._lose(now_s)
            return
        if now_s >= self._drive_until_s:
            self._wanted, self._drive_until_s = ("stop", {}), NEVER_S
        if self._gliding is not None and now_s >= self._leg_s:
            self._next_leg(now_s)
        if self._moving is None and self._wanted is None and self._lamp_wanted is not None:
            self._wanted, self._lamp_wanted = ("auxiliary", {"command": self._lamp_wanted}), None
        if self._moving is None and self._wanted is not None:
            self._moved, self._wanted = self._wanted, None
            self._moving = self._call(self._moved[0], **self._moved[1])
        if self._adjusting is None and self._adjusts:
            name = next(iter(self._adjusts))
            value = wire.to_setting(name, self._adjusts.pop(name))
            self._adjusting = self._call("adjust", setting=name, value=value)
        if self._settings is None and now_s >= self._settings_at_s:
            self._settings = self._call("settings")
            self._settings_at_s = now_s + SETTINGS_EVERY_S
        if self._asked is None and now_s >= self._poll_s:
            self._asked = (self._call("status"), now_s)
            self._poll_s = now_s + (POLL_MOVING_S if now_s < self._busy_until_s else POLL_STILL_S)

    def next_deadline_s(self) -> float:
        """See `Driver`."""
        if not self._answers:
            return self._open_s
        due = min(self._heard_s + SILENCE_S + 0.001, self._drive_until_s)
        if self._settings is None:
            due = min(due, self._settings_at_s)
        if self._gliding is not None:
            due = min(due, self._leg_s)
        return min(due, self._poll_s) if self._asked is None else due

    def _begin_glide(self, request: GlideTo, before: Gliding | None, now_s: float) -> None:
        """From where it is by its last answer, or from the path that it is on."""
        if self._last is None:
            self._wanted = ("move", dict(wire.to_spaces(request.aim, self._head)))
            return
        if before is not None and now_s < before.end_s:
            path = before.next_path(now_s, request.aim, request.seconds)
        else:
            path = Glide(Aim(*self._last), request.aim, request.seconds)
        self._gliding, self._leg_s = Gliding(path, self._head, now_s, LEG_S, LATE_S), now_s

    def _next_leg(self, now_s: float) -> None:
        assert self._gliding is not None
        leg = self._gliding.leg(now_s)
        fields: dict[str, object] = dict(wire.to_spaces(leg.aim, self._head))
        self._wanted = ("move", fields | {"speed": max(0.02, min(1.0, max(leg.pan, leg.tilt, leg.zoom)))})
        self._busy_until_s, self._leg_s = now_s + KEEP_POLLING_S, now_s + LEG_S
        if self._gliding.over(now_s):
            self._gliding = None

    def _call(self, name: str, **fields: object) -> int:
        self._number += 1
        self._out.append(wire.call(self._number, name, **fields))
        return self._number

    def _begin(self, now_s: float) -> None:
        self._answers, self._heard_s, self._poll_s = True, now_s, now_s
        self._trips.begin(now_s)
        self._asked = self._moving = self._wanted = self._last = self._lamp_wanted = None
        self._no_position, self._drive_until_s, self._bad_answers = False, NEVER_S, 0
        self._settings = self._adjusting = None
        self._adjusts.clear()
        self._settings_at_s = now_s if self._imaging else NEVER_S
        self._reports.append(Contact(self.camera_id, True))

    def _lose(self, now_s: float) -> None:
        self._answers, self._open_s, self._opening, self._gliding = False, now_s, None, None
        self._reports.append(Contact(self.camera_id, False))

    def _no_status(self, now_s: float) -> None:
        """It answers, but not with where it stands: after a few such answers it is driven without."""
        self._heard_s = now_s
        self._bad_answers += 1
        if self._bad_answers < MOST_BAD_ANSWERS:
            return
        self._poll_s = max(self._poll_s, now_s + POLL_BLIND_S)
        if not self._no_position:
            self._no_position = True
            self._reports.append(NoPosition(self.camera_id))

    def _status(self, answer: wire.Answer, asked_s: float, now_s: float) -> None:
        self._heard_s = now_s
        heard = self._trips.answered(now_s - asked_s, now_s)
        if heard is not None:
            self._reports.append(heard)
        if not self._head.reports_position:
            return
        aim = wire.from_spaces(answer.fields, self._head)
        if aim is None:
            if not self._no_position:
                self._no_position = True
                self._reports.append(NoPosition(self.camera_id))
            return
        self._no_position = False
        here = (aim.pan_deg, aim.tilt_deg, aim.zoom)
        if self._last is not None and here != self._last:
            self._busy_until_s = now_s + KEEP_POLLING_S
        self._last = here
        self._reports.append(Position(self.camera_id, aim, (asked_s + now_s) / 2))
