"""Cue: what is prepared, in groups: what is seen, in which order, what hands do, and what is heard."""

from typing import ClassVar

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.automation.macros import MacrosPage
from ribalta.desk.cue.automation.triggers import TriggersPage
from ribalta.desk.cue.hands.faders import FadersPage
from ribalta.desk.cue.hands.pads import PadsPage
from ribalta.desk.cue.hands.shortcuts import ShortcutsPage
from ribalta.desk.cue.look.canvas import PLACE, Canvas
from ribalta.desk.cue.look.media import MediaPage
from ribalta.desk.cue.look.scenes import ScenesPage
from ribalta.desk.cue.look.titles import TitlesPage
from ribalta.desk.cue.look.transitions import TransitionsPage
from ribalta.desk.cue.playlists.playlists import PlaylistsPage
from ribalta.desk.cue.sound.sound import SoundPage
from ribalta.desk.cue.sound.voices import VoicesPage
from ribalta.desk.widgets.pages import Pages, Rail
from ribalta.desk.widgets.palette import Palette

Page = (
    ScenesPage
    | TitlesPage
    | MediaPage
    | TransitionsPage
    | SoundPage
    | VoicesPage
    | MacrosPage
    | PlaylistsPage
    | TriggersPage
    | ShortcutsPage
    | PadsPage
    | FadersPage
)


GROUPS = {
    "Look": ("Scenes", "Titles", "Media", "Transitions"),
    "Order": ("Playlists", "Macros", "Triggers"),
    "Hands": ("Shortcuts", "Pads", "Faders"),
    "Sound": ("Microphones", "Voices"),
}


class CueView(QWidget):
    """`hint` is what the lowest line says when nothing has happened."""

    window_wanted = Signal(str)
    own_keys: ClassVar = {"PgDown": "next page", "PgUp": "page before"}
    hint = "What is made here is used on Air (F6). F5 finds anything by a few words, F8 records a macro."

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge = bridge
        self.scenes = ScenesPage(bridge)
        self.titles = TitlesPage(bridge)
        self.media = MediaPage(bridge)
        self.transitions = TransitionsPage(bridge)
        self.sound = SoundPage(bridge)
        self.voices = VoicesPage(bridge)
        self.macros = MacrosPage(bridge, palette)
        self.playlists = PlaylistsPage(bridge)
        self.playlists.window_wanted.connect(self.window_wanted)
        self.triggers = TriggersPage(bridge, palette)
        self.shortcuts = ShortcutsPage(bridge, palette)
        self.pads = PadsPage(bridge, palette)
        self.pads.window_wanted.connect(self.window_wanted)
        self.faders = FadersPage(bridge)
        self.pages: dict[str, Page] = {
            "Scenes": self.scenes,
            "Titles": self.titles,
            "Media": self.media,
            "Transitions": self.transitions,
            "Playlists": self.playlists,
            "Macros": self.macros,
            "Triggers": self.triggers,
            "Shortcuts": self.shortcuts,
            "Pads": self.pads,
            "Faders": self.faders,
            "Microphones": self.sound,
            "Voices": self.voices,
        }
        self.page = "Scenes"
        self.rail = Rail(GROUPS, self.show_page)
        self._stack = Pages(*self.pages.values())
        way = QBoxLayout.Direction.TopToBottom if self.rail.lies else QBoxLayout.Direction.LeftToRight
        line = QBoxLayout(way, self)
        line.setContentsMargins(0, 0 if self.rail.lies else 6, 0, 0)
        line.setSpacing(4 if self.rail.lies else 12)
        line.addWidget(self.rail)
        line.addWidget(self._stack, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        bridge.changed.connect(self._refresh)
        self.show_page("Scenes")

    @property
    def _canvas(self) -> Canvas | None:
        found = getattr(self._stack.current, "canvas", None)
        return found if isinstance(found, Canvas) else None

    def show_page(self, name: str) -> None:
        self.page = name
        self._stack.turn_to(self.pages[name])
        self.rail.mark(name)
        self._refresh()
        QTimer.singleShot(0, self, self._tell_sizes)

    def open_at(self, name: str, what: str = "") -> None:
        """A page, at something of it: a shortcut's control, a title's id, a pad as “page:place”."""
        self.show_page(name)
        openers = {
            "Titles": self.titles.open_at,
            "Shortcuts": self.shortcuts.open_at,
            "Pads": self.pads.open_at,
            "Macros": self.macros.choose,
            "Triggers": self.triggers.choose,
            "Playlists": self.playlists.choose,
            "Faders": self.faders.choose,
        }
        if what and name in openers:
            openers[name](what)

    def shown(self) -> None:
        """This view has come to the front: the live picture is wanted at its size."""
        self._refresh()
        QTimer.singleShot(0, self, self._tell_sizes)

    def _refresh(self) -> None:
        if self.isVisible():
            page = self._stack.current
            assert isinstance(page, Page)
            page.refresh()

    def _tell_sizes(self) -> None:
        if self.isVisible():
            canvas = self._canvas
            self._bridge.show_at("view", {PLACE: canvas.size_wanted()} if canvas is not None else {})

    def resizeEvent(self, event: QResizeEvent) -> None:
        QTimer.singleShot(0, self, self._tell_sizes)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        pages = list(self.pages)
        if event.key() in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            now = next(k for k, page in enumerate(self.pages.values()) if page is self._stack.current)
            self.show_page(pages[(now + (1 if event.key() == Qt.Key.Key_PageDown else -1)) % len(pages)])
        else:
            super().keyPressEvent(event)
