"""Playlists: what is shown one after another, with the ways of the cameras, and what would not land."""

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.spans import length_words
from ribalta.core.engine.automation import playlist_runner
from ribalta.core.engine.views import playlist_outlook as foretold_of
from ribalta.core.engine.views.offers import Offer
from ribalta.core.engine.views.playlist_outlook import Outlook
from ribalta.core.planning.mending import Mend
from ribalta.core.show.automation.calls import Call, Kind, find, named
from ribalta.core.show.automation.playlists import Entry, EntryKind, Playlist, Unit
from ribalta.core.show.document.uses import used_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.playlists.chart import TravelChart
from ribalta.desk.cue.playlists.entries import EntryForm, entry_of, entry_words
from ribalta.desk.cue.playlists.planning import PlanPanel
from ribalta.desk.cue.playlists.report import RehearsalReport
from ribalta.desk.cue.playlists.words import ASIDES, late_words
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_to_open, ask_to_save
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.listing import Listing, ListRow
from ribalta.desk.widgets.palette import Palette

EMPTY = "No playlists yet. Make one with New, add shots, and see below which cuts will land."
SHOWN = {"ready.framing", "ready.camera", "scene.ready", "medium.ready", "macro.run", "playlist.start"}
TABLES = "Tables (*.csv)"
MANY = 400  # entries, of which no more are foretold while somebody types


class PlaylistsPage(QWidget):
    window_wanted = Signal(str)

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge, self._palette = bridge, palette
        self.playlist_id: str | None = next((p.id for p in bridge.state.show.playlists), None)
        self._known = {p.id for p in bridge.state.show.playlists}
        self._looked: tuple[object, ...] = ()
        self._outlook: Outlook | None = None
        self.at: int | None = None
        self.list = Listing("Playlists", self.choose)
        self.new = button("Add", lambda: bridge.act("playlist.add"))
        self.double = button("Duplicate", lambda: self._ask("playlist.duplicate"))
        self.remove = button("Remove", lambda: self._ask("playlist.remove"))
        self.entries = Listing("Entries", self._entry_chosen)
        self.add = button("Add shot …", self._add, "Or a scene, a macro, another playlist")
        self.key = button("Add wait", lambda: self._put(Entry(kind=EntryKind.KEY)), "For a key: F7")
        self.up = button("Up", lambda: self._move(-1))
        self.down = button("Down", lambda: self._move(1))
        self.out = button("Remove", self._out)
        self.rehearse = button("Rehearse", self._rehearse, "Run it in hand-wound time and see every landing")
        self.wide = button("Wide chart", lambda: self.window_wanted.emit("chart"), "The chart in a window of its own")
        self.bring = button("Import …", self._bring, "A table: CSV")
        self.write = button("Export …", self._write, "As a table: CSV")
        self.plan = button("Plan it …", self._plan, "Say what is to be seen; cameras and framings are chosen")
        self.planning = PlanPanel(bridge, self._planned)
        self.start = button("Start", lambda: self._ask("playlist.start"))
        self.here = button("From here", self._from_here, "Start at the entry that is chosen")
        self.pause = button("Pause", lambda: bridge.act("playlist.pause"))
        self.skip = button("Skip", lambda: bridge.act("playlist.skip"), "Ctrl+F7")
        self.rejoin = button("Rejoin", lambda: bridge.act("playlist.rejoin"), "Ctrl+F6")
        self.stop = button("Stop", lambda: bridge.act("playlist.stop"), "Ctrl+F8")
        self.name = Field("The playlist's name", lambda text: self._change(name=text))
        self.times = Field("How often", partial(self._number, "times"), "0: until it is stopped")
        self.tempo = Field("Beats a minute", partial(self._number, "tempo_bpm"))
        self.shuffle = QCheckBox("In an order drawn by lot")
        self.shuffle.clicked.connect(lambda on: self._change(shuffle=on))
        self.aside = Choice(
            "When something else is taken", {str(a): w for a, w in ASIDES.items()}, lambda v: self._change(aside=v)
        )
        self.form = EntryForm(bridge, lambda: self.entry, self._changed, self._long)
        self.chart = TravelChart(bridge)
        self.chart.chosen.connect(self._chart_chosen)
        self.chart.retimed.connect(self._retimed)
        self.report = RehearsalReport(self.chart, bridge.crew)
        self.said = label("", soft=True, wrap=True)
        self.mends = QHBoxLayout()
        self._mend_buttons: list[QWidget] = []
        lists, inside = copies.of_playlists(bridge), copies.of_entries(bridge, lambda: self.playlist, lambda: self.at)
        self.list.offer(self.start, self.new, remove=self.remove, duplicate=self.double, several=lists)
        self.entries.offer(self.here, self.up, self.down, remove=self.out, reorder=self._move, several=inside)
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addLayout(line(self.new, self.double, self.remove))
        left.addLayout(line(self.bring, self.write))
        middle = QVBoxLayout()
        middle.addWidget(self.entries, 1)
        middle.addLayout(line(self.add, self.key, self.plan, self.up, self.down, self.out))
        middle.addLayout(line(self.start, self.here, self.pause, self.skip, self.rejoin, self.stop))
        right = QVBoxLayout()
        self._head = QWidget()
        form = Form(self._head)
        form.setContentsMargins(0, 0, 0, 0)
        form.add("Name", self.name)
        form.add("Times", self.times, "Tempo", self.tempo)
        form.add("Taken by hand", self.aside)
        form.add_whole(self.shuffle)
        right.addWidget(self._head)
        right.addWidget(self.form)
        right.addStretch(1)
        self._upper = QWidget()
        upper = QHBoxLayout(self._upper)
        upper.setContentsMargins(0, 0, 0, 0)
        upper.setSpacing(12)
        for column, share in ((left, 20), (middle, 46), (right, 34)):
            upper.addLayout(column, share)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.addWidget(self._upper, 55)
        whole.addWidget(self.planning, 55)
        self.planning.hide()
        foot = QHBoxLayout()
        foot.addWidget(self.said, 1)
        foot.addLayout(self.mends)
        foot.addWidget(self.rehearse)
        foot.addWidget(self.wide)
        whole.addLayout(foot)
        whole.addWidget(self.chart, 45)
        whole.addWidget(self.report, 45)

    # What is shown

    @property
    def playlist(self) -> Playlist | None:
        return self._bridge.state.show.playlist(self.playlist_id or "")

    @property
    def entry(self) -> Entry | None:
        playlist = self.playlist
        there = playlist is not None and self.at is not None and self.at < len(playlist.entries)
        return playlist.entries[self.at] if playlist is not None and self.at is not None and there else None

    def choose(self, playlist_id: str) -> None:
        self.playlist_id, self.at, self.chart.selected = playlist_id, None, None
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        fresh = [p.id for p in state.show.playlists if p.id not in self._known]
        self._known = {p.id for p in state.show.playlists}
        if fresh:
            self.playlist_id, self.at = fresh[-1], None
        if self.playlist is None:
            self.playlist_id = state.show.playlists[0].id if state.show.playlists else None
        playlist, running = self.playlist, state.automation.playlist
        if self.planning.isVisible():
            self.planning.refresh()
        rows = [
            ListRow(p.id, f"{'▶ ' if running and running.playlist_id == p.id else ''}{p.name}   {len(p.entries)}")
            for p in state.show.playlists
        ]
        self.list.fill(rows or [ListRow("", EMPTY)], self.playlist_id)
        mine = running is not None and playlist is not None and running.playlist_id == playlist.id
        self._look_ahead(playlist, mine)
        self._fill_entries(playlist)
        for part in (
            self._head,
            self.double,
            self.remove,
            self.add,
            self.key,
            self.start,
            self.rehearse,
            self.write,
            self.plan,
        ):
            part.setEnabled(playlist is not None)
        for part in (self.pause, self.skip, self.stop):
            part.setEnabled(running is not None)
        self.rejoin.setEnabled(running is not None and running.aside_s is not None)
        self.pause.setText("Continue" if running is not None and running.paused_s is not None else "Pause")
        for part in (self.up, self.down, self.out, self.here):
            part.setEnabled(self.entry is not None)
        if playlist is not None:
            self.name.show_text(playlist.name, playlist)
            self.times.show_text(str(playlist.times), playlist)
            self.tempo.show_text(f"{playlist.tempo_bpm:g}", playlist)
            self.shuffle.setChecked(playlist.shuffle)
            self.aside.show_value(str(playlist.aside))
        self.form.refresh()
        self._fill_said(playlist)

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
        at_s = None
        if running is not None and self._outlook is not None and 0 <= running.at < len(self._outlook.foretold):
            at_s = self._outlook.foretold[running.at].begins_s + max(0.0, now_s - running.since_s)
        self.chart.show_outlook(self._outlook, at_s)

    @property
    def _gone(self) -> int:
        """How many entries of the round have been already, if this playlist runs."""
        running = self._bridge.state.automation.playlist
        return running.at if running is not None and running.playlist_id == self.playlist_id else 0

    def _places(self, at: int) -> list[int]:
        """Where an entry of this playlist is in the round."""
        outlook = self._outlook
        if outlook is None:
            return []
        return [k for k, p in enumerate(outlook.plays) if p.playlist_id == self.playlist_id and p.place == at]

    def _fill_entries(self, playlist: Playlist | None) -> None:
        if playlist is None or not playlist.entries:
            self.entries.fill([ListRow("", "No entries yet: add a shot." if playlist is not None else "")], None)
            return
        state, outlook = self._bridge.state, self._outlook
        running = state.automation.playlist
        now = running.play if running is not None else None
        rows = []
        for k, entry in enumerate(playlist.entries):
            late = (
                max((outlook.foretold[p].late_s for p in self._places(k) if p >= self._gone), default=0.0)
                if outlook
                else 0.0
            )
            gone = entry.item is not None and find(state.show, entry.item) is None
            here = now is not None and (now.playlist_id, now.place) == (playlist.id, k)
            words = f"{'▶ ' if here else ''}{k + 1}   {entry_words(self._bridge, playlist, entry)}"
            words += "   broken" if gone else f"   late {look.seconds(late)} s" if late > 0.01 else ""
            words += f"   – {entry.note}" if entry.note else ""
            if here:
                left = playlist_runner.left_s(state, self._bridge.now_s)
                words += f"   {left:.1f} s left" if left is not None else ""
            ink = look.WRONG if gone or late > 0.01 else look.LAMP_WARM if here else look.SOFT if entry.off else None
            rows.append(ListRow(str(k), words, ink))
        self.entries.fill(rows, str(self.at) if self.at is not None else None)

    def _fill_said(self, playlist: Playlist | None) -> None:
        outlook = self._outlook
        late = tuple(k for k in outlook.late if k >= self._gone) if outlook is not None else ()
        self._show_mends(())
        if playlist is None or outlook is None or not outlook.plays:
            self.said.setText("")
            return
        whole = outlook.foretold[-1].ends_s
        used = used_words(self._bridge.state.show, Kind.PLAYLIST, playlist.id)
        if not late:
            self.said.setText(f"{length_words(round(whole, 1))} a round; every cut lands. {used}")
            return
        own = self._places(self.at) if self.at is not None else []
        chosen = next((k for k in own if k in late), late[0])
        self.said.setText(late_words(self._bridge.state.show, outlook, len(late), chosen))
        self._show_mends(foretold_of.mends_of(self._bridge.state, outlook, chosen))

    def _show_mends(self, mends: tuple[Mend, ...]) -> None:
        words = [m.words for m in mends]
        if words == [b.text() for b in self._mend_buttons if hasattr(b, "text")]:
            return
        for old in self._mend_buttons:
            self.mends.removeWidget(old)
            old.hide()
            old.deleteLater()
        self._mend_buttons = []
        for mend in mends:
            made = button(mend.words, partial(self._mend, mend))
            self._mend_buttons.append(made)
            self.mends.addWidget(made)

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.playlist_id is not None:
            self._bridge.act(action, playlist=self.playlist_id, **arguments)

    def _change(self, **changes: object) -> None:
        self._ask("playlist.change", **changes)

    def _number(self, name: str, text: str) -> None:
        try:
            self._change(**{name: int(text) if name == "times" else float(text.replace(",", "."))})
        except ValueError:
            self.refresh()

    def _entry_chosen(self, key: str) -> None:
        self.at = int(key)
        self.chart.selected = next(iter(self._places(self.at)), None)
        self.chart.update()
        self.refresh()

    def _chart_chosen(self, place: int) -> None:
        outlook = self._outlook
        if outlook is not None and outlook.plays[place].playlist_id == self.playlist_id:
            self.at = outlook.plays[place].place
            self.refresh()

    def _retimed(self, place: int, seconds: float) -> None:
        outlook = self._outlook
        self._looked = ()
        if outlook is not None:
            play = outlook.plays[place]
            self._bridge.act(
                "playlist.length", playlist=play.playlist_id, at=play.place, amount=seconds, unit=str(Unit.SECONDS)
            )

    def _add(self) -> None:
        self._palette.ask("What is shown: type a few words.", self._add_offer, whole_only=False, only=SHOWN)

    def _add_offer(self, offer: Offer) -> None:
        entry = entry_of(self._bridge, offer)
        if entry is not None:
            self._put(entry)

    def _put(self, entry: Entry) -> None:
        playlist = self.playlist
        if playlist is not None:
            at = self.at + 1 if self.at is not None else len(playlist.entries)
            self.at = at
            self._ask("playlist.add_entries", at=at, entries=[entry.model_dump(mode="json")])

    def _long(self, amount: float) -> None:
        self._ask("playlist.length", at=self.at, amount=amount)

    def _changed(self, entry: Entry) -> None:
        if self.at is not None:
            self._ask("playlist.add_entries", at=self.at, entries=[entry.model_dump(mode="json")], instead=True)

    def _out(self) -> None:
        if self.at is not None:
            self._ask("playlist.remove_entry", at=self.at)

    def _move(self, by: int) -> None:
        if self.playlist is not None and (at := self.at) is not None:
            self.at = min(max(0, at + by), len(self.playlist.entries) - 1)
            self._ask("playlist.move", at=at, by=by)

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
            self._upper.hide()
            self.planning.show()

    def _planned(self) -> None:  # the chart has stayed
        self.planning.hide()
        self._upper.show()
        self.refresh()

    def _rehearse(self) -> None:
        """In the background; what it comes to is a window of lines over the chart."""
        if self.playlist is not None:
            call = Call(action="playlist.start", arguments={"playlist": self.playlist.id})
            self.report.rehearse(self._bridge.state.show, call, self.playlist.name)

    def _from_here(self) -> None:
        if self.at is not None:
            self._ask("playlist.start", at=self.at)

    def _mend(self, mend: Mend) -> None:
        """Do what was proposed, in the playlist that the entry is in."""
        outlook, show = self._outlook, self._bridge.state.show
        if outlook is None:
            return
        play = outlook.plays[mend.at]
        where = {"playlist": play.playlist_id, "at": play.place}
        if mend.kind == "longer":
            playlist = show.playlist(play.playlist_id)
            long = playlist.length_s(play.entry) if playlist is not None else play.entry.amount
            seconds = round(long + mend.seconds, 2)
            self._bridge.act("playlist.length", **where, amount=seconds, unit=str(Unit.SECONDS))
        elif mend.kind == "swap":
            self._bridge.act("playlist.move", **where, by=1)
        elif mend.kind == "instead":
            item = named(show, Kind.FRAMING, mend.framing_id)
            made = play.entry.model_copy(update={"item": item})
            self._bridge.act("playlist.add_entries", **where, entries=[made.model_dump(mode="json")], instead=True)
        elif show.settings.cover_camera_id is not None:
            item = named(show, Kind.CAMERA, show.settings.cover_camera_id)
            made = Entry(item=item, amount=mend.seconds)
            self._bridge.act("playlist.add_entries", **where, entries=[made.model_dump(mode="json")])
