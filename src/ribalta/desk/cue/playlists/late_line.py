"""Below the chart: whether every cut lands, the one that does not, and what would mend it, a button each."""

from collections.abc import Callable, Collection
from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from ribalta.core.base.spans import length_words
from ribalta.core.engine.automation import playlist_runner
from ribalta.core.engine.views.playlist_outlook import Outlook, mends_of
from ribalta.core.planning.mending import Mend
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.automation.playlists import Playlist
from ribalta.core.show.document.uses import used_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.playlists.words import late_words
from ribalta.desk.widgets.fields import button, label


class LateLine(QWidget):
    def __init__(self, bridge: Bridge, mend: Callable[[Mend], None]) -> None:
        """`mend` does what is pressed."""
        super().__init__()
        self._bridge, self._mend = bridge, mend
        self._mended: tuple[Outlook | None, int, tuple[Mend, ...]] = (None, 0, ())  # which outlook and entry, by what
        self.said = label("", soft=True, wrap=True)
        self.mends: list[QPushButton] = []
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(0, 0, 0, 0)
        self._line.addWidget(self.said, 1)

    def show_outlook(
        self, playlist: Playlist | None, outlook: Outlook | None, gone: int, selected: Collection[int], runs: bool
    ) -> None:
        """`gone`: how many plays have been already; `selected`: places, of which a late one is said first."""
        if playlist is None or outlook is None or not outlook.plays:
            self.said.setText("")
            self._show_mends(())
            return
        late = tuple(k for k in outlook.late if k >= gone)
        if not late:
            self.said.setText(self._all_well(playlist, outlook, runs))
            self._show_mends(())
            return
        own = (k for k, play in enumerate(outlook.plays) if play.outer in selected)
        chosen = next((k for k in own if k in late), late[0])
        self.said.setText(late_words(self._bridge.state.show, outlook, len(late), chosen))
        if self._mended[0] is not outlook or self._mended[1] != chosen:
            self._mended = (outlook, chosen, mends_of(self._bridge.state, outlook, chosen))
        self._show_mends(self._mended[2])

    def _all_well(self, playlist: Playlist, outlook: Outlook, runs: bool) -> str:
        state = self._bridge.state
        left = playlist_runner.left_s(state, self._bridge.now_s) if runs else None
        on_air = f"{left:.1f} s left of this entry. " if left is not None else ""
        used = used_words(state.show, Kind.PLAYLIST, playlist.id)
        whole = length_words(round(outlook.foretold[-1].ends_s, 1))
        return f"{on_air}{whole} a round; every cut lands. {used}"

    def _show_mends(self, mends: tuple[Mend, ...]) -> None:
        if [m.words for m in mends] == [made.text() for made in self.mends]:
            return
        for old in self.mends:
            self._line.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.mends = [button(mend.words, partial(self._mend, mend)) for mend in mends]
        for made in self.mends:
            self._line.addWidget(made)
