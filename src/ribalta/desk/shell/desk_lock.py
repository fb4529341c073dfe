"""The whole desk locked to a page of pads, for a volunteer: nothing else takes a press or key before its code."""

from collections.abc import Callable

from PySide6.QtWidgets import QWidget

from ribalta.core.ports.messages import Notice, Severity
from ribalta.desk.bridge import Bridge
from ribalta.desk.input.show_keys import ShowKeys
from ribalta.desk.widgets.pads_window import PadsPane

NO_PAGE = "Nothing to lock this desk to: make a page of pads plain and give it a code, in Cue under Pads."
OPEN = "This desk is open again."


class DeskLock:
    """Of one window; `over` is what it covers, `closes` puts away what else could be pressed."""

    def __init__(self, bridge: Bridge, over: QWidget, keys: ShowKeys, closes: Callable[[], None]) -> None:
        self._bridge, self._over, self._keys, self._closes = bridge, over, keys, closes
        self.pane: PadsPane | None = None

    @property
    def locked(self) -> bool:
        return self.pane is not None

    def lock(self) -> None:
        """To the first plain page that has a code."""
        page = next((p for p in self._bridge.state.show.pages if p.plain and p.code_hash), None)
        if page is None:
            self._bridge.noticed.emit(Notice(NO_PAGE, Severity.REFUSED))
            return
        if self.pane is not None:
            return
        self._closes()
        pane = self.pane = PadsPane(self._bridge, self._over, can_lock=False)
        pane.setAutoFillBackground(True)
        pane.turn_to(page.id)
        pane.hand_over()
        pane.unlocked.connect(self._open)
        self._keys.locked_to = pane
        self.fit()
        pane.show()
        pane.raise_()
        pane.setFocus()

    def fit(self) -> None:
        if self.pane is not None:
            self.pane.setGeometry(self._over.rect())

    def _open(self) -> None:
        pane, self.pane = self.pane, None
        self._keys.locked_to = None
        if pane is not None:
            pane.hide()
            pane.deleteLater()
        self._bridge.noticed.emit(Notice(OPEN))
