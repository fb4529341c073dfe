"""One page of several, as large as there is room: a page that would like more never pushes its neighbours away."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from typing import TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button

LARGE = 110  # per cent of text: from there on, what stands at the side takes too much of it


W = TypeVar("W", bound=QWidget)


class MadePages(Mapping[str, W]):
    """Pages by name, each made when it is first asked for: a view opens on one of them, and does not wait for all."""

    def __init__(self, makers: Mapping[str, Callable[[], W]]) -> None:
        self._makers = makers

    def __getitem__(self, name: str) -> W:
        return self._makers[name]()

    def __iter__(self) -> Iterator[str]:
        return iter(self._makers)

    def __len__(self) -> int:
        return len(self._makers)


class Pages(QWidget):
    """`first` is in front; others are there once they have been turned to, or are given."""

    def __init__(self, first: QWidget, *others: QWidget) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.current = first
        for page in (first, *others):
            page.setParent(self)
            page.hide()
        self.turn_to(first)

    def turn_to(self, page: QWidget) -> None:
        self.current.hide()
        if page.parentWidget() is not self:
            page.setParent(self)
        self.current = page
        page.setGeometry(self.rect())
        page.show()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.current.setGeometry(self.rect())


class Rail(QWidget):
    """Groups of pages, one below the other at the side, or in a line above where text is large (`lies`); the pages of
    the group that is open are seen behind its word."""

    def __init__(self, groups: Mapping[str, Sequence[str]], chosen: Callable[[str], None]) -> None:
        super().__init__()
        self._groups, self._chosen = groups, chosen
        self._last = {group: pages[0] for group, pages in groups.items()}  # opened last in each
        self.words: dict[str, QPushButton] = {}
        self.heads: dict[str, QPushButton] = {}
        self.lies = look.text_percent() >= LARGE
        way = QBoxLayout.Direction.LeftToRight if self.lies else QBoxLayout.Direction.TopToBottom
        column = QBoxLayout(way, self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        for group, pages in groups.items():
            self.heads[group] = self._word(group, partial(self._open, group), "group")
            column.addWidget(self.heads[group])
            for page in pages:
                self.words[page] = self._word(page, partial(chosen, page), "page")
                column.addWidget(self.words[page])
        column.addStretch(1)
        if not self.lies:
            self.setFixedWidth(look.scaled(120))

    def _word(self, text: str, pressed: Callable[[], None], kind: str) -> QPushButton:
        made = button(text, pressed)
        made.setObjectName(kind)
        made.setProperty("rail", not self.lies)
        made.setCheckable(True)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        if kind == "group":
            made.setFont(look.font(15, look.BOLD))
        return made

    def _open(self, group: str) -> None:
        self._chosen(self._last[group])

    def mark(self, name: str) -> None:
        """This page is shown."""
        group = next(g for g, pages in self._groups.items() if name in pages)
        self._last[group] = name
        for other, head in self.heads.items():
            head.setChecked(other == group)
        for page, word in self.words.items():
            word.setVisible(page in self._groups[group])
            word.setChecked(page == name)


class Tabs(QHBoxLayout):
    """A word for each page; the one that is shown is marked. A click leaves the keyboard where it is."""

    def __init__(self, names: Iterable[str], chosen: Callable[[str], None]) -> None:
        super().__init__()
        self.setSpacing(8 if look.text_percent() == 100 else 1)
        self.words: dict[str, QPushButton] = {}
        for name in names:
            word = button(name, lambda name=name: chosen(name))  # type: ignore[misc]
            word.setObjectName("page")
            word.setCheckable(True)
            word.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.addWidget(word)
            self.words[name] = word
        self.addStretch(1)

    def mark(self, name: str) -> None:
        for other, word in self.words.items():
            word.setChecked(other == name)


class Page(QWidget):
    """One of a `Paged`."""

    @property
    def focus_at(self) -> QWidget:
        """What the keyboard is for when this page is in front."""
        return self

    def refresh(self) -> None:
        """From what the show is now."""


class Paged(QWidget):
    """A view of pages with a line of words above. Only the page in front is refreshed, and that when the view is seen;
    the view's focus is where its page says."""

    def __init__(self, bridge: Bridge, pages: Mapping[str, Page]) -> None:
        super().__init__()
        self.pages = pages
        self.page = next(iter(pages))  # the word above the one in front
        self.tabs = Tabs(pages, self.show_page)
        self._stack = Pages(pages[self.page])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(self.tabs)
        column.addWidget(self._stack, 1)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.show_page(self.page)
        bridge.changed.connect(self._refresh)

    def show_page(self, name: str) -> None:
        """One of its pages, by the word above it; others are passed over."""
        if name in self.pages:
            self.page = name
            self.tabs.mark(name)
            self._stack.turn_to(self.pages[name])
            self.shown()

    def shown(self) -> None:
        """This view has come to the front."""
        page = self.pages[self.page]
        page.refresh()
        self.setFocusProxy(page.focus_at)

    def _refresh(self) -> None:
        if self.isVisible():
            self.pages[self.page].refresh()
