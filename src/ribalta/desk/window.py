"""The window: one view for each word of the work, in its order; a view is one folder and one line here."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Union, cast

from PySide6.QtGui import QCloseEvent, QColor, QKeyEvent, QPalette
from PySide6.QtWidgets import QApplication, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from ribalta.core.engine.actions.desk import VIEW_KEYS
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.desk.air.view import MARGIN, AirView
from ribalta.desk.bridge import Bridge
from ribalta.desk.frame.view import FrameView
from ribalta.desk.input.gamepad import Gamepads
from ribalta.desk.input.keyboard import key_name
from ribalta.desk.running_show import RunningShow
from ribalta.desk.shell.bars import ClosingLine, DeedsLine, NoticeLine, RecoveryLine, TopLine, UsersLine
from ribalta.desk.shell.screens import Screen, open_screen
from ribalta.desk.widgets import look
from ribalta.desk.widgets.pads_window import PadsWindow
from ribalta.desk.widgets.palette import Palette

if TYPE_CHECKING:
    from ribalta.desk.cue.playlists.chart_window import ChartWindow
    from ribalta.desk.cue.view import CueView
    from ribalta.desk.rig.view import RigView

STYLE = """
QPushButton { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; border-radius: 4px; padding: 3px 10px; }
QPushButton:hover { background: #3a3128; }
QPushButton:pressed { background: #4a3f33; }
QPushButton:focus { border-color: #ffcb7d; }
QPushButton:disabled { color: #7d7263; }
QPushButton#mark:checked { background: #ffcb7d; color: #14110e; border-color: #ffcb7d; }
QCheckBox { color: #f1e8da; spacing: 6px; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid #7d7263; border-radius: 3px; background: #14110e; }
QCheckBox::indicator:checked { background: #ffcb7d; border-color: #ffcb7d; }
QSlider::groove:horizontal { height: 4px; background: #3d342b; border-radius: 2px; }
QSlider::handle:horizontal { width: 14px; margin: -6px 0; border-radius: 7px; background: #ffcb7d; }
QSpinBox { background: #14110e; color: #f1e8da; border: 1px solid #4a3f33; border-radius: 3px; padding: 2px 4px; }
QPushButton#view, QPushButton#page { background: transparent; border: none; border-bottom: 3px solid transparent;
  border-radius: 0; padding: 2px 6px; color: #b9ab98; }
QPushButton#view:checked, QPushButton#page:checked { color: #f1e8da; border-bottom-color: #ffcb7d; }
QPushButton#view:hover, QPushButton#page:hover, QPushButton#page:focus { color: #ffcb7d; }
QLineEdit { background: #f1e8da; color: #14110e; border: 2px solid #ffcb7d; padding: 1px 4px; }
QLineEdit#field { background: #14110e; color: #f1e8da; border: 1px solid #4a3f33; border-radius: 3px; padding: 3px 6px;
  selection-background-color: #ffcb7d; selection-color: #14110e; }
QLineEdit#field:focus { border-color: #ffcb7d; }
QLineEdit#field[refused="true"] { border: 2px dashed #ff8f6b; }
QComboBox { background: #14110e; color: #f1e8da; border: 1px solid #4a3f33; border-radius: 3px; padding: 3px 6px; }
QComboBox:focus { border-color: #ffcb7d; }
QComboBox QAbstractItemView { background: #2b241e; color: #f1e8da; selection-background-color: #ffcb7d;
  selection-color: #14110e; }
QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: none; }
QListWidget { background: #1f1a16; color: #f1e8da; border: 1px solid #3d342b; border-radius: 3px; outline: none; }
QListWidget::item { padding: 5px 6px; }
QListWidget::item:selected { background: #3a3128; color: #ffcb7d; }
QScrollBar:vertical { background: transparent; width: 10px; }
QScrollBar::handle:vertical { background: #4a3f33; border-radius: 5px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
QProgressBar { background: #14110e; border: 1px solid #4a3f33; border-radius: 3px; height: 8px; }
QProgressBar::chunk { background: #ffcb7d; }
QToolTip { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; padding: 4px; }
QMenu { background: #2b241e; color: #f1e8da; border: 1px solid #3d342b; }
QMenu::item:selected { background: #ffcb7d; color: #14110e; }
RecoveryLine, UsersLine, DeedsLine, ClosingLine { background: #3a2f1c; }
QWidget#palette { background: #1f1a16; border: 2px solid #ffcb7d; border-radius: 6px; }
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


View = Union["RigView", FrameView, "CueView", AirView]


class Window(QMainWindow):
    """Closing it ends the ticks; whoever runs the show stops that. An empty show opens on Rig."""

    def __init__(
        self,
        show: RunningShow,
        pads: Gamepads | None = None,
        end_show: Callable[[], None] | None = None,
        view: str = "",
    ) -> None:
        """`end_show` ends a show that would go on without this window; `view` is the first one."""
        super().__init__()
        self._end_show = end_show
        self.bridge = Bridge(show, self)
        self.air = AirView(self.bridge)
        self.frame = FrameView(self.bridge, pads)
        self._ends = False
        self.screens: dict[str, Screen | PadsWindow | ChartWindow] = {}
        self._views: dict[str, View] = {"Frame": self.frame, "Air": self.air}
        # loaded and made when they are first wanted: the desk opens on pictures, not on forms
        self._makers: dict[str, Callable[[], View]] = {"Rig": self._made_rig, "Cue": self._made_cue}
        self.top = TopLine(self.bridge, {str(view): key for view, key in VIEW_KEYS.items()})
        self.recovery = RecoveryLine(self.bridge)
        self.users = UsersLine(self.bridge)
        self.deeds = DeedsLine(self.bridge)
        self.closing = ClosingLine(self.bridge, end_show is not None)
        self.closing.ended.connect(self._end_now)
        self.closing.left.connect(self._leave)
        self.notices = NoticeLine(self.bridge)
        self._stack = QStackedWidget()
        for made in self._views.values():
            self._stack.addWidget(made)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(MARGIN, 8, MARGIN, 6)
        column.setSpacing(6)
        column.addWidget(self.top)
        column.addWidget(self.recovery)
        column.addWidget(self.users)
        column.addWidget(self.deeds)
        column.addWidget(self.closing)
        column.addWidget(self._stack, 1)
        column.addWidget(self.notices)
        self.setCentralWidget(whole)
        self.finder = Palette(self.bridge, whole)
        self.finder.left.connect(self._take_focus_back)
        self.top.keys_wanted.connect(self.air.toggle_keys)
        self.top.view_wanted.connect(self.show_view)
        self.bridge.asked.connect(self._obey)
        self.setMinimumSize(1000, 640)
        self.resize(1280, 800)
        self.setWindowTitle(f"{show.state.show.title} – Ribalta")
        self.show_view(view or ("Air" if show.state.show.cameras else "Rig"))

    def open_screen(self, what: str) -> None:
        """Program, without titles, auxiliary, all pictures, pads or travel chart, in a window of its own."""
        if what not in self.screens or not self.screens[what].isVisible():
            if what == "chart":
                from ribalta.desk.cue.playlists.chart_window import ChartWindow

                self.screens[what] = ChartWindow(self.bridge)
            else:
                self.screens[what] = PadsWindow(self.bridge) if what == "pads" else open_screen(self.bridge, what)
            self.screens[what].show()
        self.screens[what].raise_()

    def view(self, name: str) -> View:
        """By its name, made if need be."""
        if name not in self._views:
            self._views[name] = self._makers[name]()
            self._stack.addWidget(self._views[name])
        return self._views[name]

    @property
    def rig(self) -> "RigView":
        return cast("RigView", self.view("Rig"))

    @property
    def cue(self) -> "CueView":
        return cast("CueView", self.view("Cue"))

    def _made_rig(self) -> "RigView":
        from ribalta.desk.rig.view import RigView

        return RigView(self.bridge)

    def _made_cue(self) -> "CueView":
        from ribalta.desk.cue.view import CueView

        cue = CueView(self.bridge, self.finder)
        cue.window_wanted.connect(self.open_screen)
        return cue

    def show_view(self, name: str) -> None:
        view = self.view(name)
        self._stack.setCurrentWidget(view)
        self.setFocusProxy(view)
        self.top.show_view(name)
        self.notices.hint = view.hint
        self.notices.update()
        view.shown()
        view.setFocus()
        if self.bridge.state.desk.view != name:
            self.bridge.act("view.shown", view=name)

    def _take_focus_back(self) -> None:
        """No text field keeps the focus: the keys belong to the view again."""
        if (view := self._stack.currentWidget()) is not None:
            view.setFocus()

    def may_close(self) -> bool:
        """Not while the show is on: then it is asked for, on the window."""
        if self._ends or not self.closing.needed():
            return True
        self.closing.ask()
        return False

    def _end_now(self) -> None:
        if self._end_show is not None:
            self._end_show()
        self._leave()

    def _leave(self) -> None:
        self._ends = True
        self.close()

    def closeEvent(self, event: QCloseEvent) -> None:
        if event.spontaneous() and not self.may_close():  # somebody has pressed the window's own cross
            event.ignore()
            return
        self.frame.gamepad.stop()
        for screen in self.screens.values():
            screen.close()
            screen.deleteLater()
        self.bridge.stop()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        control = f"key {key_name(event)}"
        call = self.bridge.found(control).get(How.PRESS)
        row = CATALOGUE.by_id.get(call.action) if call is not None else None
        if row is None or not row.everywhere:
            super().keyPressEvent(event)
        elif not event.isAutoRepeat() and self.bridge.press(control):
            self.bridge.work(control, False)

    def _obey(self, action: str, view: str) -> None:
        """What only a desk can do."""
        if action == "desk.view" and view:
            self.show_view(view)
        elif action == "desk.full_screen":
            self.showNormal() if self.isFullScreen() else self.showFullScreen()
        elif action == "desk.find":
            self.finder.run_something()
        else:
            self.air.obey(action)
