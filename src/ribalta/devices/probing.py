"""What answers where: short questions to an address, each within a time limit, only when somebody asked for it.

Runs on a thread of whoever asks. `stopped` is looked at between questions.
"""

import asyncio
import contextlib
import errno
import ipaddress
import os
import socket
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import serial

from ribalta.core.base.faults import RemoteFault
from ribalta.core.show.document.model import Protocol
from ribalta.core.survey.probes import Door
from ribalta.devices.drivers.visca import wire
from ribalta.devices.links.addresses import check_host
from ribalta.devices.links.onvif import GREETED, OnvifClient, greeting, phrase_of

ANSWER_WITHIN_S = 0.6
CONNECT_WITHIN_S = 1.0
TRIES = 2
LARGEST_RANGE = 64
LONGEST_ANSWER = 65536
PORTS: tuple[tuple[Protocol, int], ...] = (
    (Protocol.VISCA_IP, 52381),
    (Protocol.VISCA_TCP, 5678),
    (Protocol.VISCA_UDP, 1259),
    (Protocol.ONVIF, 80),
    (Protocol.ONVIF, 8080),
    (Protocol.ONVIF, 8000),
)
RTSP_PORTS = (554, 8554)


@dataclass(frozen=True, slots=True)
class Answer:
    """Something spoke a protocol at a port."""

    protocol: Protocol
    port: int


def resolve(host: str) -> str:
    """The numeric address. Raises RemoteFault with a sentence."""
    host = check_host(host)
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except OSError:
        raise RemoteFault(f"There is no machine called “{host}”: is the name right?") from None
    return str(found[0][4][0])


def _socket(address: str, kind: socket.SocketKind) -> socket.socket:
    return socket.socket(socket.AF_INET6 if ":" in address else socket.AF_INET, kind)


def tcp_door(address: str, port: int) -> Door:
    """Does a port take connections, refuse them, or say nothing?"""
    with _socket(address, socket.SOCK_STREAM) as line:
        line.settimeout(CONNECT_WITHIN_S)
        try:
            line.connect((address, port))
        except ConnectionRefusedError:
            return Door.REFUSED
        except TimeoutError:
            return Door.SILENT
        except OSError as error:
            return Door.REFUSED if error.errno == errno.ECONNRESET else Door.UNREACHABLE
        return Door.OPEN


def _ask_udp(address: str, port: int, question: bytes, is_answer: Callable[[bytes], bool]) -> Door:
    """OPEN when it answered; REFUSED when the machine says that nothing is at that port."""
    with _socket(address, socket.SOCK_DGRAM) as line:
        line.settimeout(ANSWER_WITHIN_S)
        try:
            line.connect((address, port))
            for _ in range(TRIES):
                line.send(question)
                with contextlib.suppress(TimeoutError):
                    if is_answer(line.recv(2048)):
                        return Door.OPEN
        except ConnectionRefusedError:
            return Door.REFUSED
        except OSError:
            return Door.UNREACHABLE
        return Door.SILENT


def _ask_tcp(address: str, port: int, question: bytes, is_answer: Callable[[bytes], bool]) -> Door:
    """OPEN when what came back, as far as it has come, is an answer."""
    until_s = time.monotonic() + CONNECT_WITHIN_S + 2 * ANSWER_WITHIN_S
    with _socket(address, socket.SOCK_STREAM) as line:
        line.settimeout(CONNECT_WITHIN_S)
        try:
            line.connect((address, port))
            line.sendall(question)
            heard = b""
            while len(heard) < LONGEST_ANSWER and (left_s := until_s - time.monotonic()) > 0:
                line.settimeout(left_s)
                more = line.recv(4096)
                heard += more
                if is_answer(heard):
                    return Door.OPEN
                if not more:
                    break
        except ConnectionRefusedError:
            return Door.REFUSED
        except TimeoutError:
            return Door.SILENT
        except OSError:
            return Door.UNREACHABLE
        return Door.SILENT


def _is_bare_reply(data: bytes) -> bool:
    return any(wire.read_payload(part + b"\xff") is not None for part in data.split(b"\xff")[:-1])


def visca_ip(address: str, port: int) -> Door:
    """Does a camera answer there by VISCA over IP (UDP with headers)?"""
    reset = wire.datagram(wire.PayloadType.CONTROL, 0, wire.RESET_SEQUENCE)
    return _ask_udp(address, port, reset, lambda data: wire.read(data) is not None)


def visca_udp(address: str, port: int) -> Door:
    """Does a camera answer there by bare VISCA over UDP?"""
    return _ask_udp(address, port, wire.VERSION_INQUIRY, _is_bare_reply)


def visca_tcp(address: str, port: int) -> Door:
    """Does a camera answer there by bare VISCA over TCP?"""
    return _ask_tcp(address, port, wire.VERSION_INQUIRY, _is_bare_reply)


def visca_serial(line: str, baud_rate: int) -> Door:
    """SILENT when the line opens and nothing answers; UNREACHABLE when it does not open."""
    try:
        with serial.Serial(line, baud_rate, timeout=ANSWER_WITHIN_S * 2, write_timeout=1) as port:
            port.write(wire.VERSION_INQUIRY)
            return Door.OPEN if _is_bare_reply(port.read_until(b"\xff", 32)) else Door.SILENT
    except (OSError, ValueError):
        return Door.UNREACHABLE if not os.path.exists(line) else Door.REFUSED


def onvif(address: str, port: int) -> Door:
    """Does an ONVIF device service speak here? Asked without a name, as the specification allows for the time."""
    return _ask_tcp(address, port, greeting(address, port), lambda heard: any(w in heard for w in GREETED))


ASK: dict[Protocol, Callable[[str, int], Door]] = {
    Protocol.VISCA_IP: visca_ip,
    Protocol.VISCA_UDP: visca_udp,
    Protocol.VISCA_TCP: visca_tcp,
    Protocol.ONVIF: onvif,
}


def onvif_login(host: str, port: int, user: str, password: str) -> tuple[str | None, str]:
    """(what is wrong, as a phrase, or None; the address of its picture)."""

    async def login() -> tuple[str | None, str]:
        client = OnvifClient(host, port, user, password)
        try:
            answer = await client.do({"call": "open"})
        except Exception as error:  # a library and a device: anything may come, and all of it is the device's trouble
            return phrase_of(error)[0], ""
        finally:
            await client.close()
        return answer.get("error"), str(answer.get("picture", ""))

    return asyncio.run(login())


def answers(address: str, stopped: Callable[[], bool], only: int | None = None) -> Iterator[Answer]:
    """Everything that a camera could be steered by at one address, at the usual ports, or at `only` that one."""
    every = PORTS if only is None else tuple((protocol, only) for protocol in ASK)
    for protocol, port in every:
        if stopped():
            return
        if ASK[protocol](address, port) is Door.OPEN:
            yield Answer(protocol, port)


def picture_ports(address: str, only: int | None = None) -> tuple[int, ...]:
    """Ports for RTSP that take connections; of `only` that one, if it is one that RTSP is usual at."""
    ports = RTSP_PORTS if only is None else tuple(p for p in RTSP_PORTS if p == only)
    return tuple(port for port in ports if tcp_door(address, port) is Door.OPEN)


def addresses(text: str) -> tuple[str, ...]:
    """What somebody typed: one address or name, or a range such as 192.168.1.20-40 or 192.168.1.0/28.

    Raises RemoteFault for anything else, and for more than LARGEST_RANGE addresses.
    """
    text = text.strip()
    try:
        if "/" in text:
            block = ipaddress.ip_network(text, strict=False)
            found = tuple(str(a) for a in block.hosts()) if block.num_addresses <= 4 * LARGEST_RANGE else ()
            count = block.num_addresses
        elif "-" in text and text.rpartition("-")[2].isdigit() and ":" not in text:
            first, _, last = text.rpartition("-")
            start = ipaddress.IPv4Address(first.strip())
            end = int(last)
            count = end - int(str(start).rpartition(".")[2]) + 1
            if not 0 < count <= 256 or end > 255:
                raise ValueError(f"it ends at {end}, before it begins" if end <= 255 else f"{end} is more than 255")
            found = tuple(str(start + k) for k in range(count))
        else:
            return (check_host(text),)
    except ValueError as error:
        raise RemoteFault(f"“{text}” is not an address or a range: {error}.") from None
    if count > LARGEST_RANGE:
        raise RemoteFault(f"“{text}” is {count} addresses: at most {LARGEST_RANGE} are looked at in one go.")
    return found
