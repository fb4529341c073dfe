"""The palette: type a few words of what is to be done, Enter does it. It lies over the view and stops nothing."""

from collections.abc import Callable, Collection

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ribalta.core.engine.views.offers import Offer, offers, search
from ribalta.core.ports.causes import By
from ribalta.core.show.automation.calls import Broken
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look

WIDE, TALL = 620, 430


class Palette(QWidget):
    """`chosen` comes with the offer; who asked for it says what then. `left` comes when it closes."""

    left = Signal()

    def __init__(self, bridge: Bridge, owner: QWidget) -> None:
        super().__init__(owner)
        self._bridge, self._owner = bridge, owner
        self._known: tuple[Offer, ...] = ()
        self._found: tuple[Offer, ...] = ()
        self._chosen: Callable[[Offer], None] | None = None
        self.setObjectName("palette")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title = QLabel()
        self.title.setFont(look.font(13, look.MEDIUM))
        self.field = QLineEdit()
        self.field.setAccessibleName("What is to be done")
        self.field.setFont(look.font(18))
        self.field.textChanged.connect(self._search)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.setAccessibleName("What was found")
        self.list.setFont(look.font(15))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(lambda _: self._take())
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 14)
        for part in (self.title, self.field, self.list):
            column.addWidget(part)
        self.hide()

    def ask(self, title: str, chosen: Callable[[Offer], None], whole_only: bool, only: Collection[str] = ()) -> None:
        """`whole_only`: only what can be done without saying more; `only`: only these actions."""
        known = tuple(o for o in offers(self._bridge.state) if not only or (o.call.action in only and o.whole))
        self._known = tuple(o for o in known if o.whole) if whole_only else known
        self._chosen = chosen
        self.title.setText(title)
        self.field.clear()
        self._search("")
        owner = self._owner
        wide, tall = min(WIDE, owner.width() - 40), min(TALL, owner.height() - 80)
        self.setGeometry((owner.width() - wide) // 2, max(40, owner.height() - tall - 60), wide, tall)
        self.show()
        self.raise_()
        self.field.setFocus()

    def run_something(self) -> None:
        """Ask what to do, and do it."""
        self.ask("What is to be done?  Enter does it, Escape leaves.", self._run, whole_only=True)

    def _run(self, offer: Offer) -> None:
        try:
            self._bridge.call(offer.call, "palette", By.HAND)
        except Broken:
            return

    def _search(self, text: str) -> None:
        self._found = search(self._known, text)
        self.list.clear()
        for offer in self._found:
            keys = f"      {'  '.join(offer.keys)}" if offer.keys else ""
            words = offer.words.replace("{", "").replace("}", " …" if not offer.whole else "")
            self.list.addItem(QListWidgetItem(words + keys))
        if not self._found:
            item = QListWidgetItem("Nothing is called that. Try fewer words: “camera 2”, “hands”, “black”.")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self) -> None:
        row, chosen = self.list.currentRow(), self._chosen
        if 0 <= row < len(self._found) and chosen is not None:
            offer = self._found[row]
            self.close_up()
            chosen(offer)

    def close_up(self) -> None:
        if self.isVisible():
            self.hide()
            self.left.emit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and event.type() == QEvent.Type.FocusOut:
            self.close_up()
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            match event.key():
                case Qt.Key.Key_Escape:
                    self.close_up()
                    return True
                case Qt.Key.Key_Return | Qt.Key.Key_Enter:
                    self._take()
                    return True
                case Qt.Key.Key_Down | Qt.Key.Key_Up:
                    step = 1 if event.key() == Qt.Key.Key_Down else -1
                    self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                    return True
        return super().eventFilter(watched, event)
