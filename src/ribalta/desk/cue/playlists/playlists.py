"""Playlists: what is shown one after another, as a strip of pictures over the ways of the cameras, and what would not
land."""

from collections.abc import Mapping

from pydantic import JsonValue
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QScrollBar, QVBoxLayout, QWidget

from ribalta.core.engine.views import playlist_outlook as foretold_of
from ribalta.core.engine.views.playlist_outlook import Outlook
from ribalta.core.planning.mending import Mend
from ribalta.core.show.automation.calls import Call, Item, Kind, named
from ribalta.core.show.automation.playlists import Entry, EntryKind, Playlist
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.playlists.chart import TravelChart
from ribalta.desk.cue.playlists.entries import EntryForm, entry_for
from ribalta.desk.cue.playlists.entry_strip import KINDS, EntryStrip
from ribalta.desk.cue.playlists.late_line import LateLine
from ribalta.desk.cue.playlists.mending import mending_call, seconds_arguments
from ribalta.desk.cue.playlists.planning import PlanPanel
from ribalta.desk.cue.playlists.playlist_card import playlist_card
from ribalta.desk.cue.playlists.report import RehearsalReport
from ribalta.desk.cue.playlists.settings import PlaylistSettings
from ribalta.desk.cue.playlists.tiles import tiles_of, with_lengths
from ribalta.desk.cue.playlists.timeline import Timeline
from ribalta.desk.input.item_buttons import ItemButtons
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_to_open, ask_to_save
from ribalta.desk.widgets.fields import button
from ribalta.desk.widgets.lists.browser import Browser
from ribalta.desk.widgets.lists.cards import Cards
from ribalta.desk.widgets.lists.listing import ListRow
from ribalta.desk.widgets.lists.more import More

EMPTY = "No playlists yet. Make one with Add, drag pictures into it, and see which cuts will land."
TABLES = "Tables (*.csv)"
MANY = 400  # entries, of which no more are foretold while somebody types
FORM_WIDE = 400


class PlaylistsPage(QWidget):
    window_wanted = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.playlist_id: str | None = next((p.id for p in bridge.state.show.playlists), None)
        self._known = {p.id for p in bridge.state.show.playlists}
        self._looked: tuple[object, ...] = ()
        self._outlook: Outlook | None = None
        self._held: Mapping[int, float] = {}  # lengths that are being dragged, by place
        self._make_buttons()
        self.list = Cards(bridge, "Playlists", self.choose)
        self.give = ItemButtons(bridge, self, self._item)
        self.timeline = Timeline(least=46.0)
        inside = copies.of_entries(bridge, lambda: self.playlist, lambda: self.at)
        self.strip = EntryStrip(bridge, self.timeline, inside)
        self.chart = TravelChart(bridge, self.timeline)
        self.scroller = QScrollBar(Qt.Orientation.Horizontal)
        self.scroller.valueChanged.connect(self.timeline.scroll_to)
        self.timeline.changed.connect(self._show_scroll)
        self.browser = Browser(bridge, KINDS, self._put_items, "Drag into the strip")
        self.settings = PlaylistSettings(self._change)
        self.form = EntryForm(bridge, lambda: self.entry, self._changed, self._long)
        self.planning = PlanPanel(bridge, self._planned)
        self.report = RehearsalReport(self.chart, bridge.crew)
        self.late = LateLine(bridge, self._mend)
        self.strip.selected.connect(self.refresh)
        self.strip.placed.connect(lambda places, before: self._ask("playlist.place", entries=places, before=before))
        self.strip.dropped.connect(self._dropped)
        self.strip.holding.connect(self._hold)
        self.strip.stretched.connect(self._stretched)
        self.chart.chosen.connect(self._chart_chosen)
        self.chart.retimed.connect(self._retimed)
        several = copies.of_playlists(bridge)
        self.list.offer(
            self.start, self.new, *self.give.all, remove=self.remove, duplicate=self.double, several=several
        )
        self.strip.offer(self.here, self.key, remove=self.out)
        self._lay_out()
        self.refresh()

    def _make_buttons(self) -> None:
        bridge = self._bridge
        self.new = button("Add", lambda: bridge.act("playlist.add"), "An empty playlist")
        self.double = button("Duplicate", lambda: self._ask("playlist.duplicate"))
        self.remove = button("Remove", lambda: self._ask("playlist.remove"))
        self.key = button("Add a wait for a key", lambda: self._put([Entry(kind=EntryKind.KEY)]), "Ctrl+F7 goes on")
        self.out = button("Remove entries", self._out, "Those that are selected: Delete")
        self.rehearse = button("Rehearse", self._rehearse, "Every landing, from the entry that is selected")
        self.wide = button("Chart in its own window", lambda: self.window_wanted.emit("chart"), "For another screen")
        self.bring = button("Import …", self._bring, "A table: CSV")
        self.write = button("Export …", self._write, "As a table: CSV")
        self.plan = button("Plan it …", self._plan, "Say what is to be seen; cameras and framings are chosen")
        self.start = button("Start", lambda: self._ask("playlist.start"))
        self.here = button("Start from here", self._from_here, "At the entry that is selected")
        self.pause = button("Pause", lambda: bridge.act("playlist.pause"))
        self.skip = button("Skip", lambda: bridge.act("playlist.skip"), "Ctrl+F7")
        self.rejoin = button("Rejoin", lambda: bridge.act("playlist.rejoin"), "Ctrl+F6")
        self.stop = button("Stop", lambda: bridge.act("playlist.stop"), "Ctrl+F8")

    def _lay_out(self) -> None:
        self.more = More(
            *(self.here, self.key, self.out, None),
            *(*self.give.all, None),
            *(self.plan, self.double, self.remove, None),
            *(self.bring, self.write, self.wide),
        )
        head = QHBoxLayout()
        head.addWidget(self.list, 1)
        for part in (self.new, self.start, self.rehearse, self.pause, self.skip, self.rejoin, self.stop, self.more):
            head.addWidget(part, 0, Qt.AlignmentFlag.AlignTop)
        right = QVBoxLayout()
        right.addWidget(self.settings)
        right.addWidget(self.form)
        right.addStretch(1)
        self._lower = QWidget()
        lower = QHBoxLayout(self._lower)
        lower.setContentsMargins(0, 0, 0, 0)
        lower.setSpacing(12)
        lower.addWidget(self.browser, 1)
        column = QWidget()
        column.setLayout(right)
        right.setContentsMargins(0, 0, 0, 0)
        column.setFixedWidth(look.scaled(FORM_WIDE))
        lower.addWidget(column)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(5)
        whole.addLayout(head)
        whole.addWidget(self.strip)
        whole.addWidget(self.chart, 50)
        whole.addWidget(self.report, 50)
        whole.addWidget(self.scroller)
        whole.addWidget(self.late)
        whole.addWidget(self._lower, 60)
        whole.addWidget(self.planning, 75)
        self.planning.hide()

    # What is shown

    @property
    def playlist(self) -> Playlist | None:
        return self._bridge.state.show.playlist(self.playlist_id or "")

    def _item(self) -> Item | None:
        playlist = self.playlist
        return named(self._bridge.state.show, Kind.PLAYLIST, playlist.id) if playlist is not None else None

    @property
    def at(self) -> int | None:
        """The place of the entry that is selected last."""
        return self.strip.at if self.strip.selected_at else None

    @property
    def entry(self) -> Entry | None:
        playlist, at = self.playlist, self.at
        there = playlist is not None and at is not None and at < len(playlist.entries)
        return playlist.entries[at] if playlist is not None and at is not None and there else None

    def choose(self, playlist_id: str) -> None:
        self.playlist_id = playlist_id
        self.strip.select([])
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        fresh = [p.id for p in state.show.playlists if p.id not in self._known]
        self._known = {p.id for p in state.show.playlists}
        if fresh:
            self.playlist_id = fresh[-1]
        if self.playlist is None:
            self.playlist_id = state.show.playlists[0].id if state.show.playlists else None
        playlist, running = self.playlist, state.automation.playlist
        cards = [playlist_card(self._bridge, p) for p in state.show.playlists]
        self.list.fill(cards or [ListRow("", EMPTY)], self.playlist_id)
        mine = running is not None and playlist is not None and running.playlist_id == playlist.id
        self._look_ahead(playlist, mine)
        self._show_enabled(playlist)
        self.settings.show_playlist(playlist if not self.strip.selected_at else None)
        self.form.refresh()
        self._fill_late(playlist)
        if self.planning.isVisible():
            self.planning.refresh()
        else:
            self.browser.refresh()

    def _show_enabled(self, playlist: Playlist | None) -> None:
        """What can be asked for now; what cannot be at all is not shown."""
        running = self._bridge.state.automation.playlist
        for part in (self.double, self.remove, self.key, self.start, self.rehearse, self.write, self.plan):
            part.setEnabled(playlist is not None)
        for part in (self.pause, self.skip, self.stop):
            part.setVisible(running is not None)
        self.rehearse.setVisible(running is None)
        self.rejoin.setVisible(running is not None and running.aside_s is not None)
        self.start.setVisible(running is None or running.playlist_id != self.playlist_id)
        self.pause.setText("Continue" if running is not None and running.paused_s is not None else "Pause")
        for part in (self.out, self.here):
            part.setEnabled(self.entry is not None)
        self.give.refresh()

    def _look_ahead(self, playlist: Playlist | None, mine: bool) -> None:
        """Foretold again only when something that it depends on has changed."""
        state, now_s = self._bridge.state, self._bridge.now_s
        running = state.automation.playlist if mine else None
        at_rest = tuple(state.live(c.id).goal for c in state.show.cameras) if running is None else ()
        now = (state.show, playlist, running.plays if running else None, at_rest)
        if now != self._looked:
            self._looked = now
            if playlist is None:
                self._outlook = None
            elif running is not None:
                self._outlook = foretold_of.of_plays(state, running.plays[:MANY])
            else:
                self._outlook = foretold_of.of_playlist(state, playlist)
        shown, at_s, playing = self._outlook, None, None
        if running is not None and shown is not None and 0 <= running.at < len(shown.foretold):
            at_s = shown.foretold[running.at].begins_s + max(0.0, now_s - running.since_s)
            playing = shown.plays[running.at].outer
        if self._held and shown is not None:
            lengths = {k: s for k, play in enumerate(shown.plays) if (s := self._held.get(play.outer)) is not None}
            shown = with_lengths(state.show, shown, lengths)
        tiles = tiles_of(state.show, playlist, shown, self._gone) if playlist is not None else []
        self.strip.show_tiles(playlist, tiles, at_s, playing)
        self.chart.show_outlook(shown, at_s)
        mine_at = set(self.strip.selected_at)
        self.chart.select(k for k, play in enumerate(shown.plays if shown else ()) if play.outer in mine_at)

    def _show_scroll(self) -> None:
        hidden = round(self.timeline.hidden)
        self.scroller.setVisible(hidden > 1)
        self.scroller.setRange(0, hidden)
        self.scroller.setPageStep(round(self.timeline.room))
        self.scroller.setValue(round(self.timeline.offset))

    @property
    def _gone(self) -> int:
        """How many entries of the round have been already, if this playlist runs."""
        running = self._bridge.state.automation.playlist
        return running.at if running is not None and running.playlist_id == self.playlist_id else 0

    def _fill_late(self, playlist: Playlist | None) -> None:
        running = self._bridge.state.automation.playlist
        mine = running is not None and playlist is not None and running.playlist_id == playlist.id
        self.late.show_outlook(playlist, self._outlook, self._gone, self.strip.selected_at, runs=mine)

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.playlist_id is not None:
            self._bridge.act(action, playlist=self.playlist_id, **arguments)

    def _change(self, **changes: object) -> None:
        self._ask("playlist.change", **changes)

    def _chart_chosen(self, place: int) -> None:
        if self._outlook is not None:
            self.strip.select([self._outlook.plays[place].outer])

    def _retimed(self, place: int, seconds: float) -> None:
        outlook = self._outlook
        self._looked = ()
        if outlook is not None:
            play = outlook.plays[place]
            self._bridge.act("playlist.length", **seconds_arguments(play.playlist_id, play.place, seconds))

    def _hold(self, lengths: Mapping[int, float]) -> None:
        """While an edge is dragged, what that comes to is foretold."""
        self._held = lengths
        self.refresh()

    def _stretched(self, lengths: Mapping[int, float]) -> None:
        """One or several, as one edit."""
        if self.playlist_id is None:
            return
        calls = [seconds_arguments(self.playlist_id, place, seconds) for place, seconds in sorted(lengths.items())]
        if len(calls) == 1:
            self._bridge.act("playlist.length", **calls[0])
        elif calls:
            asked = [Call(action="playlist.length", arguments=one).model_dump(mode="json") for one in calls]
            self._bridge.act("edit.together", calls=asked, what=f"changed {len(calls)} lengths")

    def _put_items(self, items: tuple[Item, ...]) -> None:
        """Behind what is selected, or at the end."""
        self._put([entry_for(item) for item in items])

    def _dropped(self, items: tuple[Item, ...], before: int) -> None:
        self._put([entry_for(item) for item in items], before)

    def _put(self, entries: list[Entry], before: int | None = None) -> None:
        playlist = self.playlist
        if playlist is None:
            self._bridge.act("playlist.add", entries=[e.model_dump(mode="json") for e in entries])
            return
        at = before if before is not None else self.at + 1 if self.at is not None else len(playlist.entries)
        self._ask("playlist.add_entries", at=at, entries=[e.model_dump(mode="json") for e in entries])
        self.strip.select(range(at, at + len(entries)))

    def _long(self, amount: float) -> None:
        self._ask("playlist.length", at=self.at, amount=amount)

    def _changed(self, entry: Entry) -> None:
        if self.at is not None:
            self._ask("playlist.add_entries", at=self.at, entries=[entry.model_dump(mode="json")], instead=True)

    def _out(self) -> None:
        several = copies.of_entries(self._bridge, lambda: self.playlist, lambda: self.at)
        several.remove_all([str(place) for place in self.strip.selected_at])
        self.strip.select([])

    def _bring(self) -> None:
        ask_to_open(self._bridge, self, "Import a playlist", TABLES, self._bridge.transfers.bring_in_playlist)

    def _write(self) -> None:
        playlist = self.playlist
        if playlist is not None:
            out, name = self._bridge.transfers.write_out_playlist, f"{playlist.name}.csv"
            ask_to_save(self._bridge, self, "Export", name, TABLES, lambda path: out(playlist.id, path))

    def _plan(self) -> None:
        if self.playlist is not None:
            self.planning.plan(self.playlist)
            self._show_planning(True)

    def _planned(self) -> None:
        self._show_planning(False)
        self.refresh()

    def _show_planning(self, on: bool) -> None:
        """In place of the strip and what is below; the chart stays."""
        for part in (self.strip, self._lower):
            part.setVisible(not on)
        self.planning.setVisible(on)

    def _rehearse(self) -> None:
        """From the entry that is selected, in the background; what it comes to is a list in the chart's place."""
        if self.playlist is not None:
            arguments: dict[str, JsonValue] = {"playlist": self.playlist.id}
            arguments |= {"at": self.at} if self.at is not None else {}
            from_ = f", from entry {self.at + 1}" if self.at else ""
            call = Call(action="playlist.start", arguments=arguments)
            self.report.rehearse(self._bridge.state.show, call, f"{self.playlist.name}{from_}")

    def _from_here(self) -> None:
        if self.at is not None:
            self._ask("playlist.start", at=self.at)

    def _mend(self, mend: Mend) -> None:
        """Do what was proposed, in the playlist that the entry is in."""
        call = mending_call(self._bridge.state.show, self._outlook, mend) if self._outlook is not None else None
        if call is not None:
            self._bridge.act(call.action, **call.arguments)
