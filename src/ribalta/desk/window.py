"""The window: one view for each word of the work, in its order; a view is one folder and one line here."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Union, cast

from PySide6.QtCore import QByteArray
from PySide6.QtGui import QCloseEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from ribalta.core.engine.actions.desk import VIEW_KEYS
from ribalta.core.ports.messages import Notice, Severity
from ribalta.desk.air.view import MARGIN, AirView
from ribalta.desk.bridge import Bridge
from ribalta.desk.frame.view import FrameView
from ribalta.desk.input.gamepad import Gamepads
from ribalta.desk.input.show_keys import ShowKeys
from ribalta.desk.painting import look
from ribalta.desk.running_show import RunningShow
from ribalta.desk.shell.asking_lines import ClosingLine, DeedsLine, OfferLine, RecoveryLine, UsersLine
from ribalta.desk.shell.bars import NoticeLine, TopLine
from ribalta.desk.shell.desk_lock import DeskLock
from ribalta.desk.shell.guide_line import GuideLine
from ribalta.desk.shell.made_views import MAKERS
from ribalta.desk.shell.notices_page import NoticesPage
from ribalta.desk.shell.over_page import OverPage
from ribalta.desk.shell.screens import Screen, open_screen
from ribalta.desk.shell.show_menu import ShowMenu
from ribalta.desk.shell.strip import Strip
from ribalta.desk.widgets.hold_ring import HoldRing
from ribalta.desk.widgets.pads_window import PadsWindow
from ribalta.desk.widgets.palette import Palette
from ribalta.desk.widgets.style import least_size, wear_sheet

if TYPE_CHECKING:
    from ribalta.desk.check.view import CheckView
    from ribalta.desk.cue.playlists.chart_window import ChartWindow
    from ribalta.desk.cue.view import CueView
    from ribalta.desk.keys.guide_window import GuideWindow
    from ribalta.desk.keys.key_page import KeyPage
    from ribalta.desk.rig.view import RigView
    from ribalta.desk.shell.log_over import LogOver
    from ribalta.desk.shell.made_views import MadeView
    from ribalta.desk.shell.preferences_page import PreferencesPage
    from ribalta.desk.wrap.view import WrapView

MENU: dict[str, Callable[[ShowMenu], None]] = {
    "desk.new": ShowMenu.new,
    "desk.open": ShowMenu.open,
    "desk.save_as": ShowMenu.save_as,
    "desk.menu": ShowMenu.popup,
}
View = Union[FrameView, AirView, "MadeView"]


class Window(QMainWindow):
    """Closing it ends the ticks; whoever runs the show stops that. An empty show opens on Rig, with advice on
    what to do first."""

    def __init__(
        self,
        show: RunningShow,
        pads: Gamepads | None = None,
        end_show: Callable[[], None] | None = None,
        view: str = "",
        began: bool = True,
    ) -> None:
        """`end_show` ends a show that would go on without this window; `view` is the first one. `began`: the show was
        begun with this window, so that it ends when another takes its place."""
        super().__init__()
        self._end_show, self._began = end_show, began
        self.bridge = Bridge(show, self)
        self.air = AirView(self.bridge)
        self.frame = FrameView(self.bridge, pads)
        self._ends = False
        self.then: tuple[str, ...] = ()  # what is to be opened when this window is closed, as the command line says it
        self.screens: dict[str, Screen | PadsWindow | ChartWindow | GuideWindow] = {}
        self._views: dict[str, View] = {"Frame": self.frame, "Air": self.air}
        self.top = TopLine(self.bridge, {str(view): key for view, key in VIEW_KEYS.items()})
        self.recovery = RecoveryLine(self.bridge)
        self.users = UsersLine(self.bridge)
        self.deeds = DeedsLine(self.bridge)
        self.offers = OfferLine(self.bridge)
        self.guide_line = GuideLine(self.bridge)
        self.closing = ClosingLine(self.bridge, end_show is not None)
        self.closing.ended.connect(self._end_now)
        self.closing.left.connect(self._leave)
        self.closing.stayed.connect(self._stay)
        self.strip = Strip(self.bridge)
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
        column.addWidget(self.offers)
        column.addWidget(self.guide_line)
        column.addWidget(self._stack, 1)
        column.addWidget(self.strip)
        column.addWidget(self.notices)
        self.setCentralWidget(whole)
        self.ring = HoldRing(self.bridge, whole)
        self.key_page: KeyPage | None = None
        self.said = NoticesPage(self.bridge, self._stack)
        self.said.left.connect(self._close_pages)
        self.notices.pressed.connect(self._toggle_notices)
        self.preferences: PreferencesPage | None = None
        self.log_over: LogOver | None = None
        self.menu = self.top.menu
        self.menu.wanted.connect(self.go_to)
        self.menu.asked.connect(self._asked_by_menu)
        self.keys = ShowKeys(self.bridge, self._air_in_front, self)
        self.lock = DeskLock(self.bridge, whole, self.keys, self._put_away)
        self.finder = Palette(self.bridge, whole)
        self.finder.left.connect(self._take_focus_back)
        self.top.keys_wanted.connect(self._toggle_keys)
        self.top.view_wanted.connect(self.show_view)
        self.bridge.asked.connect(self._obey)
        self.bridge.place_wanted.connect(self._open_place)
        self.setMinimumSize(*least_size(look.text_percent()))
        self.resize(1280, 800)
        self.bridge.changed.connect(self._name)
        self._name()
        wear_sheet(self)
        self.show_view(view or ("Air" if show.state.show.cameras else "Rig"))
        if not show.state.show.cameras:
            self.guide_line.begin()
        if self.bridge.trouble:
            self.notices.say(Notice(self.bridge.trouble, Severity.FAULT))

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
            self._views[name] = MAKERS[name](self.bridge, self.finder, self.open_screen)
            self._stack.addWidget(self._views[name])
        return self._views[name]

    @property
    def rig(self) -> "RigView":
        return cast("RigView", self.view("Rig"))

    @property
    def cue(self) -> "CueView":
        return cast("CueView", self.view("Cue"))

    def show_view(self, name: str) -> None:
        for page in self._pages():
            page.hide()
        view = self.view(name)
        self._stack.setCurrentWidget(view)
        self.setFocusProxy(view)
        self.top.show_view(name)
        self.notices.hint = view.hint
        self.notices.update()
        self.strip.setVisible(name != "Air")
        self.strip.shown()
        view.shown()
        view.setFocus()
        if self.bridge.state.desk.view != name:
            self.bridge.act("view.shown", view=name)

    def _take_focus_back(self) -> None:
        """No text field keeps the focus: the keys belong to the view again."""
        if (view := self._stack.currentWidget()) is not None:
            view.setFocus()

    def _name(self) -> None:
        title = f"{self.bridge.state.show.title} – Ribalta"
        if self.windowTitle() != title:
            self.setWindowTitle(title)

    def go_to(self, then: tuple[str, ...]) -> None:
        """Another show in the place of this one; if this one is on air, what becomes of it is asked for first."""
        self.then = then
        if self.bridge.doing():
            self.closing.ask()
        elif self._began:
            self._end_now()
        else:
            self._leave()

    def _stay(self) -> None:
        self.then = ()

    def _open_anew(self) -> None:
        """This show, in a new window; it goes on meanwhile."""
        path = self.bridge.file.path
        if path is not None and self._end_show is not None:
            self.then = ("open", str(path))
            self._leave()

    def _asked_by_menu(self, what: str) -> None:
        if what == "rename":
            self.top.rename()
        elif what == "close":
            if self.may_close():
                self.close()
        else:
            self._obey(what, "")

    @property
    def _front(self) -> str:
        """Which view is in front."""
        return next(name for name, there in self._views.items() if there is self._stack.currentWidget())

    def place(self) -> dict[str, str]:
        """Where it stands and which view is in front, to be found again; see `take_place`."""
        return {"geometry": bytes(self.saveGeometry().toBase64().data()).decode(), "view": self._front}

    def take_place(self, place: Mapping[str, str], with_view: bool) -> None:
        """Stand where it stood before; what is not on any screen now comes back onto one."""
        self.restoreGeometry(QByteArray.fromBase64(place.get("geometry", "").encode()))
        if with_view and self.bridge.state.show.cameras and place.get("view") in (*self._views, *MAKERS):
            self.show_view(place["view"])

    def may_close(self) -> bool:
        """Not while the show is on: then it is asked for, on the window."""
        if self._ends or not self.closing.needed():
            return True
        self.then = ()
        self.closing.ask()
        return False

    def _end_now(self) -> None:
        if self._end_show is not None:
            self._end_show()
        self._leave()

    def _leave(self) -> None:
        self._ends = True
        self.close()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for page in self._pages():
            page.setGeometry(self._stack.rect())
        self.lock.fit()

    def _put_away(self) -> None:
        """Other windows, and what lies over the view: nothing of that may be pressed now."""
        self._close_pages()
        for screen in self.screens.values():
            screen.hide()

    def closeEvent(self, event: QCloseEvent) -> None:
        if event.spontaneous() and (
            self.lock.locked or not self.may_close()
        ):  # somebody has pressed the window's own cross
            event.ignore()
            return
        self.frame.gamepad.stop()
        self.keys.stop()
        for screen in self.screens.values():
            screen.close()
            screen.deleteLater()
        self.bridge.stop()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.keys.press(event, None):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not self.keys.release(event):
            super().keyReleaseEvent(event)

    def _air_in_front(self) -> AirView | None:
        return self.air if self._stack.currentWidget() is self.air else None

    def _open_place(self, name: str, page: str) -> None:
        """A view, at one of its pages."""
        self.show_view(name)
        page, _, what = page.partition("#")
        if name == "Cue" and page:
            self.cue.open_at(page, what)
        elif name == "Rig" and page:
            self.rig.open_at(page, what)
        elif name == "Frame" and page:
            self.frame.open_at(page, what)
        elif name in ("Check", "Wrap") and page:
            cast("CheckView | WrapView", self.view(name)).show_page(page)

    def _toggle_keys(self) -> None:
        """The keys of the view in front, over it; asked for once more, the guide."""
        if self.key_page is None:
            from ribalta.desk.keys.key_page import KeyPage

            self.key_page = KeyPage(self.bridge, self._stack)
            self.key_page.guide_wanted.connect(self._open_guide)
            self.key_page.left.connect(self._close_pages)
        if self.key_page.isVisible():
            self._open_guide()
            return
        own = getattr(self._stack.currentWidget(), "own_keys", {})
        self.key_page.setGeometry(self._stack.rect())
        self.key_page.open_for(self._front, own, self.keys.written)

    def _toggle_notices(self) -> None:
        self._toggle(self.said)

    def _toggle_log(self) -> None:
        """What made the camera selected last move, and what else ran."""
        if self._front == "Wrap":
            wrap = cast("WrapView", self.view("Wrap"))
            wrap.show_page("What ran")
            wrap.log.show_camera(self.bridge.state.desk.row or "")
            return
        if self.log_over is None:
            from ribalta.desk.shell.log_over import LogOver

            self.log_over = LogOver(self.bridge, self._stack)
            self.log_over.left.connect(self._close_pages)
        self._toggle(self.log_over)

    def _toggle_preferences(self) -> None:
        if self.preferences is None:
            from ribalta.desk.shell.preferences_page import PreferencesPage

            self.preferences = PreferencesPage(self.bridge, self._stack)
            self.preferences.left.connect(self._close_pages)
            self.preferences.anew.connect(self._open_anew)
        self._toggle(self.preferences)

    def _toggle(self, page: OverPage) -> None:
        if page.isVisible():
            self._close_pages()
            return
        page.setGeometry(self._stack.rect())
        page.open()

    def _close_pages(self) -> None:
        """What lies over the view."""
        for page in self._pages():
            page.hide()
        self._take_focus_back()

    def _pages(self) -> list[QWidget]:
        return [page for page in (self.key_page, self.said, self.preferences, self.log_over) if page is not None]

    def _open_guide(self) -> None:
        from ribalta.desk.keys.guide_window import GuideWindow

        if "guide" not in self.screens:
            self.screens["guide"] = GuideWindow()
        guide = cast("GuideWindow", self.screens["guide"])
        guide.open_at(self._front, getattr(self._stack.currentWidget(), "page", ""))
        guide.show()
        guide.raise_()

    def _obey(self, action: str, view: str) -> None:
        """What only a desk can do."""
        if action == "desk.view" and view:
            self.show_view(view)
        elif action == "desk.full_screen":
            self.showNormal() if self.isFullScreen() else self.showFullScreen()
        elif action == "desk.find":
            self.finder.run_something()
        elif action == "desk.keys":
            self._toggle_keys()
        elif action == "desk.notices":
            self._toggle_notices()
        elif action == "desk.why":
            self._toggle_log()
        elif action == "desk.lock":
            self.lock.lock()
        elif action == "desk.first_evening":
            self.guide_line.leave() if self.guide_line.on else self.guide_line.begin()
        elif action == "desk.preferences":
            self._toggle_preferences()
        elif action in MENU:
            MENU[action](self.menu)
        else:
            self.air.obey(action)
