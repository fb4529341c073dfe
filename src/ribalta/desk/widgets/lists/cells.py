"""Cells to press that a widget paints: by mouse, by the arrow keys and Enter when it has the focus, and by name."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ribalta.core.show.automation.calls import Call
from ribalta.desk.bridge import LIVE_MODIFIER, Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part

WORDS = {"on": "ON AIR", "next": "NEXT", "goes": "GOES"}


@dataclass(frozen=True)
class Cell:
    """Something to press: where, what it says, how it is, what it does.

    `state`: "on", "next", "goes" are tally; "runs" it works; "wrong"; "" as usual; "heading" and "words" are plain text
    that opens a place. `call`, if there is one, is what a press comes to, at once or when it was held.
    """

    area: QRectF
    words: str
    state: str
    pressed: Callable[[bool], None]
    note: str = ""
    call: Call | None = None
    pad: bool = False

    def looks_like(self, other: "Cell") -> bool:
        """Is the same painted for both?"""
        return (self.words, self.state, self.note, self.pad) == (other.words, other.state, other.note, other.pad)


class Cells(QWidget):
    """`cells()` says what there is now. What is painted is what was asked for last; `refresh` paints what differs."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._cells: list[Cell] = []
        self._pressed: Cell | None = None
        self._at = 0
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def cells(self) -> list[Cell]:
        raise NotImplementedError

    def accessible_parts(self) -> list[Part]:
        return [
            Part(c.area, f"{c.words}, {c.note}" if c.note else c.words, WORDS.get(c.state, c.state))
            for c in self.cells()
        ]

    # Painting

    def refresh(self) -> None:
        """Paint again the cells that look different now; all of them when one has come, gone or moved."""
        if not self.isVisible():
            return
        before, self._cells = self._cells, self.cells()
        if [cell.area for cell in before] != [cell.area for cell in self._cells]:
            self.update()
            return
        for old, new in zip(before, self._cells, strict=True):
            if not new.looks_like(old):
                self.update(new.area.toAlignedRect())

    def to_paint(self, event: QPaintEvent) -> list[Cell]:
        """Those that have to be painted again."""
        if event.rect().contains(self.rect()):
            self._cells = self.cells()
        region = event.region()
        return [cell for cell in self._cells if region.intersects(cell.area.toAlignedRect())]

    def paint_cell(self, painter: QPainter, cell: Cell) -> None:
        self._bridge.give_way()
        if cell.state in ("heading", "words"):
            self._words(painter, cell)
            return
        inks = {"on": look.RED, "next": look.GREEN, "goes": look.RED, "runs": look.LAMP_WARM, "wrong": look.WRONG}
        ink, filled = inks.get(cell.state), cell.state in ("on", "runs")
        painter.fillRect(cell.area, ink if filled and ink is not None else look.RAIL)
        if ink is not None and not filled:
            painter.setPen(QPen(ink, 2, Qt.PenStyle.DashLine if cell.state == "goes" else Qt.PenStyle.SolidLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(cell.area.adjusted(1, 1, -1, -1))
        inside = cell.area.adjusted(7, 0, -6, 0)
        note = "" if cell.pad else WORDS.get(cell.state, "") or cell.note
        painter.setFont(look.font(14, look.BOLD if cell.state in WORDS else look.NORMAL, narrow=True))
        wide = painter.fontMetrics().horizontalAdvance(note) + 8 if note else 0
        painter.setPen(look.INK if filled else look.TEXT if cell.state in WORDS else look.SOFT)
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, note)
        painter.setPen(look.INK if filled else look.WRONG if cell.state == "wrong" else look.TEXT)
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        said = painter.fontMetrics().elidedText(cell.words, Qt.TextElideMode.ElideRight, int(inside.width() - wide))
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, said)

    def _words(self, painter: QPainter, cell: Cell) -> None:
        """Plain text that opens a place."""
        heading = cell.state == "heading"
        painter.setFont(look.font(14, look.BOLD if heading else look.MEDIUM, narrow=not heading))
        painter.setPen(look.WRONG if cell.words.startswith("!") else look.SOFT)
        said = painter.fontMetrics().elidedText(cell.words, Qt.TextElideMode.ElideRight, int(cell.area.width()))
        painter.drawText(cell.area, Qt.AlignmentFlag.AlignVCenter, said)
        if cell.note:
            painter.setFont(look.font(14, narrow=True))
            painter.drawText(cell.area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, cell.note)

    def paint_focus(self, painter: QPainter) -> None:
        """Where the keyboard is, if it is here."""
        if self.hasFocus() and self._cells:
            cell = self._cells[min(self._at, len(self._cells) - 1)]
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.LAMP_WARM, 2))
            painter.drawRect(cell.area.adjusted(1, 1, -1, -1))

    # Pressing

    def _cell_at(self, at: QPointF) -> Cell | None:
        return next((cell for cell in self._cells if cell.area.contains(at)), None)

    def _down(self, cell: Cell) -> None:
        self._pressed = cell
        if cell.call is not None:
            self._bridge.begin(cell.call)

    def _up(self, later: bool) -> None:
        cell, self._pressed = self._pressed, None
        self._bridge.let_go()
        if cell is not None and cell.call is None:
            cell.pressed(later)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._cells = self.cells()
        cell = self._cell_at(event.position())
        if cell is not None:
            self._down(cell)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and not self._pressed.area.contains(event.position()):
            self._pressed = None
        self._up(event.button() == Qt.MouseButton.RightButton or bool(event.modifiers() & LIVE_MODIFIER))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1}
        step = steps.get(Qt.Key(event.key()))
        if step is not None and self._cells:
            self._at = (self._at + step) % len(self._cells)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._cells and not event.isAutoRepeat():
            self._down(self._cells[min(self._at, len(self._cells) - 1)])
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self._pressed is not None
            and not event.isAutoRepeat()
        ):
            self._up(bool(event.modifiers() & LIVE_MODIFIER))
        else:
            super().keyReleaseEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._pressed = None
        self._bridge.let_go()
        self.update()
