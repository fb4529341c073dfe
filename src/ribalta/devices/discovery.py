"""Asking the network for ONVIF cameras: one WS-Discovery probe on every interface, and the answers of a few seconds.

Source: the published WS-Discovery specification (April 2005) and the ONVIF core specification, device discovery.
"""

import contextlib
import re
import socket
import struct
import time
import uuid
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from urllib.parse import unquote, urlsplit
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring as parse_xml

GROUP, PORT = "239.255.255.250", 3702
LISTEN_S = 3.0
AGAIN_S = 0.8
LARGEST = 65536
MOST_FOUND = 200
PROBE = (
    '<?xml version="1.0" encoding="UTF-8"?><e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope"'
    ' xmlns:w="http://schemas.xmlsoap.org/ws/2004/08/addressing"'
    ' xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery" xmlns:dn="http://www.onvif.org/ver10/network/wsdl">'
    "<e:Header><w:MessageID>uuid:{id}</w:MessageID><w:To>urn:schemas-xmlsoap-org:ws:2005:04:discovery</w:To>"
    "<w:Action>http://schemas.xmlsoap.org/ws/2005/04/discovery/Probe</w:Action></e:Header>"
    "<e:Body><d:Probe><d:Types>dn:NetworkVideoTransmitter</d:Types></d:Probe></e:Body></e:Envelope>"
)
_NAME = re.compile(r"onvif://www\.onvif\.org/name/(\S+)", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Found:
    """A camera that answered: its own name for itself, and where its device service is."""

    host: str
    port: int
    name: str


def interfaces() -> tuple[str, ...]:
    """The IPv4 addresses of this machine's interfaces, loopback too."""
    import fcntl

    found = []
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as line:
        for _, name in socket.if_nameindex():
            with contextlib.suppress(OSError):
                asked = struct.pack("256s", name.encode()[:15])
                found.append(socket.inet_ntoa(fcntl.ioctl(line.fileno(), 0x8915, asked)[20:24]))  # SIOCGIFADDR
    return tuple(found)


def read_match(data: bytes) -> tuple[Found, ...]:
    """The cameras in one answer; nothing for anything that is not one."""
    if len(data) > LARGEST:
        return ()
    try:
        root = parse_xml(data, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError, LookupError):
        return ()
    found = []
    for match in root.iter():
        if not str(match.tag).endswith("}ProbeMatch"):
            continue
        name = _NAME.search(_text(match, "Scopes"))
        for address in _text(match, "XAddrs").split():
            with contextlib.suppress(ValueError):
                parts = urlsplit(address)
                if parts.scheme == "http" and parts.hostname:
                    called = unquote(name.group(1))[:60] if name else ""
                    found.append(Found(parts.hostname, parts.port or 80, called))
                    break
    return tuple(found)


def _text(element: Element, name: str) -> str:
    found = next((e for e in element.iter() if str(e.tag).endswith("}" + name)), None)
    return (found.text or "") if found is not None else ""


def cameras(stopped: Callable[[], bool], only: tuple[str, ...] | None = None) -> Iterator[Found | float]:
    """Cameras as they answer, each once, and between them how much of the time is over, 0..1.

    `only` names the interfaces to ask on; all of them when it is None.
    """
    lines = []
    for address in only if only is not None else interfaces():
        with contextlib.suppress(OSError):
            line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            line.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(address))
            line.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 1)
            line.bind((address, 0))
            line.setblocking(False)
            lines.append(line)
    try:
        yield from _hear(lines, stopped)
    finally:
        for line in lines:
            line.close()


def _hear(lines: list[socket.socket], stopped: Callable[[], bool]) -> Iterator[Found | float]:
    import select

    start_s, asked, seen = time.monotonic(), 0, set[tuple[str, int]]()
    while (gone_s := time.monotonic() - start_s) < LISTEN_S and not stopped() and len(seen) < MOST_FOUND:
        if gone_s >= asked * AGAIN_S:
            asked += 1
            for line in lines:
                with contextlib.suppress(OSError):
                    line.sendto(PROBE.format(id=uuid.uuid4()).encode(), (GROUP, PORT))
        poll = select.poll()
        for line in lines:
            poll.register(line, select.POLLIN)
        ready = {number for number, _ in poll.poll(100)}
        for line in (one for one in lines if one.fileno() in ready):
            with contextlib.suppress(OSError):
                for found in read_match(line.recv(LARGEST)):
                    if (found.host, found.port) not in seen:
                        seen.add((found.host, found.port))
                        yield found
        yield min(1.0, gone_s / LISTEN_S)
