"""OSC messages to and from bytes (Open Sound Control 1.0), through python-osc; what is malformed is refused whole."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from pythonosc import osc_bundle, osc_message, osc_message_builder

LARGEST, DEEPEST, MOST = 65535, 4, 200
Value = str | int | float | bool
REFUSED = (ValueError, IndexError, TypeError, KeyError, OverflowError, RecursionError, UnicodeError, MemoryError)


class Malformed(ValueError):
    """These bytes are no OSC."""


@dataclass(frozen=True, slots=True)
class Message:
    address: str
    arguments: tuple[Value, ...] = ()

    @property
    def line(self) -> str:
        """As one line: how triggers and the list of messages have it."""
        return " ".join(["osc", self.address, *(_word(a) for a in self.arguments)])


def _word(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{value:g}" if isinstance(value, float) else str(value)


def parse(data: bytes) -> tuple[Message, ...]:
    """All messages of a datagram, those of bundles in order; their times are ignored: they count when they come.

    Raises Malformed.
    """
    try:
        return tuple(_parse(data, 0))
    except Malformed:
        raise
    except (*REFUSED, osc_bundle.ParseError, osc_message.ParseError) as error:
        raise Malformed(str(error)) from None


def _parse(data: bytes, deep: int) -> Iterator[Message]:
    if not data or len(data) % 4 or deep > DEEPEST:
        raise Malformed("an OSC packet has a multiple of four bytes")
    if osc_bundle.OscBundle.dgram_is_bundle(data):
        for k, part in enumerate(osc_bundle.OscBundle(data)):
            if k >= MOST:
                raise Malformed(f"more than {MOST} messages in a bundle")
            yield from _parse(part.dgram, deep + 1)
        return
    if not osc_message.OscMessage.dgram_is_message(data):
        raise Malformed("neither a message nor a bundle")
    message = osc_message.OscMessage(data)
    address = message.address
    if not address.isprintable():
        raise Malformed("an address of unprintable signs")
    yield Message(address, tuple(a for a in message.params if isinstance(a, str | int | float | bool)))


def build(address: str, arguments: Sequence[Value]) -> bytes:
    """Raises ValueError for what cannot be sent."""
    builder = osc_message_builder.OscMessageBuilder(address=address)
    for value in arguments:
        builder.add_arg(value)
    try:
        return builder.build().dgram
    except osc_message_builder.BuildError as error:
        raise ValueError(str(error)) from None
