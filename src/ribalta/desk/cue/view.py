"""Cue: what is prepared, in groups: what is seen, in which order, what hands do, and what is heard."""

from collections.abc import Mapping
from functools import cached_property
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
from ribalta.desk.widgets.pages import MadePages, Pages, Rail
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
        self._palette = palette
        self.pages: Mapping[str, Page] = MadePages(
            {
                "Scenes": lambda: self.scenes,
                "Titles": lambda: self.titles,
                "Media": lambda: self.media,
                "Transitions": lambda: self.transitions,
                "Playlists": lambda: self.playlists,
                "Macros": lambda: self.macros,
                "Triggers": lambda: self.triggers,
                "Shortcuts": lambda: self.shortcuts,
                "Pads": lambda: self.pads,
                "Faders": lambda: self.faders,
                "Microphones": lambda: self.sound,
                "Voices": lambda: self.voices,
            }
        )
        self.page = "Scenes"
        self.rail = Rail(GROUPS, self.show_page)
        self._stack = Pages(self.scenes)
        way = QBoxLayout.Direction.TopToBottom if self.rail.lies else QBoxLayout.Direction.LeftToRight
        line = QBoxLayout(way, self)
        line.setContentsMargins(0, 0 if self.rail.lies else 6, 0, 0)
        line.setSpacing(4 if self.rail.lies else 12)
        line.addWidget(self.rail)
        line.addWidget(self._stack, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        bridge.changed.connect(self._refresh)
        self.show_page("Scenes")

    # The pages, each made when it is first wanted

    @cached_property
    def scenes(self) -> ScenesPage:
        return ScenesPage(self._bridge)

    @cached_property
    def titles(self) -> TitlesPage:
        return TitlesPage(self._bridge)

    @cached_property
    def media(self) -> MediaPage:
        return MediaPage(self._bridge)

    @cached_property
    def transitions(self) -> TransitionsPage:
        return TransitionsPage(self._bridge)

    @cached_property
    def sound(self) -> SoundPage:
        return SoundPage(self._bridge)

    @cached_property
    def voices(self) -> VoicesPage:
        return VoicesPage(self._bridge)

    @cached_property
    def macros(self) -> MacrosPage:
        return MacrosPage(self._bridge, self._palette)

    @cached_property
    def playlists(self) -> PlaylistsPage:
        made = PlaylistsPage(self._bridge)
        made.window_wanted.connect(self.window_wanted)
        return made

    @cached_property
    def triggers(self) -> TriggersPage:
        return TriggersPage(self._bridge, self._palette)

    @cached_property
    def shortcuts(self) -> ShortcutsPage:
        return ShortcutsPage(self._bridge, self._palette)

    @cached_property
    def pads(self) -> PadsPage:
        made = PadsPage(self._bridge, self._palette)
        made.window_wanted.connect(self.window_wanted)
        return made

    @cached_property
    def faders(self) -> FadersPage:
        return FadersPage(self._bridge)

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
        page = self._stack.current
        if what and isinstance(page, TitlesPage | ShortcutsPage | PadsPage):
            page.open_at(what)
        elif what and isinstance(page, MacrosPage | TriggersPage | PlaylistsPage | FadersPage):
            page.choose(what)

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
            now = pages.index(self.page)
            self.show_page(pages[(now + (1 if event.key() == Qt.Key.Key_PageDown else -1)) % len(pages)])
        else:
            super().keyPressEvent(event)
