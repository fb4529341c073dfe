"""What takes a second to make and always comes out the same is kept in the user's cache for the next time."""

import contextlib
import hashlib
import os
import tempfile
import zipfile
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from types import ModuleType
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from platformdirs import user_cache_path

Arrays = Mapping[str, NDArray[Any]]


def kept(name: str, made_by: Sequence[ModuleType], make: Callable[[], Arrays]) -> Arrays:
    """What `make` gives, from the cache if these modules and libraries made it before.

    A cache that cannot be read or written, or is damaged, costs time and nothing else.
    """
    folder = user_cache_path("ribalta", appauthor=False)
    file = folder / f"{name}-{_mark(made_by)}.npz"
    damaged = (OSError, ValueError, EOFError, zipfile.BadZipFile)
    with contextlib.suppress(*damaged), file.open("rb") as data, np.load(data) as found:
        return {key: found[key] for key in found.files}
    made = make()
    with contextlib.suppress(OSError):
        _keep(folder, file, name, made)
    return made


def _mark(made_by: Sequence[ModuleType]) -> str:
    """Another one for each other way in which it would be made."""
    mark = hashlib.sha256(f"{np.__version__} {cv2.__version__}".encode())
    for module in made_by:
        mark.update(Path(module.__file__ or "").read_bytes())
    return mark.hexdigest()[:16]


def _keep(folder: Path, file: Path, name: str, made: Arrays) -> None:
    """Whole or not at all, instead of what was kept before by this name."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    number, fresh = tempfile.mkstemp(suffix=".part", prefix=f"{name}-", dir=folder)
    try:
        with os.fdopen(number, "wb") as out:
            np.savez(out, allow_pickle=False, **made)
        Path(fresh).replace(file)
    finally:
        Path(fresh).unlink(missing_ok=True)
    for other in folder.glob(f"{name}-*"):  # of before, or begun by one that was killed
        if other != file:
            other.unlink(missing_ok=True)
