"""Secrets that somebody types into an address: taken out before anything else sees them.

A field that may hold one says so (`holds="login"` or `"key"`): a password before the host of an address, of a stream
also its key, the last part of an RTMP address. What is left goes into the show, the journal and the log.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import SplitResult, unquote, urlsplit, urlunsplit

from ribalta.core.engine.state.action import Action
from ribalta.core.show.document.model import Show

LOGIN, KEY = "login", "key"
STREAM_KEY, STREAM_LOGIN = "stream key", "stream login"  # under which users those of a stream are kept


@dataclass(frozen=True)
class Secret:
    """`secret` is of a user at an address, which is the address without it."""

    where: str
    user: str
    secret: str


def without_secrets(row: Action | None, arguments: Mapping[str, Any]) -> tuple[dict[str, Any], tuple[Secret, ...]]:
    """The arguments of an action without what is nobody's business, and that."""
    clean, found = dict(arguments), list[Secret]()
    for name, field in (row.params.model_fields if row is not None else {}).items():
        extra, value = field.json_schema_extra, clean.get(name)
        holds = extra.get("holds") if isinstance(extra, dict) else None
        if holds is None or not isinstance(value, str):
            continue
        if holds == KEY:
            clean[name], secrets = of_stream(value)
            found += secrets
        elif (taken := of_login(value)) is not None:
            clean[name] = taken.where
            if "user" in (row.params.model_fields if row is not None else {}) and not clean.get("user"):
                clean["user"] = taken.user
            found.append(Secret(taken.where, str(clean.get("user") or taken.user), taken.secret))
    return clean, tuple(found)


def of_login(address: str) -> Secret | None:
    """The password in an address; None when there is none."""
    parts = _split(address)
    if parts is None or not parts.password:
        return None
    plain = urlunsplit(parts._replace(netloc=parts.netloc.rpartition("@")[2]))
    return Secret(plain, unquote(parts.username or ""), unquote(parts.password))


def of_stream(address: str) -> tuple[str, tuple[Secret, ...]]:
    """The address that anybody may see, and what is not in it."""
    parts, found = _split(address), list[Secret]()
    if parts is None:
        return address, ()
    login = parts.netloc.rpartition("@")[0]
    if login:
        parts = parts._replace(netloc=parts.netloc.rpartition("@")[2])
    steps = parts.path.strip("/").split("/")
    key = ""
    if parts.scheme in ("rtmp", "rtmps") and len(steps) > 1 and steps[-1]:
        key = steps[-1] + (f"?{parts.query}" if parts.query else "")
        parts = parts._replace(path="/" + "/".join(steps[:-1]), query="")
    plain = urlunsplit(parts)
    if login:
        found.append(Secret(plain, STREAM_LOGIN, login))
    if key:
        found.append(Secret(plain, STREAM_KEY, key))
    return plain, tuple(found)


def whole_stream(address: str, login: str, key: str) -> str:
    """The address to stream to, with what was kept apart."""
    parts = _split(address)
    if parts is None:
        return address
    if login:
        parts = parts._replace(netloc=f"{login}@{parts.netloc}")
    whole = urlunsplit(parts)
    return f"{whole.rstrip('/')}/{key}" if key else whole


def _split(address: str) -> SplitResult | None:
    try:
        parts = urlsplit(address)
        return parts if parts.scheme and parts.hostname else None
    except ValueError:
        return None


def show_without_secrets(show: Show) -> tuple[Show, tuple[Secret, ...]]:
    """A document of an older version, or of somebody who wrote one by hand."""
    found: list[Secret] = []
    for camera in show.cameras:
        taken = of_login(camera.picture.name)
        if taken is not None:
            user = camera.picture.user or taken.user
            picture = camera.picture.model_copy(update={"name": taken.where, "user": user})
            show = show.with_camera(camera.model_copy(update={"picture": picture}))
            found.append(Secret(taken.where, user, taken.secret))
    plain, secrets = of_stream(show.outputs.stream_to)
    if secrets:
        found += secrets
        show = show.model_copy(update={"outputs": show.outputs.model_copy(update={"stream_to": plain})})
    return show, tuple(found)


def same_host(address: str, host: str) -> bool:
    """Is the host in an address the one given? Capitals do not matter."""
    parts = _split(address)
    return parts is not None and parts.hostname == host.strip().lower()
