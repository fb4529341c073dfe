"""How the parts that Qt draws look: one sheet for all windows, in the colours of `look`."""

from PySide6.QtCore import QSize
from PySide6.QtGui import QColor, QPalette
from PySide6.QtWidgets import QApplication, QWidget

from ribalta.desk.painting import look
from ribalta.desk.painting.parts import say_parts
from ribalta.desk.preferences import read_preferences

TEXT_SIZES = (100, 110, 125, 140, 150)
LEAST = ((125, (1280, 780)), (100, (1100, 700)), (0, (1000, 640)))  # a window with text larger than this


def least_size(text_percent: int) -> tuple[int, int]:
    """How small a window may be for all of its text to have room, in pixels."""
    return next(size for percent, size in LEAST if text_percent > percent)


def fitting(text_percent: int, screen: QSize) -> int:
    """The largest text, up to what is wanted, for which a screen is large enough."""
    there = [p for p in TEXT_SIZES if p <= text_percent and _holds(screen, least_size(p))]
    return max(there, default=TEXT_SIZES[0])


def _holds(screen: QSize, least: tuple[int, int]) -> bool:
    return screen.width() >= least[0] and screen.height() >= least[1]


STYLE = """
QPushButton { background: #2b241e; color: #f1e8da; border: 1px solid #80735f; border-radius: 4px; padding: 3px 10px; }
QPushButton:hover { background: #3a3128; }
QPushButton:pressed { background: #4a3f33; }
QPushButton:focus { border: 2px solid #ffcb7d; padding: 2px 9px; }
QCheckBox:focus, QSlider:focus { border: 2px solid #ffcb7d; border-radius: 3px; }
QPushButton:disabled { color: #7d7263; }
QPushButton#mark:checked { background: #ffcb7d; color: #14110e; border-color: #ffcb7d; }
QCheckBox { color: #f1e8da; spacing: 6px; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid #80735f; border-radius: 3px; background: #14110e; }
QCheckBox::indicator:checked { background: #ffcb7d; border-color: #ffcb7d; }
QSlider::groove:horizontal { height: 4px; background: #80735f; border-radius: 2px; }
QSlider::groove:vertical { width: 4px; background: #80735f; border-radius: 2px; }
QSlider::handle:vertical { height: 16px; margin: 0 -8px; border-radius: 4px; background: #ffcb7d; }
QSlider::handle:horizontal { width: 14px; margin: -6px 0; border-radius: 7px; background: #ffcb7d; }
QSpinBox, QDateTimeEdit { background: #14110e; color: #f1e8da; border: 1px solid #80735f; border-radius: 3px;
    padding: 2px 4px; }
QPushButton#view, QPushButton#page, QPushButton#group { background: transparent; border: none;
  border-bottom: 3px solid transparent; border-radius: 0; padding: 2px 6px; color: #b9ab98; }
QPushButton#view:checked, QPushButton#page:checked, QPushButton#group:checked { color: #f1e8da;
  border-bottom-color: #ffcb7d; }
QPushButton#view:hover, QPushButton#page:hover, QPushButton#group:hover { color: #ffcb7d; }
QPushButton#view:focus, QPushButton#page:focus, QPushButton#group:focus { border: 2px solid #ffcb7d;
  border-radius: 4px; padding: 1px 4px 2px; }
QPushButton[rail="true"] { text-align: left; }
QPushButton#page[rail="true"] { padding-left: 22px; }
QLineEdit { background: #f1e8da; color: #14110e; border: 2px solid #ffcb7d; padding: 1px 4px; }
QLineEdit#field { background: #14110e; color: #f1e8da; border: 1px solid #80735f; border-radius: 3px; padding: 3px 6px;
  selection-background-color: #ffcb7d; selection-color: #14110e; }
QLineEdit#field:focus, QSpinBox:focus, QDateTimeEdit:focus { border: 2px solid #ffcb7d; padding: 2px 5px; }
QLineEdit#field[refused="true"] { border: 2px dashed #c8a0ff; }
QComboBox { background: #14110e; color: #f1e8da; border: 1px solid #80735f; border-radius: 3px; padding: 3px 6px; }
QComboBox:disabled { color: #7d7263; }
QComboBox:focus { border: 2px solid #ffcb7d; padding: 2px 5px; }
QComboBox QAbstractItemView { background: #2b241e; color: #f1e8da; selection-background-color: #ffcb7d;
  selection-color: #14110e; }
QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: none; }
QListWidget { background: #1f1a16; color: #f1e8da; border: 1px solid #80735f; border-radius: 3px; outline: none; }
QListWidget:focus { border: 2px solid #ffcb7d; }
QListWidget::item { padding: 5px 6px; }
QListWidget#cards { background: transparent; border: none; }
QListWidget#cards:focus { border-bottom: 2px solid #ffcb7d; }
QTableWidget { background: #1f1a16; color: #f1e8da; border: 1px solid #80735f; border-radius: 3px;
  gridline-color: #3d342b; outline: none; }
QTableWidget:focus { border: 2px solid #ffcb7d; }
QTableWidget::item:selected { background: #3a3128; color: #f1e8da; }
QHeaderView::section { background: #2b241e; color: #b9ab98; border: none; padding: 3px 6px; }
QTableCornerButton::section { background: #2b241e; border: none; }
QTreeWidget { background: #1f1a16; color: #f1e8da; border: 1px solid #80735f; border-radius: 3px; outline: none; }
QTreeWidget:focus { border: 2px solid #ffcb7d; }
QTreeWidget::item { padding: 4px 2px; }
QTreeWidget::item:selected { background: #3a3128; color: #f1e8da; }
QFrame#card { background: #1f1a16; border: 1px solid #3d342b; border-radius: 4px; }
QListWidget::item:selected { background: #3a3128; color: #f1e8da; border: 1px solid #f1e8da; }
QScrollBar:vertical { background: transparent; width: 10px; }
QScrollBar::handle:vertical { background: #80735f; border-radius: 5px; min-height: 24px; }
QScrollBar:horizontal { background: transparent; height: 10px; }
QScrollBar::handle:horizontal { background: #80735f; border-radius: 5px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QProgressBar { background: #14110e; border: 1px solid #80735f; border-radius: 3px; height: 8px; }
QProgressBar::chunk { background: #ffcb7d; }
QToolTip { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; padding: 4px; }
QMenu { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; }
QMenu::item:selected { background: #ffcb7d; color: #14110e; }
QMenu::item:disabled { background: transparent; color: #7d7263; }
RecoveryLine, UsersLine, DeedsLine, ClosingLine { background: #3a2f1c; }
QWidget#palette { background: #1f1a16; border: 2px solid #ffcb7d; border-radius: 6px; }
"""


def dress_as_preferred(app: QApplication) -> None:
    """With text as large as this desk's preferences want it, and the screen has room for."""
    percent, screen = read_preferences()[0].text_percent, app.primaryScreen()
    dress(app, fitting(percent, screen.availableSize()) if screen is not None else percent)


def dress(app: QApplication, text_percent: int = 100) -> None:
    """Fonts, colours and style for everything; `wear_sheet` is for each window. What is made later has text of
    `text_percent`, 100 to 150."""
    look.size_text(app, text_percent)
    look.load_fonts()
    say_parts()
    app.setStyle("Fusion")
    app.setFont(look.font(14))
    palette = QPalette()
    for role, ink in (
        (QPalette.ColorRole.Window, look.NIGHT),
        (QPalette.ColorRole.WindowText, look.TEXT),
        (QPalette.ColorRole.Base, look.WOOD),
        (QPalette.ColorRole.Text, look.TEXT),
        (QPalette.ColorRole.Button, look.RAIL),
        (QPalette.ColorRole.ButtonText, look.TEXT),
        (QPalette.ColorRole.Highlight, look.LAMP_WARM),
        (QPalette.ColorRole.HighlightedText, look.INK),
        (QPalette.ColorRole.PlaceholderText, QColor(look.SOFT)),
        (QPalette.ColorRole.Link, look.LAMP_WARM),
        (QPalette.ColorRole.LinkVisited, look.LAMP_WARM),
    ):
        palette.setColor(role, ink)
    app.setPalette(palette)


def wear_sheet(window: QWidget) -> None:
    """For a window, once its parts are in it. Not the whole application wears the sheet: each time that a part is put
    into another, Qt asks the sheet again about all that is in it, and what belongs to no window yet is spared that."""
    window.setStyleSheet(STYLE)
