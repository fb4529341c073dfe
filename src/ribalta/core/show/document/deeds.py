"""What a show would do beyond this machine: asked about once, when it comes from elsewhere."""

import hashlib
import ipaddress

from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Wire
from ribalta.core.show.document.model import Show


def is_here(host: str) -> bool:
    """Does an address lead to this machine?"""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host in ("", "localhost")


def deeds(show: Show) -> tuple[str, ...]:
    """Each as it would follow “It would”, in the order in which they matter."""
    found: list[str] = []
    listening, outputs = show.listening, show.outputs
    ways = [name for name, on in _ways(show) if on]
    if listening.beyond and ways:
        found.append(f"let other machines send it {', '.join(ways)}")
    hosts = [_words(d) for d in show.destinations if d.wire is not Wire.MIDI and not is_here(d.host)]
    if hosts:
        found.append(f"send messages to {', '.join(dict.fromkeys(hosts))}")
    if outputs.stream_to:
        found.append(f"stream to {outputs.stream_to}")
    receivers = [f"{t.host}:{t.port}" for t in outputs.tally if not is_here(t.host)]
    if receivers:
        found.append(f"tell {', '.join(receivers)} what is on air")
    if show.house.on and not is_here(show.house.host):
        found.append(f"tell the broker at {show.house.host}:{show.house.port} all that is on air")
    if outputs.folder:
        found.append(f"record into {outputs.folder}")
    clips = [medium.path for medium in show.media if medium.kind == "clip" and medium.path]
    if clips:
        found.append(f"play {len(clips)} file{'s' if len(clips) > 1 else ''} of this machine ({clips[0]})")
    return tuple(found)


def _ways(show: Show) -> tuple[tuple[str, bool], ...]:
    one = show.listening
    return ("OSC", one.osc), ("HTTP", one.http), ("TCP", one.tcp_port > 0), ("UDP", one.udp_port > 0)


def _words(to: Destination) -> str:
    return f"{to.host}:{to.port}"


def digest(show: Show) -> str:
    """The same for shows that would do the same."""
    return hashlib.sha256("\n".join(deeds(show)).encode()).hexdigest()
