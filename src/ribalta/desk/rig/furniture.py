"""Furniture and walls on the plan: boxes that hide what is behind them, drawn to scale and typed in numbers."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ribalta.core.show.document.model import Obstacle
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Field, button, label

EDGE = QColor("#7d7263")
FIELDS = {
    "x_m": ("east", "East, metres"),
    "y_m": ("north", "North, metres"),
    "wide_m": ("wide", "Width, metres"),
    "deep_m": ("deep", "Depth, metres"),
    "height_m": ("high", "Height, metres"),
    "turned_deg": ("turned", "Turned clockwise, degrees"),
}


def paint_box(painter: QPainter, shape: QPolygonF, mine: bool) -> None:
    painter.setPen(QPen(look.LAMP_WARM if mine else EDGE, 2 if mine else 1))
    painter.setBrush(look.LINE)
    painter.drawPolygon(shape)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def inside(shape: QPolygonF, at: QPointF) -> bool:
    return shape.containsPoint(at, Qt.FillRule.OddEvenFill)


class FurnitureLine(QWidget):
    """The chosen piece, in numbers."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._box: Obstacle | None = None
        self.name = Field("Name of the furniture", lambda text: self._keep("name", text))
        self.fields = {
            name: Field(words, lambda text, name=name: self._keep(name, text.replace(",", ".")))  # type: ignore[misc]
            for name, (_, words) in FIELDS.items()
        }
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        line.addWidget(self.name, 2)
        for name, field in self.fields.items():
            line.addWidget(label(FIELDS[name][0], soft=True))
            line.addWidget(field, 1)
        line.addWidget(button("Remove", self._remove, "Remove this piece"))

    def show_box(self, box: Obstacle | None) -> None:
        self._box = box
        self.setVisible(box is not None)
        if box is not None:
            self.name.show_text(box.name, box)
            for name, field in self.fields.items():
                field.show_text(f"{getattr(box, name):g}", box)

    def _keep(self, name: str, text: str) -> None:
        if self._box is not None:
            self._bridge.act("furniture.place", obstacle=self._box.id, **{name: text})

    def _remove(self) -> None:
        if self._box is not None:
            self._bridge.act("furniture.remove", obstacle=self._box.id)
