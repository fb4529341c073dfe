"""How Ribalta looks: its colours, type and lamps. Red and green mean tally and nothing else."""

import functools

from PySide6.QtCore import QCoreApplication
from PySide6.QtGui import QColor, QFont, QFontDatabase

from ribalta.fonts import FONTS

NIGHT = QColor("#14110e")  # the window
WOOD = QColor("#1f1a16")  # panels
RAIL = QColor("#2b241e")  # raised parts
CHOSEN = QColor("#3a3128")  # the ground of a row that is selected
LINE = QColor("#3d342b")  # between parts; nothing is read by it
TEXT = QColor("#f1e8da")
SOFT = QColor("#b9ab98")  # second text; 7:1 on NIGHT
LAMP_OFF = QColor("#7a6d5f")
LAMP_WARM = QColor("#ffcb7d")
RED = QColor("#ff5a48")  # dark letters on it can be read by those who see no red, too
GREEN = QColor("#35d07f")
WRONG = QColor("#c8a0ff")  # its words begin with a mark, so that it reads without colour
EDGE = QColor("#80735f")  # of fields and buttons; 3:1 on all grounds
INK = QColor("#120f0c")

PERCENT = "text_percent"  # a property of the application
SANS, NARROW = "Fira Sans", "Fira Sans Condensed"


def load_fonts() -> None:
    """Make the shipped faces known. Raises FileNotFoundError when one is missing from the installation."""
    for path in sorted(FONTS.glob("*.ttf")):
        if QFontDatabase.addApplicationFont(str(path)) < 0:
            raise FileNotFoundError(path)


@functools.cache
def text_percent() -> int:
    """How large text is: that of the application, 100 to 150. It is asked for many times in each picture."""
    app = QCoreApplication.instance()
    return int((app.property(PERCENT) if app is not None else None) or 100)


def size_text(app: QCoreApplication, percent: int) -> None:
    """The size of what is made and painted from now on."""
    app.setProperty(PERCENT, percent)
    text_percent.cache_clear()


def scaled(pixels: float) -> int:
    """What has to grow with the text in it, in pixels."""
    return round(pixels * text_percent() / 100)


def font(pixels: int, weight: QFont.Weight = QFont.Weight.Normal, narrow: bool = False) -> QFont:
    """A face at a pixel size of 12 or more at 100 %, with tabular figures. Shared: do not change it."""
    return _font(scaled(max(12, pixels)), weight, narrow)


@functools.cache
def _font(pixels: int, weight: QFont.Weight, narrow: bool) -> QFont:
    made = QFont(NARROW if narrow else SANS)
    made.setPixelSize(pixels)
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


NORMAL, MEDIUM, BOLD = QFont.Weight.Normal, QFont.Weight.Medium, QFont.Weight.DemiBold


def seconds(value: float | None) -> str:
    """Seconds as the board shows them: one figure behind the point, whole above ten."""
    if value is None:
        return "–"
    return f"{value:.1f}" if value < 9.95 else f"{value:.0f}"
