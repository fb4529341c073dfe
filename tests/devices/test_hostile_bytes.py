"""Every decoder is given 100,000 packets that nobody meant well: none may raise, hang, or move anything far."""

import random
import time
from collections.abc import Callable, Iterator

import pytest

from ribalta.core.ports.messages import Position
from ribalta.core.show.document.model import Head as HeadModel
from ribalta.devices import discovery
from ribalta.devices.drivers.onvif import wire as onvif_wire
from ribalta.devices.drivers.onvif.driver import OnvifDriver
from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.dialects import Bare, Headered
from ribalta.devices.drivers.visca.driver import ViscaDriver
from ribalta.devices.drivers.visca.messages import SETTINGS
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.head import Head
from ribalta.standins.visca import Answerer
from tests.depth import DEPTH
from tests.devices.test_visca import VECTORS

PACKETS = round(100_000 * DEPTH)
MATCH = (
    b'<e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope"'
    b' xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery"><e:Body><d:ProbeMatches><d:ProbeMatch>'
    b"<d:Scopes>onvif://www.onvif.org/name/Kiln%20side</d:Scopes>"
    b"<d:XAddrs>http://127.0.0.9:8080/onvif/device</d:XAddrs>"
    b"</d:ProbeMatch></d:ProbeMatches></e:Body></e:Envelope>"
)
VISCA = tuple(VECTORS.values())
BARE = tuple(v[8:] for v in VISCA if v[8:9] in (b"\x81", b"\x90"))
ANSWERS = (
    b'{"id": 1, "picture": "rtsp://127.0.0.9/1"}',
    b'{"id": 2, "x": 0.25, "y": -1.0, "z": 0.5}',
    b'{"id": 3, "error": "it is not open", "refused": true}',
)


def hostile(rng: random.Random, good: tuple[bytes, ...]) -> Iterator[bytes]:
    """Random bytes, and good messages that were cut, lengthened, glued together or changed in some places."""
    chance = rng.random  # everything else of the module takes longer than what is tested
    for _ in range(PACKETS):
        kind = chance()
        if kind < 0.25:
            yield rng.randbytes(int(40 * chance()))
            continue
        data = bytearray(good[int(len(good) * chance())])
        for _ in range(int(4 * chance())):
            data[int(len(data) * chance())] = int(256 * chance())
        if kind < 0.45:
            data = data[: int((len(data) + 1) * chance())]
        elif kind < 0.6:
            data += rng.randbytes(int(12 * chance()))
        elif kind < 0.7:
            data += good[int(len(good) * chance())]
        yield bytes(data)


class Conversation:
    """A driver in contact, or not, whose time goes on a little with each packet."""

    def __init__(self, driver: ViscaDriver | OnvifDriver, hello: bytes) -> None:
        self.driver, self.hello, self.now_s, self.count = driver, hello, 0.0, 0

    def __call__(self, data: bytes) -> None:
        self.count += 1
        self.now_s += 0.002
        if self.count % 400 == 0:
            self.driver.receive(self.hello, self.now_s)
        self.driver.receive(data, self.now_s)
        assert self.driver.next_deadline_s() < self.now_s + 10
        _, reports = self.driver.drain()
        for report in reports:
            assert not isinstance(report, Position) or abs(report.aim.pan_deg) <= 341


def stand_in(bare: bool) -> Callable[[bytes], object]:
    answerer = Answerer(Body(Head(BUILDS[0], 0.0)), bare)
    answerer.hear(VECTORS["reset sequence"], 0.0)
    return lambda data: answerer.hear(data, 0.0)


def read_settings(data: bytes) -> None:
    for row in SETTINGS.values():
        row.read(data)


ADJUSTABLE = HeadModel(settings=tuple(SETTINGS))
HELLO = VECTORS["reset sequence, answered"]
VERSION = bytes.fromhex("90 50 00 01 00 42 00 10 02 FF")
DECODERS: dict[str, tuple[Callable[[], Callable[[bytes], object]], tuple[bytes, ...]]] = {
    "VISCA datagrams": (lambda: wire.read, VISCA),
    "VISCA payloads": (lambda: wire.read_payload, BARE),
    "VISCA settings": (lambda: read_settings, BARE),
    "VISCA stream": (lambda: Bare(stream=True).read, BARE),
    "a driver with the header": (lambda: Conversation(ViscaDriver("c1", ADJUSTABLE, 0.0, Headered()), HELLO), VISCA),
    "a driver of bare datagrams": (
        lambda: Conversation(ViscaDriver("c1", ADJUSTABLE, 0.0, Bare(False)), VERSION),
        BARE,
    ),
    "a driver of a serial line": (
        lambda: Conversation(ViscaDriver("c1", ADJUSTABLE, 0.0, Bare(True, chain=True)), VERSION),
        BARE,
    ),
    "ONVIF answers": (lambda: onvif_wire.read, ANSWERS),
    "an ONVIF driver": (lambda: Conversation(OnvifDriver("c1", HeadModel(), 0.0), ANSWERS[0]), ANSWERS),
    "discovery": (lambda: discovery.read_match, (MATCH,)),
    "a stand-in with the header": (lambda: stand_in(False), VISCA),
    "a bare stand-in": (lambda: stand_in(True), BARE),
}


@pytest.mark.parametrize("name", DECODERS)
def test_hostile_bytes_do_nothing(name):
    make, good = DECODERS[name]
    decode, rng = make(), random.Random(name)
    slowest_s = 0.0
    for data in hostile(rng, good):
        start_s = time.thread_time()
        decode(data)
        slowest_s = max(slowest_s, time.thread_time() - start_s)
    assert slowest_s < 1.0  # no packet holds the line up


def test_discovery_reads_a_good_answer_and_refuses_an_expanding_one():
    assert discovery.read_match(MATCH) == (discovery.Found("127.0.0.9", 8080, "Kiln side"),)
    bomb = b'<!DOCTYPE a [<!ENTITY b "cccccccccc"><!ENTITY d "&b;&b;&b;&b;">]>' + MATCH.replace(b"Kiln", b"&d;")
    assert discovery.read_match(bomb) == ()
    assert discovery.read_match(MATCH.replace(b"http://127", b"ftp://127")) == ()
    assert discovery.read_match(MATCH.replace(b":8080", b":99999")) == ()
