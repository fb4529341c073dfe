"""What can be the address or name of a machine, without asking anybody."""

import contextlib
import ipaddress
import re

_LABEL = re.compile(r"(?!-)[A-Za-z0-9_-]{1,63}(?<!-)$")


def is_host(text: str) -> bool:
    """An IP address, or a name as machines have them; a row of numbers that is no address is neither."""
    with contextlib.suppress(ValueError):
        ipaddress.ip_address(text)
        return True
    labels = text.rstrip(".").split(".")
    return 0 < len(text) <= 253 and all(_LABEL.match(x) for x in labels) and not all(x.isdigit() for x in labels)


def split_port(text: str) -> tuple[str, int | None]:
    """An address and the port that was typed with it, as 192.168.1.20:5678; None when there is none."""
    text = text.strip()
    host, sign, port = text.rpartition(":")
    if sign and host and ":" not in host and port.isascii() and port.isdigit() and 0 < int(port) <= 65535:
        return host, int(port)
    return text, None
