"""Where running shows can be found: one socket for each, in a folder that only its owner may enter."""

import contextlib
import hashlib
import os
import socket
import stat
import struct
import tempfile
from dataclasses import dataclass
from pathlib import Path

from ribalta.core.base.faults import LocalFault

LONGEST_PATH = 100  # of a Unix socket, in bytes
ANSWERS_WITHIN_S = 0.5


def runtime_folder() -> Path:
    """Made if need be. Raises LocalFault when it is not this user's alone."""
    given = os.environ.get("XDG_RUNTIME_DIR")
    path = Path(given) / "ribalta" if given else Path(tempfile.gettempdir()) / f"ribalta-{os.getuid()}"
    try:
        path.mkdir(mode=0o700, parents=True, exist_ok=True)
        found = path.lstat()
    except OSError as error:
        raise LocalFault(f"Running shows cannot be found in {path}: {error.strerror or error}.") from None
    if not stat.S_ISDIR(found.st_mode) or found.st_uid != os.getuid() or found.st_mode & 0o077:
        raise LocalFault(f"The folder {path} must be yours alone, and is not: remove it, or run chmod 700 on it.")
    return path


@dataclass(frozen=True)
class Meeting:
    """Where the server of a show listens."""

    name: str
    path: Path


def meeting_of(show: Path | None) -> Meeting:
    """Of a show by its file; a show without one is told apart by its process. Raises LocalFault."""
    folder = runtime_folder()
    if show is None:
        name, sign = "show", str(os.getpid())
    else:
        name, sign = show.stem, hashlib.sha256(os.fsencode(show.resolve())).hexdigest()[:10]
    room = LONGEST_PATH - len(os.fsencode(folder)) - len(sign) - len("/.sock") - 1
    short = os.fsdecode(os.fsencode(name.replace("/", "_"))[: max(0, room)]).encode(errors="ignore").decode()
    return Meeting(name, folder / f"{short}.{sign}.sock")


def running() -> tuple[Meeting, ...]:
    """Those whose servers answer; sockets that a crash left are removed. Raises LocalFault."""
    found = []
    for path in sorted(runtime_folder().glob("*.sock")):
        if answers(path):
            found.append(Meeting(path.name.rsplit(".", 2)[0], path))
        else:
            with contextlib.suppress(OSError):
                path.unlink()
    return tuple(found)


def answers(path: Path) -> bool:
    """Does a server listen there?"""
    with contextlib.closing(socket.socket(socket.AF_UNIX)) as asking:
        asking.settimeout(ANSWERS_WITHIN_S)
        try:
            asking.connect(os.fspath(path))
        except OSError as error:
            return isinstance(error, BlockingIOError | TimeoutError)  # it is there, and busy
        return True


def listen_at(path: Path) -> socket.socket:
    """Where desks can attach. Raises LocalFault when another server is there, or it cannot be made."""
    if path.exists() and answers(path):
        raise LocalFault("This show runs already on this machine: `ribalta desk` opens a window on it.")
    made = socket.socket(socket.AF_UNIX)
    try:
        with contextlib.suppress(FileNotFoundError):
            path.unlink()
        made.bind(os.fspath(path))
        os.chmod(path, 0o600)
        made.listen(8)
    except OSError as error:
        made.close()
        raise LocalFault(f"Desks cannot attach at {path}: {error.strerror or error}.") from None
    made.setblocking(False)
    return made


def is_same_user(peer: socket.socket) -> bool:
    """Is the process at the other end this user's (or root's)?"""
    ids = peer.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i"))
    _, uid, _ = struct.unpack("3i", ids)
    return uid in (0, os.getuid())
