"""Small signs that are drawn: what a step does, at a glance. A word always stands beside them."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from ribalta.core.show.automation.macros import StepKind
from ribalta.desk.painting import look

FAMILIES = {  # an action's first word to its sign
    "take": "take",
    "cover": "take",
    "black": "take",
    "ready": "ready",
    "scene": "ready",
    "medium": "ready",
    "queue": "ready",
    "layer": "overlay",
    "title": "overlay",
    "inset": "overlay",
    "clear": "overlay",
    "mic": "sound",
    "sound": "sound",
    "record": "record",
    "stream": "record",
    "send": "send",
    "macro": "group",
    "playlist": "group",
    "camera": "camera",
    "framing": "camera",
    "trim": "camera",
}
OF_KINDS = {
    StepKind.WAIT: "clock",
    StepKind.UNTIL_SET: "clock",
    StepKind.UNTIL_TAKEN: "clock",
    StepKind.UNTIL_KEY: "clock",
    StepKind.MACRO: "group",
    StepKind.IF: "fork",
    StepKind.REPEAT: "again",
    StepKind.TOGETHER: "beside",
}


def sign_of(kind: StepKind, action: str = "") -> str:
    """Which sign a step has."""
    return OF_KINDS.get(kind) or FAMILIES.get(action.partition(".")[0], "dot")


def icon(sign: str, ink: QColor = look.SOFT, size: int = 18) -> QIcon:
    """A sign as an icon."""
    pixmap = QPixmap(2 * size, 2 * size)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw(painter, QRectF(0, 0, size, size), sign, ink)
    painter.end()
    return QIcon(pixmap)


def draw(painter: QPainter, area: QRectF, sign: str, ink: QColor) -> None:
    """A sign inside a square."""
    box = area.adjusted(2, 2, -2, -2)
    pen = QPen(ink, max(1.4, area.width() / 11))
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    middle = box.center()
    match sign:
        case "take":  # a frame that is filled
            painter.setBrush(ink)
            painter.drawRect(box.adjusted(0, 2, 0, -2))
        case "ready":  # a frame that waits
            painter.drawRect(box.adjusted(0, 2, 0, -2))
        case "overlay":  # a frame with something in its lower part
            painter.drawRect(box.adjusted(0, 2, 0, -2))
            painter.fillRect(QRectF(box.left() + 2.5, middle.y() + 0.5, box.width() - 5, 3), ink)
        case "sound":
            for k, tall in enumerate((0.4, 0.9, 0.6, 0.3)):
                x = box.left() + (k + 0.5) * box.width() / 4
                half = tall * box.height() / 2
                painter.drawLine(QPointF(x, middle.y() - half), QPointF(x, middle.y() + half))
        case "record":
            painter.setBrush(ink)
            painter.drawEllipse(box.adjusted(2, 2, -2, -2))
        case "send":
            painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
            painter.drawPolyline(
                _points((box.right() - 4, middle.y() - 4), (box.right(), middle.y()), (box.right() - 4, middle.y() + 4))
            )
        case "clock":
            painter.drawEllipse(box)
            painter.drawPolyline(
                _points((middle.x(), box.top() + 3), (middle.x(), middle.y()), (middle.x() + 3, middle.y() + 2))
            )
        case "fork":
            painter.drawPolyline(_points((box.left(), middle.y()), (middle.x(), middle.y()), (box.right(), box.top())))
            painter.drawLine(middle, box.bottomRight())
        case "again":
            path = QPainterPath()
            path.arcMoveTo(box, 60)
            path.arcTo(box, 60, 290)
            painter.drawPath(path)
        case "beside":
            for y in (box.top() + 2, middle.y(), box.bottom() - 2):
                painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        case "group":
            painter.drawRect(QRectF(box.left(), box.top(), box.width() - 4, box.height() - 4))
            painter.drawPolyline(
                _points((box.left() + 4, box.bottom()), (box.right(), box.bottom()), (box.right(), box.top() + 4))
            )
        case "camera":
            painter.drawRect(QRectF(box.left(), box.top() + 3, box.width() - 5, box.height() - 6))
            painter.drawPolyline(
                _points(
                    (box.right() - 5, middle.y()),
                    (box.right(), box.top() + 3),
                    (box.right(), box.bottom() - 3),
                    (box.right() - 5, middle.y()),
                )
            )
        case _:
            painter.setBrush(ink)
            painter.drawEllipse(middle, 2, 2)


def _points(*at: tuple[float, float]) -> QPolygonF:
    return QPolygonF([QPointF(x, y) for x, y in at])
