"""The window. One view so far; each later one is one folder and one line here."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QColor, QKeyEvent, QPalette
from PySide6.QtWidgets import QApplication, QMainWindow

from ribalta.desk import look
from ribalta.desk.air.view import AirView
from ribalta.desk.bridge import Bridge, Session

STYLE = """
QPushButton { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; border-radius: 4px; padding: 3px 10px; }
QPushButton:hover { background: #3a3128; }
QPushButton:pressed { background: #4a3f33; }
QLineEdit { background: #f1e8da; color: #14110e; border: 2px solid #ffcb7d; padding: 1px 4px; }
QToolTip { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; padding: 4px; }
RecoveryLine { background: #3a2f1c; }
"""


def dress(app: QApplication) -> None:
    """Fonts, colours and style for the whole application."""
    look.load_fonts()
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
    ):
        palette.setColor(role, ink)
    app.setPalette(palette)
    app.setStyleSheet(STYLE)


class Window(QMainWindow):
    """Closing it ends the ticks; whoever made the session stops that."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.bridge = Bridge(session, self)
        self.air = AirView(self.bridge)
        self.setCentralWidget(self.air)
        self.setMinimumSize(1000, 640)
        self.resize(1280, 800)
        self.setWindowTitle(f"{session.state.show.title} – Ribalta")
        self.setFocusProxy(self.air)
        self.air.setFocus()

    def closeEvent(self, event: QCloseEvent) -> None:
        self.bridge.stop()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F11:
            self.showNormal() if self.isFullScreen() else self.showFullScreen()
        else:
            super().keyPressEvent(event)
