"""What ran, when, who asked, and how it ended; found by camera, by who asked and by words. One press shows what made a
camera move."""

from datetime import datetime

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.views.history import CALLED, cause_words
from ribalta.core.ports.causes import ActionRan, By
from ribalta.core.ports.shots import LandingRecord
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.pages import Page
from ribalta.desk.wrap.chain import ChainDrawing, Link

SHOWN = 200
ALL = ""


class LogPage(Page):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.number: int | None = None
        self.camera = Choice("Which camera", {ALL: "all cameras"}, lambda _: self.refresh())
        self.moved = button("What made it move?", self._moved, "The chain behind its last movement")
        self.refused = Choice(
            "What is shown", {ALL: "everything", "refused": "what was refused"}, lambda _: self.refresh()
        )
        askers = {by.value: CALLED.get(by, by.value) for by in By}
        self.by = Choice("Who asked", {ALL: "anybody"} | askers, lambda _: self.refresh())
        self.sought = Field("Words to find")
        self.sought.setPlaceholderText("Find words")
        self.sought.textChanged.connect(lambda _: self.refresh())
        self.camera.setMinimumContentsLength(14)
        self.refused.setMinimumContentsLength(14)
        self.list = Listing("What ran", self._chosen)
        self.chain = ChainDrawing()
        self.said = label("", soft=True, wrap=True)
        head = QHBoxLayout()
        for part in (self.camera, self.by, self.refused, self.moved):
            head.addWidget(part)
        head.addWidget(self.sought, 1)
        left = QVBoxLayout()
        left.addLayout(head)
        left.addWidget(self.list, 1)
        right = QVBoxLayout()
        title = label("How it came about")
        title.setFont(look.font(15, look.BOLD))
        for one in (title, self.said):
            right.addWidget(one)
        right.addWidget(self.chain, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 64)
        whole.addLayout(right, 36)
        self.refresh()

    @property
    def focus_at(self) -> QWidget:
        """See `Page`."""
        return self.list

    def refresh(self) -> None:
        state = self._bridge.state
        cameras = sorted(state.show.cameras, key=lambda c: c.number)
        self.camera.offer({ALL: "all cameras"} | {c.id: f"camera {c.number}  {c.name}" for c in cameras})
        wanted, refused = self.camera.value(), self.refused.value() != ALL
        self.moved.setEnabled(wanted != ALL)
        landings = {r.run_id: r for r in state.program.records if r.run_id}
        by, words = self.by.value(), self.sought.text().casefold().split()
        rows: list[ListRow] = []
        for ran in reversed(self._bridge.history.lines):
            elsewhere = wanted != ALL and wanted not in ran.cameras
            row = CATALOGUE.by_id.get(ran.action)
            others = by not in (ALL, ran.cause.by.value)
            if (row is not None and row.hidden) or elsewhere or others or (refused and not ran.refused):
                continue
            said = self._words(ran, landings.get(ran.number))
            if not all(word in said.casefold() for word in words):
                continue
            rows.append(ListRow(str(ran.number), said, look.WRONG if ran.refused else None, ran.refused))
            if len(rows) == SHOWN:
                break
        empty = "Nothing has run yet." if wanted == ALL else "Nothing has moved this camera yet."
        if words or by != ALL or refused:
            empty = "Nothing that has run is like that. Ask for less."
        self.list.fill(rows or [ListRow("", empty)], str(self.number) if self.number is not None else None)
        self._fill_chain(landings)

    def _words(self, ran: ActionRan, landing: LandingRecord | None) -> str:
        when = datetime.fromtimestamp(ran.at_s + self._bridge.state.wall_clock.offset_s)
        times = f" ×{ran.times}" if ran.times > 1 else ""
        ended = ran.refused or (_landed(landing) if landing is not None else "")
        return f"{when:%H:%M:%S}   {cause_words(ran)}   –   {ran.words}{times}{f'   –   {ended}' if ended else ''}"

    def _fill_chain(self, landings: dict[int, LandingRecord]) -> None:
        chain = self._bridge.history.chain(self.number) if self.number is not None else ()
        links = []
        for ran in chain:
            ended = ran.refused or (_landed(landings[ran.number]) if ran.number in landings else "")
            links.append(Link(cause_words(ran), ran.words, ended, bool(ran.refused)))
        self.chain.show_links(links)
        self.said.setVisible(not chain)
        self.said.setText("" if chain else "Select a line on the left, or a camera and “What made it move?”.")

    def _chosen(self, key: str) -> None:
        self.number = int(key)
        self.refresh()

    def _moved(self) -> None:
        self.show_camera(self.camera.value())

    def show_camera(self, camera_id: str) -> None:
        """What made this camera move last."""
        self.camera.show_value(camera_id)
        self.number = self._bridge.state.live(camera_id).moved_by or None
        self.refresh()
        if self.number is None:
            self.said.setVisible(True)
            self.said.setText("Nothing has moved this camera since the show was opened.")


def _landed(record: LandingRecord) -> str:
    off = f", {record.error_percent:.1f} % off" if record.error_percent is not None else ""
    held = f", held {record.held_s:.1f} s" if record.held_s > 0 else ""
    return f"{'landed' if record.landed else 'not landed'}{off}{held}"
