"""`ribalta thumbnail`: a small picture of a show, for file managers: what it begins with, above a row of lamps."""

import argparse
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import load

LAMPS, LAMP, WOOD = 9, (125, 203, 255), (30, 36, 43)  # BGR
SMALLEST, LARGEST = 32, 1024


def thumbnail(arguments: argparse.Namespace) -> int:
    """Raises LocalFault for a show that cannot be read, or a file that cannot be written."""
    stored = load(arguments.show)
    name = picture_of(stored.show)
    picture = drawn(stored.pictures.get(name or "", b""), max(SMALLEST, min(LARGEST, arguments.size)))
    done, data = cv2.imencode(".png", picture)
    try:
        if not done:
            raise OSError("it cannot be encoded")
        Path(arguments.picture).write_bytes(data.tobytes())
    except OSError as error:
        raise LocalFault(f"{arguments.picture} cannot be written: {error.strerror or error}.") from None
    return 0


def picture_of(show: Show) -> str | None:
    """The stored picture that stands for a show: its first scene's, or its first framing's; None when it has none."""
    named = [scene.picture for scene in show.scenes] + [framing.picture for framing in show.framings]
    return next((name for name in named if name is not None), None)


def drawn(data: bytes, wide: int) -> NDArray[np.uint8]:
    """(tall, wide, 3) BGR: a stored picture as wide as asked, or plain wood, with lamps below it."""
    tall, foot = wide * 9 // 16, max(6, wide // 16)
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR) if data else None
    made = np.empty((tall + foot, wide, 3), np.uint8)
    made[:] = WOOD
    if picture is not None:
        made[:tall] = cv2.resize(picture, (wide, tall), interpolation=cv2.INTER_AREA)
    radius = max(1, foot * 2 // 5)
    for k in range(LAMPS):
        x = round((k + 0.5) * wide / LAMPS)
        cv2.ellipse(made, (x, tall + foot - 1), (radius, radius), 0, 180, 360, LAMP, -1, cv2.LINE_AA)
    return made
