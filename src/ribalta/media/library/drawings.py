"""Drawing titles and stills with Qt: SVG, PNG and JPEG into pictures for the composer.

It wants a Qt application with the fonts loaded: see `drawing_process`, which is what others ask.
"""

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import QBuffer, QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QGuiApplication, QImage, QImageReader, QPainter, QRawFont
from PySide6.QtSvg import QSvgRenderer

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.colours import Image
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.reading import MOST_PIXELS, kind_of
from ribalta.core.show.document.templates import SMALLEST, Field, Template

WIDE = 1280  # units across a drawing


def title(
    template: Template, values: Mapping[str, str], clock: str, size: tuple[int, int]
) -> tuple[Drawing | None, str]:
    """A filled drawing for a frame of (width, height), and what is wrong with it in a sentence, or nothing."""
    drawn, said = whole_title(template, values, clock, size)
    return (Drawing.of(drawn) if drawn is not None else None), said


def whole_title(
    template: Template, values: Mapping[str, str], clock: str, size: tuple[int, int]
) -> tuple[Image | None, str]:
    """The same as a picture of the whole frame, premultiplied BGRA."""
    sizes, said = _fitted(template, values)
    return svg(template.filled(values, sizes, clock), size), said


def svg(data: bytes, size: tuple[int, int]) -> Image | None:
    """Premultiplied BGRA of a whole frame; None when it cannot be drawn."""
    if QGuiApplication.instance() is None:  # its texts could not be drawn
        return None
    renderer = QSvgRenderer(QByteArray(data))
    if not renderer.isValid():
        return None
    image = QImage(*size, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    whole = renderer.viewBoxF()
    scale = min(size[0] / whole.width(), size[1] / whole.height()) if whole.width() and whole.height() else 1.0
    wide, tall = whole.width() * scale, whole.height() * scale
    renderer.render(painter, QRectF((size[0] - wide) / 2, (size[1] - tall) / 2, wide, tall))
    painter.end()
    return _pixels(image)


def _fitted(template: Template, values: Mapping[str, str]) -> tuple[dict[str, float], str]:
    """How much smaller fields have to be; what does not fit even so, or has letters that its type lacks, is said."""
    sizes: dict[str, float] = {}
    said = ""
    for field in template.fields:
        words = values.get(field.name, field.text)
        lacking = _lacking(field, words)
        if lacking:
            said = f"“{field.name}” has letters that {field.family} lacks: {lacking}."
        if field.wide is None:
            continue
        wide = QFontMetricsF(_font(field)).horizontalAdvance(words)
        if wide > field.wide:
            sizes[field.name] = max(SMALLEST, field.wide / wide)
            if wide * SMALLEST > field.wide:
                said = f"“{field.name}” is too long for its place: {len(words)} letters. Shorten it."
    return sizes, said


def _font(field: Field) -> QFont:
    font = QFont(field.family)
    font.setPixelSize(max(1, round(field.size)))
    font.setWeight(QFont.Weight(min(900, max(100, field.weight // 100 * 100))))
    return font


def _lacking(field: Field, words: str) -> str:
    """The letters that no installed face has; Qt borrows single ones from other faces if it can."""
    raw = QRawFont.fromFont(_font(field))
    found = sorted({c for c in words if not c.isspace() and not raw.supportsCharacter(ord(c))})
    return " ".join(found[:6])


def still(data: bytes, size: tuple[int, int]) -> Image:
    """A PNG, JPEG or SVG fitted into a frame, premultiplied BGRA. Raises LocalFault with what is wrong with it."""
    kind = kind_of(data)
    if kind is None and data.lstrip()[:1] != b"<":
        raise LocalFault("It is not a PNG, JPEG or SVG picture, or it is damaged.")
    if kind is None:
        drawn = svg(Template(data, "The picture").filled({}, {}), size)
        if drawn is None:
            raise LocalFault("The drawing cannot be drawn. Export it again as plain SVG.")
        return drawn
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QBuffer.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer, QByteArray(kind.encode()))
    reader.setAutoDetectImageFormat(False)
    reader.setAutoTransform(True)
    whole = reader.size()
    if not whole.isValid():
        raise LocalFault("It is not a PNG, JPEG or SVG picture, or it is damaged.")
    if whole.width() * whole.height() > MOST_PIXELS:
        raise LocalFault(f"It has {whole.width()}x{whole.height()} pixels, which is too many. Make it smaller.")
    fitted = whole.scaled(QSize(*size), Qt.AspectRatioMode.KeepAspectRatio)
    if fitted.width() < whole.width():
        reader.setScaledSize(fitted)
    image = reader.read()
    if image.isNull():
        raise LocalFault("It is damaged: it cannot be read to its end.")
    return _centred(image, size)


def _centred(image: QImage, size: tuple[int, int]) -> Image:
    """As large as fits, in the middle of a see-through frame."""
    whole = QImage(*size, QImage.Format.Format_ARGB32_Premultiplied)
    whole.fill(Qt.GlobalColor.transparent)
    fitted = image.size().scaled(QSize(*size), Qt.AspectRatioMode.KeepAspectRatio)
    painter = QPainter(whole)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    left, top = (size[0] - fitted.width()) / 2, (size[1] - fitted.height()) / 2
    painter.drawImage(QRectF(left, top, fitted.width(), fitted.height()), image)
    painter.end()
    return _pixels(whole)


def _pixels(image: QImage) -> Image:
    """A copy of its own, (height, width, 4) BGRA."""
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 4].reshape(image.height(), image.width(), 4).copy()  # the image goes
