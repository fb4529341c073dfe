"""How something came about, as a drawing: what asked first at the top, what came of it below."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part

BETWEEN, INSET = 18, 10


@dataclass(frozen=True)
class Link:
    """Who asked, what ran, and how it ended, if there is something to say of that; `refused`: it was turned down."""

    who: str
    what: str
    ended: str = ""
    refused: bool = False


class ChainDrawing(QWidget):
    """A box for each, and an arrow to what came of it."""

    def __init__(self) -> None:
        super().__init__()
        self.links: list[Link] = []
        self.setAccessibleName("How it came about")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_links(self, links: Sequence[Link]) -> None:
        if list(links) != self.links:
            self.links = list(links)
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, 200)

    def _boxes(self) -> list[tuple[QRectF, Link]]:
        """As many as there is room for, the last ones: what came of it counts more."""
        found, y = [], 2.0
        room = max(1, int((self.height() + BETWEEN) // (look.scaled(62) + BETWEEN)))
        for link in self.links[-room:]:
            tall = look.scaled(62 if link.ended else 44)
            found.append((QRectF(2, y, self.width() - 4, tall), link))
            y += tall + BETWEEN
        return found

    def accessible_parts(self) -> list[Part]:
        """The boxes, in order."""
        return [Part(box, f"{link.who}: {link.what}", link.ended) for box, link in self._boxes()]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        boxes = self._boxes()
        for k, (box, link) in enumerate(boxes):
            painter.setPen(QPen(look.WRONG if link.refused else look.LINE, 1))
            painter.setBrush(look.WOOD)
            painter.drawRoundedRect(box, 4, 4)
            if k + 1 < len(boxes):
                self._arrow(painter, box.bottom(), boxes[k + 1][0].top())
            self._lines(painter, box.adjusted(INSET, 2, -INSET, -2), link)

    def _arrow(self, painter: QPainter, top: float, end: float) -> None:
        painter.setPen(QPen(look.SOFT, 2))
        x = 2 + INSET + 12.0
        painter.drawLine(QPointF(x, top), QPointF(x, end - 1))
        painter.drawLine(QPointF(x - 4, end - 6), QPointF(x, end - 1))
        painter.drawLine(QPointF(x + 4, end - 6), QPointF(x, end - 1))

    @staticmethod
    def _lines(painter: QPainter, area: QRectF, link: Link) -> None:
        rows = [(link.who, look.SOFT, look.font(13)), (link.what, look.TEXT, look.font(14, look.MEDIUM))]
        if link.ended:
            ink = look.WRONG if link.refused else look.TEXT
            rows.append((f"! {link.ended}" if link.refused else link.ended, ink, look.font(13)))
        tall = area.height() / len(rows)
        for k, (words, ink, font) in enumerate(rows):
            painter.setPen(ink)
            painter.setFont(font)
            said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(area.width()))
            line = QRectF(area.left(), area.top() + k * tall, area.width(), tall)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, said)
