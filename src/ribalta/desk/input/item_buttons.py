"""What can be done with anything that is prepared: give it a key, put it on a pad, and see where it is used."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from ribalta.core.engine.views.offers import call_of, call_words
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.calls import Call, Item
from ribalta.core.show.document.uses import User, uses
from ribalta.desk.bridge import Bridge
from ribalta.desk.input.control_finder import ControlFinder
from ribalta.desk.painting import look
from ribalta.desk.widgets.control_words import control_words

GIVE_KEY, ON_PAD, USED = "Give it a key …", "Put it on a pad …", "Where is it used …"
PLACES = {"macro": "Macros", "trigger": "Triggers", "playlist": "Playlists", "fader": "Faders", "pad": "Pads"}


class ItemOffers:
    """What is offered about an item; `item` gives the one that is meant now."""

    def __init__(self, bridge: Bridge, owner: QWidget, item: Callable[[], Item | None]) -> None:
        self._bridge, self._owner, self._item = bridge, owner, item
        self.asker = KeyAsker(bridge, owner)

    def offered(self) -> tuple[tuple[str, Callable[[], object]], ...]:
        """The words, and what they do."""
        return (GIVE_KEY, self.give_key), (ON_PAD, self.open_pads), (USED, self.open_uses)

    def give_key(self) -> None:
        item = self._item()
        call = call_of(self._bridge.state.show, item) if item is not None else None
        if call is not None:
            self.asker.ask(call)

    def open_pads(self) -> QMenu:
        """The pages, each with the pad that would get it: the first that is free."""
        state, item = self._bridge.state, self._item()
        menu = QMenu(self._owner)
        for page in state.show.pages if item is not None else ():
            taken = {pad.at for pad in page.pads}
            free = next((k for k in range(page.columns * page.rows) if k not in taken), None)
            words = f"{page.name}, pad {free + 1}" if free is not None else f"{page.name}: no pad is free"
            action = menu.addAction(words)
            action.setEnabled(free is not None)
            action.triggered.connect(partial(self._put_on, page.id, free or 0))
        if item is not None and not state.show.pages:
            menu.addAction("Make a page of pads first").triggered.connect(lambda: self._bridge.act("page.add"))
        return self._popped(menu)

    def _put_on(self, page_id: str, at: int, _: bool = False) -> None:
        item = self._item()
        arguments = pad_arguments(self._bridge, item) if item is not None else None
        if arguments is not None:
            self._bridge.act("pad.set", pads=page_id, at=at, **arguments)

    def open_uses(self) -> QMenu:
        """Everything that refers to it; choosing one opens it."""
        item, menu = self._item(), QMenu(self._owner)
        found = uses(self._bridge.state.show).get(item.key, ()) if item is not None else ()
        for user in found:
            menu.addAction(f"{user.words[0].upper()}{user.words[1:]}").triggered.connect(partial(self._open, user))
        if not found:
            menu.addAction("Nothing uses it yet").setEnabled(False)
        return self._popped(menu)

    def _open(self, user: User, _: bool = False) -> None:
        if user.kind == "shortcut":
            self._bridge.place_wanted.emit("Cue", f"Shortcuts#{user.id.split('|')[0]}")
        elif user.kind in PLACES:
            self._bridge.place_wanted.emit("Cue", f"{PLACES[user.kind]}#{user.id}")

    def _popped(self, menu: QMenu) -> QMenu:
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self._owner.mapToGlobal(self._owner.rect().center()))
        return menu


class ItemButtons(ItemOffers):
    """The same as three buttons, for rows; who makes them places them."""

    def __init__(self, bridge: Bridge, owner: QWidget, item: Callable[[], Item | None]) -> None:
        super().__init__(bridge, owner, item)
        self.key, self.pad, self.used = self.all = tuple(QPushButton(words) for words, _ in self.offered())
        self.key.setToolTip("Then press the key, pad or gamepad's button that is to do it")
        for made, (_, pressed) in zip(self.all, self.offered(), strict=True):
            made.clicked.connect(lambda _=False, pressed=pressed: pressed())

    def refresh(self) -> None:
        """Nothing can be done with nothing."""
        on = self._item() is not None
        for made in self.all:
            made.setEnabled(on)


def pad_arguments(bridge: Bridge, item: Item) -> dict[str, object] | None:
    """What a pad is to be for an item; None when nothing can be done with it."""
    call = call_of(bridge.state.show, item)
    if call is None:
        return None
    return {"call": call.model_dump(mode="json"), "label": (item.called or call_words(bridge.state, call))[:60]}


class KeyAsker(QWidget):
    """Lies over the window while a key is waited for. One that does something already has to be pressed twice."""

    def __init__(self, bridge: Bridge, near: QWidget) -> None:
        super().__init__(near)
        self._bridge, self._near = bridge, near
        self._call: Call | None = None
        self._asked = ""
        self.setObjectName("palette")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.said = QLabel()
        self.said.setFont(look.font(16, look.MEDIUM))
        self.said.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 16)
        column.addWidget(self.said)
        self.finder = ControlFinder(bridge, self)
        self.finder.found.connect(self._found)
        near.installEventFilter(self)
        self.hide()

    def ask(self, call: Call) -> None:
        self._call, self._asked = call, ""
        self._say(f"Press the key, pad or button for “{call_words(self._bridge.state, call)}”.  Escape leaves.")
        self.finder.find(True)

    def _say(self, words: str) -> None:
        self.said.setText(words)
        window = self._near.window()
        if self.parent() is not window:
            self.setParent(window)
        wide = min(560, window.width() - 40)
        tall = self.said.heightForWidth(wide - 36) + 32
        self.setGeometry((window.width() - wide) // 2, window.height() // 3, wide, tall)
        self.show()
        self.raise_()

    def _found(self, control: str) -> None:
        call = self._call
        if control == "key Esc" or call is None:
            self.hide()
            return
        now = self._bridge.found(control)
        does = next(iter(now.values()), None)
        if does is not None and control != self._asked:
            self._asked = control
            words = call_words(self._bridge.state, does)
            self._say(f"{control_words(control)} is “{words}” now. Press it again to change that, or another one.")
            return
        self.hide()
        self._bridge.act("shortcut.set", control=control, action=call.action, arguments=call.arguments)
        said = f"{control_words(control)} is “{call_words(self._bridge.state, call)}” now. Ctrl+Z takes it back."
        self._bridge.noticed.emit(Notice(said, Severity.INFO))

    def hideEvent(self, event: QHideEvent) -> None:
        self.finder.find(False)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """What it was asked from has gone out of sight: so has the question."""
        if event.type() == QEvent.Type.Hide and self.isVisible():
            self.hide()
        return False
