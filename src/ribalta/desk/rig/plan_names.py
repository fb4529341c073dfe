"""Where names stand on the floor plan, so that none lies over another."""

from collections.abc import Iterable, Iterator

from PySide6.QtCore import QRectF

TALL, GAP = 16.0, 2.0


def _beside(thing: QRectF, wide: float) -> Iterator[QRectF]:
    """Below, above, right and left of it, and then farther away."""
    for step in range(4):
        far = GAP + step * TALL
        left = thing.center().x() - wide / 2
        yield QRectF(left, thing.bottom() + far, wide, TALL)
        yield QRectF(left, thing.top() - far - TALL, wide, TALL)
        yield QRectF(thing.right() + GAP, thing.center().y() - TALL / 2 + step * TALL, wide, TALL)
        yield QRectF(thing.left() - GAP - wide, thing.center().y() - TALL / 2 + step * TALL, wide, TALL)


def free_place(thing: QRectF, wide: float, taken: Iterable[QRectF]) -> QRectF:
    """The first place beside `thing` that lies over nothing that is taken; the one below it if there is none."""
    there = list(taken)
    places = list(_beside(thing, wide))
    return next((p for p in places if not any(p.intersects(t) for t in there)), places[0])
