"""A list of cards: a name and a line about it, beside each other; with a picture above them where there is one."""

from collections.abc import Callable

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QListWidget, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.widgets.lists.listing import Listing

WIDE, TALL, GAP = 190, 46, 6
PICTURE_WIDE, PICTURE_TALL, FOOT = 148, 83, 42


class Cards(Listing):
    """`words` of a row are its name and, on a second line, what there is to say of it. `pictured`: in columns of
    pictures, of a size; else in one line."""

    def __init__(
        self,
        bridge: Bridge,
        name: str,
        chosen: Callable[[str], None],
        pictured: bool = False,
        size: tuple[int, int, int] = (PICTURE_WIDE, PICTURE_TALL, FOOT),
    ) -> None:
        super().__init__(name, chosen)
        self.setObjectName("cards")
        self.setFlow(QListWidget.Flow.LeftToRight)
        self.setWrapping(pictured)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setItemDelegate(_Paint(bridge, self, pictured, size))
        self.setHorizontalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        if not pictured:
            self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
            self.setFixedHeight(look.scaled(TALL) + 14)


class _Paint(QStyledItemDelegate):
    def __init__(self, bridge: Bridge, cards: Cards, pictured: bool, size: tuple[int, int, int]) -> None:
        super().__init__(cards)
        self._bridge, self._cards, self._pictured = bridge, cards, pictured
        self._wide, self._tall, self._foot = size

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        row = self._cards.row_at(index.row())
        if row is not None and not row.key:  # a sentence in place of cards
            return QSize(self._cards.viewport().width() - 4, look.scaled(2 * TALL if self._pictured else TALL))
        if self._pictured:
            return QSize(self._wide + GAP, self._tall + look.scaled(self._foot) + GAP)
        return QSize(look.scaled(WIDE) + GAP, look.scaled(TALL))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        row = self._cards.row_at(index.row())
        if row is None:
            return
        self._bridge.give_way()
        whole = QRectF(option.rect)
        if not row.key:
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap)
            painter.drawText(whole.adjusted(6, 0, -4, 0), flags, row.words)
            return
        area = whole.adjusted(0, 0, -GAP, -GAP if self._pictured else 0)
        painter.fillRect(area, look.RAIL)
        foot = area
        if self._pictured:
            picture = QRectF(area.left(), area.top(), area.width(), self._tall)
            foot = area.adjusted(0, self._tall, 0, 0)
            soon = self._bridge.stored_picture_soon
            stored = row.drawn or soon(row.picture, int(picture.width()), self._tall)
            painter.fillRect(picture, look.INK)
            if stored is not None:
                draw_cropped(painter, picture, stored)
            elif row.picture is None:
                painter.setFont(look.font(13, narrow=True))
                painter.setPen(look.SOFT)
                painter.drawText(picture, Qt.AlignmentFlag.AlignCenter, "no picture")
        name, _, about = row.words.partition("\n")
        mark = "! " if row.ink is look.WRONG and "!" not in name[:2] else ""
        upper = QRectF(foot.left() + 8, foot.top() + 1, foot.width() - 12, foot.height() / 2)
        lower = upper.translated(0, foot.height() / 2 - 2)
        if not about:  # one line
            upper = foot.adjusted(6, 0, -4, 0)
        for box, words, font, ink in (
            (upper, mark + name, look.font(14, look.MEDIUM, narrow=True), row.ink or look.TEXT),
            (lower, about, look.font(13, narrow=True), look.SOFT),
        ):
            painter.setFont(font)
            painter.setPen(ink)
            said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, said)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.TEXT, 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))
