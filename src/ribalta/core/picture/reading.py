"""Pictures that come from outside: JPEG and PNG, and nothing else, of a bounded size, decoded as what they are."""

import struct

import cv2
import numpy as np
from numpy.typing import NDArray

MOST_PIXELS, LONGEST = 60_000_000, 16_384
JPEG, PNG = "jpeg", "png"
_SIZES = (*range(0xC0, 0xC4), *range(0xC5, 0xC8), *range(0xC9, 0xCC), *range(0xCD, 0xD0))  # frames' headers


def kind_of(data: bytes) -> str | None:
    """JPEG or PNG by how it begins; None for anything else."""
    return JPEG if data[:3] == b"\xff\xd8\xff" else PNG if data[:8] == b"\x89PNG\r\n\x1a\n" else None


def size_of(data: bytes) -> tuple[int, int] | None:
    """(width, height) as its header says; None when that cannot be found."""
    kind = kind_of(data)
    if kind == PNG and len(data) >= 24 and data[12:16] == b"IHDR":
        width, height = struct.unpack_from(">II", data, 16)
        return int(width), int(height)
    return _jpeg_size(data) if kind == JPEG else None


def _jpeg_size(data: bytes) -> tuple[int, int] | None:
    at = 2
    while at + 9 < len(data) and data[at] == 0xFF:
        mark = data[at + 1]
        if mark == 0xFF:
            at += 1
            continue
        if mark in _SIZES:
            height, width = struct.unpack_from(">HH", data, at + 5)
            return int(width), int(height)
        if mark in (0x01, *range(0xD0, 0xD9)):
            at += 2
            continue
        at += 2 + int(struct.unpack_from(">H", data, at + 2)[0])
    return None


def is_sane(data: bytes) -> bool:
    """A JPEG or PNG whose header promises no more than can be borne."""
    size = size_of(data)
    return size is not None and min(size) > 0 and max(size) <= LONGEST and size[0] * size[1] <= MOST_PIXELS


def decoded(data: bytes) -> NDArray[np.uint8] | None:
    """(height, width, 3) BGR; None for what is none, too large, or damaged."""
    if not is_sane(data):
        return None
    try:
        pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
    except cv2.error:
        return None
    return np.asarray(pixels, np.uint8) if pixels is not None else None
