"""A file that is there whole, or as it was before: written beside its place and then put there."""

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO


@contextlib.contextmanager
def whole_file(path: Path, mode: int = 0o644) -> Iterator[IO[bytes]]:
    """What is written into it takes the place of `path` when this is left without an exception, and is on the disk by
    then. Raises OSError; what was there before then stays."""
    temporary: str | None = None
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.", suffix=".tmp")
        with os.fdopen(handle, "wb") as file:
            os.fchmod(file.fileno(), mode)
            yield file
            file.flush()
            os.fsync(file.fileno())
        os.replace(temporary, path)
        temporary = None
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    finally:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
