"""Where names stand on the floor plan, so that none lies over another."""

from collections.abc import Iterable, Iterator

from PySide6.QtCore import QRectF

GAP = 2.0


def _beside(thing: QRectF, wide: float, tall: float) -> Iterator[QRectF]:
    """Below, above, right and left of it, and then farther away."""
    for step in range(4):
        far = GAP + step * tall
        left = thing.center().x() - wide / 2
        yield QRectF(left, thing.bottom() + far, wide, tall)
        yield QRectF(left, thing.top() - far - tall, wide, tall)
        yield QRectF(thing.right() + GAP, thing.center().y() - tall / 2 + step * tall, wide, tall)
        yield QRectF(thing.left() - GAP - wide, thing.center().y() - tall / 2 + step * tall, wide, tall)


def free_place(thing: QRectF, wide: float, tall: float, taken: Iterable[QRectF]) -> QRectF | None:
    """The first place beside `thing`, so wide and tall, that lies over nothing that is taken, if there is one."""
    there = list(taken)
    places = list(_beside(thing, wide, tall))
    return next((p for p in places if not any(p.intersects(t) for t in there)), None)
