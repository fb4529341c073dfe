"""Pictures without a drawing in them."""

import numpy as np

from ribalta.media.sources.source import Image


def on_black(picture: Image) -> Image:
    """A premultiplied picture over black: its colours as they are, covering all."""
    whole = picture.copy()
    whole[..., 3] = 255
    return whole


def plain(colour: tuple[int, int, int], size: tuple[int, int]) -> Image:
    """One colour (blue, green, red) all over."""
    whole = np.empty((size[1], size[0], 4), np.uint8)
    whole[:] = (*colour, 255)
    return whole
