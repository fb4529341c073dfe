"""What a person sees of a window: every text with its place, size, colour and ground, whoever paints it."""

import functools
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPoint, QRect, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QImage, QPainter, QPixmap, QRegion
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget

Colour = tuple[int, int, int]
PLAIN = (QLabel, QAbstractButton, QComboBox, QLineEdit)
WHOLE = QWidget.RenderFlag.DrawWindowBackground
# sRGB to what is seen with no red, or no green, cones: linear light, after a published simulation (Viénot 1999)
BLIND = {
    "protan": np.array([[0.11238, 0.88762, 0.0], [0.11238, 0.88762, 0.0], [0.00401, -0.00401, 1.0]]),
    "deutan": np.array([[0.29275, 0.70725, 0.0], [0.29275, 0.70725, 0.0], [-0.02234, 0.02234, 1.0]]),
}


@dataclass(frozen=True)
class Text:
    """`contrast` is of its ink to the ground that is behind most of it; `room` the rectangle it was given."""

    widget: QWidget
    words: str
    px: int
    area: QRectF
    room: QRectF
    ink: Colour
    ground: Colour

    @property
    def contrast(self) -> float:
        return contrast(self.ink, self.ground)

    @property
    def core(self) -> QRectF:
        """Where its letters are, without the room above and below them."""
        return self.area.adjusted(2, 3, -2, -3)

    @property
    def clipped(self) -> bool:
        """Does it need more room than it was given, by more than a hair?"""
        return self.area.width() > self.room.width() + 2 or self.area.height() > self.room.height() + 4

    def __str__(self) -> str:
        where = f"{type(self.widget).__name__} {self.widget.accessibleName()!r}"
        return f"{self.words!r} in {where}: {self.px} px, contrast {self.contrast:.2f}, {self.area} in {self.room}"


def _linear(colour: Colour) -> np.ndarray:
    share = np.array(colour) / 255
    return np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


@functools.cache
def contrast(one: Colour, other: Colour, kind: str = "") -> float:
    """As the web's accessibility guidelines reckon it, 1 to 21; `kind` of colour blindness as in BLIND."""
    matrix = BLIND.get(kind, np.eye(3))
    light = [float(np.clip(matrix @ _linear(c), 0, 1) @ (0.2126, 0.7152, 0.0722)) for c in (one, other)]
    return (max(light) + 0.05) / (min(light) + 0.05)


def pixels(widget: QWidget) -> np.ndarray:
    """(height, width, 3) of the widget as it is shown, with what is in it."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()


def _commonest(part: np.ndarray) -> list[Colour]:
    """Colours of a picture, the most frequent first."""
    flat = part.reshape(-1, 3).astype(np.uint32)
    values, counts = np.unique(flat[:, 0] << 16 | flat[:, 1] << 8 | flat[:, 2], return_counts=True)
    ordered = values[np.argsort(-counts)]
    return [(int(v) >> 16, int(v) >> 8 & 255, int(v) & 255) for v in ordered[:200]]


def _ground(picture: np.ndarray, area: QRectF, ink: Colour) -> Colour:
    part = picture[
        max(0, int(area.top())) : max(1, int(area.bottom())), max(0, int(area.left())) : max(1, int(area.right()))
    ]
    found = _commonest(part // 4 * 4) if part.size else []
    others = (c for c in found if max(abs(a - b) for a, b in zip(c, ink, strict=True)) > 12)
    return next(others, ink if found else (0, 0, 0))


def painted_texts(widget: QWidget, picture: np.ndarray) -> list[Text]:
    """What a widget of ours paints by itself, without what is in it."""
    found: list[tuple[str, int, QRectF, QRectF, Colour]] = []
    original = QPainter.drawText

    def heard(painter: QPainter, *given: object) -> object:
        words = next((g for g in given if isinstance(g, str)), "")
        room = next((QRectF(g) for g in given if isinstance(g, QRectF | QRect)), None)
        if words.strip() and room is not None:
            flags = next((g for g in given if isinstance(g, int | Qt.AlignmentFlag | Qt.TextFlag)), 0)
            flags = flags if isinstance(flags, int) else flags.value
            metrics = QFontMetricsF(painter.font())
            area = metrics.boundingRect(room, flags, words)
            area = painter.transform().mapRect(area)
            colour = painter.pen().color()
            ink = (colour.red(), colour.green(), colour.blue())
            found.append((words, painter.font().pixelSize(), area, painter.transform().mapRect(room), ink))
        return original(painter, *given)

    QPainter.drawText = heard  # type: ignore[method-assign, assignment]
    try:
        if hasattr(widget, "_still"):
            widget._still = QPixmap()
            widget.refresh()
        image = QImage(widget.size(), QImage.Format.Format_RGB32)
        widget.render(image, QPoint(), QRegion(), WHOLE)
    finally:
        QPainter.drawText = original  # type: ignore[method-assign]
    return [Text(widget, w, px, area, room, ink, _ground(picture, area, ink)) for w, px, area, room, ink in found]


def _words_of(widget: QWidget) -> str:
    if isinstance(widget, QLabel | QAbstractButton):
        return widget.text().replace("&", "")
    return (
        widget.currentText()
        if isinstance(widget, QComboBox)
        else widget.text()
        if isinstance(widget, QLineEdit)
        else ""
    )


def plain_text(widget: QWidget, picture: np.ndarray) -> Text | None:
    """What Qt paints: of a label, a button, a field."""
    words = _words_of(widget)
    if not words.strip():
        return None
    inside = picture[3:-3, 3:-3]
    if not inside.size:
        return None
    counted = _commonest(inside)
    ground = counted[0]
    ink = max(counted, key=lambda c: contrast(c, ground))
    metrics, room = widget.fontMetrics(), QRectF(widget.contentsRect())
    lines = words.split("\n")
    wraps = isinstance(widget, QLabel) and widget.wordWrap()
    wide = max(metrics.horizontalAdvance(line) for line in lines)
    if wraps or isinstance(widget, QLineEdit | QComboBox):
        wide = min(wide, int(room.width()))
    area = QRectF(0, 0, wide, metrics.height() * len(lines))
    if wraps:
        area.setHeight(min(area.height(), room.height()))
    return Text(widget, words, widget.font().pixelSize(), area, room, ink, ground)


def ours(widget: QWidget) -> bool:
    """Does code of Ribalta paint it?"""
    return any("paintEvent" in vars(kind) and kind.__module__.startswith("ribalta") for kind in type(widget).__mro__)


def shown(top: QWidget) -> list[QWidget]:
    """All that is visible in a widget, itself too; nothing that another covers as a whole."""
    return [w for w in (top, *top.findChildren(QWidget)) if w.isVisible() and not w.visibleRegion().isEmpty()]


def texts(top: QWidget) -> list[Text]:
    found: list[Text] = []
    for widget in shown(top):
        if hasattr(widget, "_still"):  # what it has painted before is painted anew
            widget._still = QPixmap()
            widget.refresh()
    whole = pixels(top)
    for widget in shown(top):
        at = widget.mapTo(top, QPoint())
        picture = whole[max(0, at.y()) : at.y() + widget.height(), max(0, at.x()) : at.x() + widget.width()]
        if isinstance(widget, PLAIN) and (one := plain_text(widget, picture)):
            found.append(one)
        if ours(widget):
            found += painted_texts(widget, picture)
    return found
