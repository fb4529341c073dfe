"""Titles and stills that stay as they are, drawn as one."""

from ribalta.core.picture.layering import Drawing

SETTLED = 12  # frames


class FlattenedOverlays:
    """Drawings that lie over each other as they are, as one; made when they have been the same for a while. Those that
    are far apart stay as they are: less is drawn."""

    def __init__(self, width: int, height: int) -> None:
        self._size = (width, height)
        self._parts: tuple[Drawing, ...] = ()
        self._seen = 0
        self._flat: tuple[Drawing, ...] = ()

    def of(self, parts: tuple[Drawing, ...]) -> tuple[Drawing, ...]:
        """What is drawn for these, in this order."""
        if len(parts) != len(self._parts) or any(a is not b for a, b in zip(parts, self._parts, strict=True)):
            self._parts, self._seen, self._flat = parts, 0, parts
        self._seen += 1
        if self._seen == SETTLED and len(parts) > 1:
            one = Drawing.flattened(parts, *self._size)
            if one is not None and _area(one) <= sum(map(_area, parts)):
                self._flat = (one,)
        return self._flat


def _area(drawing: Drawing) -> int:
    return drawing.picture.width * drawing.picture.height
