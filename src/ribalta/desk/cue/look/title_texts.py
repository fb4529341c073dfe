"""Where the texts of a title lie in its picture, and pictures of the drawings that ship with Ribalta.

Only drawings that ship with it are drawn here: what a show brings may take long to draw, and is drawn elsewhere.
"""

import functools
from collections.abc import Mapping

from PySide6.QtCore import QByteArray, QRectF
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

from ribalta.core.show.document.templates import Field, Template, shipped
from ribalta.desk.painting import look

FRAME = (1280, 720)  # of every drawing
NEAR, LEAST = 6.0, 60.0  # around the letters, and how wide a text is at least, in units of the drawing


@functools.cache
def drawn(name: str, wide: int, tall: int) -> QPixmap:
    """A drawing that ships with Ribalta, with its own words, over the ground of a picture."""
    made = QPixmap(wide, tall)
    made.fill(look.LINE)
    template = shipped(name)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    QSvgRenderer(QByteArray(template.filled({}, {}))).render(painter, QRectF(0, 0, wide, tall))
    painter.end()
    return made


def text_areas(template: Template, values: Mapping[str, str]) -> dict[str, QRectF]:
    """Where each text of a drawing is with these words, in shares of the picture."""
    found = {}
    for field in template.fields:
        metrics = QFontMetricsF(_font(field))
        wide = metrics.horizontalAdvance(values.get(field.name, field.text) or field.text)
        wide = max(LEAST, min(wide, field.wide) if field.wide is not None else wide)
        left = field.x - {"middle": wide / 2, "end": wide}.get(field.anchor, 0.0)
        area = QRectF(left, field.y - field.size, wide, 1.3 * field.size).adjusted(-NEAR, -NEAR, NEAR, NEAR)
        found[field.name] = QRectF(
            area.left() / FRAME[0], area.top() / FRAME[1], area.width() / FRAME[0], area.height() / FRAME[1]
        )
    return found


def _font(field: Field) -> QFont:
    font = QFont(field.family)
    font.setPixelSize(max(1, round(field.size)))
    font.setWeight(QFont.Weight(min(1000, max(1, field.weight))))
    return font


def is_over(areas: Mapping[str, QRectF], x: float, y: float) -> str:
    """The text at a place in shares of the picture; empty when there is none."""
    return next((name for name, area in areas.items() if area.contains(x, y)), "")
