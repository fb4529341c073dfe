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
    inside = area.adjusted(2, 2, -2, -2)
    pen = QPen(ink, max(1.4, area.width() / 11))
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    middle = inside.center()
    match sign:
        case "take":  # a frame that is filled
            painter.setBrush(ink)
            painter.drawRect(inside.adjusted(0, 2, 0, -2))
        case "ready":  # a frame that waits
            painter.drawRect(inside.adjusted(0, 2, 0, -2))
        case "overlay":  # a frame with something in its lower part
            painter.drawRect(inside.adjusted(0, 2, 0, -2))
            painter.fillRect(QRectF(inside.left() + 2.5, middle.y() + 0.5, inside.width() - 5, 3), ink)
        case "sound":
            for k, tall in enumerate((0.4, 0.9, 0.6, 0.3)):
                x = inside.left() + (k + 0.5) * inside.width() / 4
                half = tall * inside.height() / 2
                painter.drawLine(QPointF(x, middle.y() - half), QPointF(x, middle.y() + half))
        case "record":
            painter.setBrush(ink)
            painter.drawEllipse(inside.adjusted(2, 2, -2, -2))
        case "send":
            painter.drawLine(QPointF(inside.left(), middle.y()), QPointF(inside.right(), middle.y()))
            painter.drawPolyline(
                _points(
                    (inside.right() - 4, middle.y() - 4),
                    (inside.right(), middle.y()),
                    (inside.right() - 4, middle.y() + 4),
                )
            )
        case "clock":
            painter.drawEllipse(inside)
            painter.drawPolyline(
                _points((middle.x(), inside.top() + 3), (middle.x(), middle.y()), (middle.x() + 3, middle.y() + 2))
            )
        case "fork":
            painter.drawPolyline(
                _points((inside.left(), middle.y()), (middle.x(), middle.y()), (inside.right(), inside.top()))
            )
            painter.drawLine(middle, inside.bottomRight())
        case "again":
            path = QPainterPath()
            path.arcMoveTo(inside, 60)
            path.arcTo(inside, 60, 290)
            painter.drawPath(path)
        case "beside":
            for y in (inside.top() + 2, middle.y(), inside.bottom() - 2):
                painter.drawLine(QPointF(inside.left(), y), QPointF(inside.right(), y))
        case "group":
            painter.drawRect(QRectF(inside.left(), inside.top(), inside.width() - 4, inside.height() - 4))
            painter.drawPolyline(
                _points(
                    (inside.left() + 4, inside.bottom()),
                    (inside.right(), inside.bottom()),
                    (inside.right(), inside.top() + 4),
                )
            )
        case "camera":
            painter.drawRect(QRectF(inside.left(), inside.top() + 3, inside.width() - 5, inside.height() - 6))
            painter.drawPolyline(
                _points(
                    (inside.right() - 5, middle.y()),
                    (inside.right(), inside.top() + 3),
                    (inside.right(), inside.bottom() - 3),
                    (inside.right() - 5, middle.y()),
                )
            )
        case "pass":  # a ring with a tick
            painter.drawEllipse(inside)
            painter.drawPolyline(
                _points(
                    (middle.x() - 3, middle.y()),
                    (middle.x() - 1, middle.y() + 2.5),
                    (middle.x() + 3.5, middle.y() - 2.5),
                )
            )
        case "look":  # an open diamond
            painter.drawPolygon(
                _points(
                    (middle.x(), inside.top()),
                    (inside.right(), middle.y()),
                    (middle.x(), inside.bottom()),
                    (inside.left(), middle.y()),
                )
            )
        case "stop":  # a full square
            painter.fillRect(inside.adjusted(0.5, 0.5, -0.5, -0.5), ink)
        case _:
            painter.setBrush(ink)
            painter.drawEllipse(middle, 2, 2)


def _points(*at: tuple[float, float]) -> QPolygonF:
    return QPolygonF([QPointF(x, y) for x, y in at])
