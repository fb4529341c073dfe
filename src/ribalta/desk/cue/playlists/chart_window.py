"""The travel chart in a window of its own, for another screen: of the playlist that runs, or of one that is chosen."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.engine.views import playlist_outlook as foretold_of
from ribalta.core.show.automation.playlists import Unit
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue.playlists.chart import TravelChart
from ribalta.desk.widgets.fields import Choice, label
from ribalta.desk.widgets.style import wear_sheet
from ribalta.desk.words.playlist_words import playlist_words

MANY = 400


class ChartWindow(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self._bridge = bridge
        self.setWindowTitle("Travel chart – Ribalta")
        self.resize(1280, 420)
        self.which = Choice("Which playlist", {}, lambda _: self.refresh())
        self.which.setMinimumWidth(220)
        self.said = label("", soft=True)
        self.chart = TravelChart(bridge)
        self.chart.retimed.connect(self._retimed)
        head = QHBoxLayout()
        head.addWidget(self.which, 1)
        head.addWidget(self.said, 4)
        column = QVBoxLayout(self)
        column.addLayout(head)
        column.addWidget(self.chart, 1)
        wear_sheet(self)
        bridge.changed.connect(self._follow)
        self.refresh()

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        self.which.offer({p.id: p.name for p in state.show.playlists} or {"": "no playlists yet"})
        running = state.automation.playlist
        self.which.setEnabled(running is None)
        if running is not None:
            self.which.show_value(running.playlist_id)
            found = foretold_of.of_plays(state, running.plays[:MANY])
            begun = found.foretold[running.at].begins_s if 0 <= running.at < len(found.foretold) else 0.0
            self.chart.show_outlook(found, begun + max(0.0, now_s - running.since_s))
            self.said.setText(playlist_words(state, now_s))
            return
        playlist = state.show.playlist(self.which.value())
        found_or_none = foretold_of.of_playlist(state, playlist) if playlist is not None else None
        self.chart.show_outlook(found_or_none, None)
        late = len(found_or_none.late) if found_or_none is not None else 0
        self.said.setText("Every cut lands." if not late else f"{late} {'cut is' if late == 1 else 'cuts are'} late.")

    def _retimed(self, place: int, seconds: float) -> None:
        outlook = self.chart.outlook
        if outlook is not None:
            play = outlook.plays[place]
            where = {"playlist": play.playlist_id, "at": play.place}
            self._bridge.act("playlist.length", **where, amount=seconds, unit=str(Unit.SECONDS))
