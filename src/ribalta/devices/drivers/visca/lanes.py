"""What a VISCA driver has on its way: one lane for each kind of message, with at most one message in it."""

from dataclasses import dataclass, field

from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.messages import INQUIRIES

COMMAND, INQUIRY = wire.PayloadType.COMMAND, wire.PayloadType.INQUIRY


@dataclass(slots=True)
class Lane:
    """One kind of message: what is to be sent, and what is awaited. `length`: of an answer's data, 0 for commands."""

    kind: wire.PayloadType
    length: int = 0
    wanted: bytes | None = None
    sent: bytes | None = None
    sequence: int = -1
    sent_s: float = 0.0
    not_before_s: float = 0.0

    @property
    def resend_same(self) -> bool:
        """A command is repeated with its own number, so that a camera that did hear it does not do it twice."""
        return self.kind is COMMAND

    def clear(self) -> None:
        """Nothing is wanted and nothing under way."""
        self.wanted = self.sent = None


@dataclass(slots=True)
class Lanes:
    """All lanes of one camera, in the order in which they are served."""

    pan_tilt: Lane = field(default_factory=lambda: Lane(COMMAND))
    zoom: Lane = field(default_factory=lambda: Lane(COMMAND))
    memory: Lane = field(default_factory=lambda: Lane(COMMAND))
    adjust: Lane = field(default_factory=lambda: Lane(COMMAND))
    ask_pan_tilt: Lane = field(default_factory=lambda: Lane(INQUIRY, INQUIRIES["pan-tilt"].answer.length))
    ask_zoom: Lane = field(default_factory=lambda: Lane(INQUIRY, INQUIRIES["zoom"].answer.length))
    ask_setting: Lane = field(default_factory=lambda: Lane(INQUIRY, 1))
    ask_version: Lane = field(default_factory=lambda: Lane(INQUIRY, INQUIRIES["version"].answer.length))

    @property
    def all(self) -> tuple[Lane, ...]:
        """Every lane, in the order in which they may send."""
        asking = (self.ask_pan_tilt, self.ask_zoom, self.ask_setting, self.ask_version)
        return (self.pan_tilt, self.zoom, self.memory, self.adjust, *asking)

    @property
    def moving(self) -> tuple[Lane, ...]:
        """Those whose commands move the head."""
        return (self.pan_tilt, self.zoom, self.memory)

    def numbered(self, sequence: int) -> Lane | None:
        """The lane that awaits the reply with this number."""
        return next((x for x in self.all if x.sent is not None and x.sequence == sequence), None)

    def meant(self, reply: wire.Reply) -> Lane | None:
        """The lane that a reply without a number must be for: by kind, by length, and the oldest first."""
        waiting = sorted((x for x in self.all if x.sent is not None), key=lambda x: x.sent_s)
        match reply:
            case wire.Completion(data=data) if data:
                fitting = [x for x in waiting if x.kind is INQUIRY and x.length == len(data)]
            case wire.Ack():
                fitting = [x for x in waiting if x.kind is COMMAND]
            case wire.ErrorReply(code=code) if code != wire.CANCELLED:
                fitting = waiting
            case _:
                fitting = []
        return fitting[0] if fitting else None
