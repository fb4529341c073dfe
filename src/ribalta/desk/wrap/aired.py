"""What went on air, line by line: searched, marked, and corrected by lines of their own."""

from datetime import datetime

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.handover.evening import corrected
from ribalta.core.ports.as_run import Aired, AsRunLine
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.pages import Page

SHOWN = 300
EVERYTHING, SHOTS, WAITED, MARKERS, SOUND = "everything", "shots", "waited", "markers", "sound"
SHOWS = {
    EVERYTHING: "everything",
    SHOTS: "shots only",
    WAITED: "what waited or was late",
    MARKERS: "markers and corrections",
    SOUND: "how loud it was",
}
SIGNS = {
    Aired.ON: "on",
    Aired.OFF: "off",
    Aired.WORDS: "now says",
    Aired.RECORDING: "recording",
    Aired.STREAM: "stream",
    Aired.FILES: "recording into",
    Aired.SOUND: "program's sound:",
    Aired.MARKER: "marker:",
    Aired.CORRECTION: "correction of",
}
EMPTY = "Nothing has gone on air yet. What does is listed here; I marks a moment."


def line_words(line: AsRunLine, said: str) -> str:
    """A line in words; `said` is what is to be read for it."""
    if line.kind is Aired.SHOT:
        how = line.transition.lower() if line.transition else "cut"
        landing = line.landing
        parts = [said, how]
        if landing is not None:
            parts += [f"waited {landing.held_s:.1f} s"] if landing.held_s > 0.05 else []
            parts += ["forced"] if landing.forced else []
            parts += [] if landing.landed else ["had not landed"]
        parts += [line.by] if line.by else []
        return "  ·  ".join(parts)
    if line.kind is Aired.CORRECTION:
        return f"correction of line {line.of}: {said}"
    return f"{SIGNS.get(line.kind, '')} {said}".strip()


def is_late(line: AsRunLine) -> bool:
    """It waited, or was on air before it had landed."""
    return line.landing is not None and (line.landing.held_s > 0.05 or not line.landing.landed)


class AiredPage(Page):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.number: int | None = None
        self._looked: tuple[object, ...] = ()
        self.shows = Choice("What is shown", SHOWS, lambda _: self.refresh())
        self.sought = Field("Words to find")
        self.sought.setPlaceholderText("Find words")
        self.sought.textChanged.connect(lambda _: self.refresh())
        self.mark = button("Mark now  I", lambda: bridge.act("log.mark"), "A marker at this moment")
        self.list = Listing("What went on air", self._chosen)
        self.said = label("", soft=True, wrap=True)
        self.words = Field("What is to be read for it", self._correct)
        self.words.setPlaceholderText("What is to be read for the line that is selected")
        head = QHBoxLayout()
        for part in (self.shows, self.mark):
            head.addWidget(part)
        head.addWidget(self.sought, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.said, 40)
        foot.addWidget(self.words, 60)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.addLayout(head)
        whole.addWidget(self.list, 1)
        whole.addLayout(foot)

    @property
    def focus_at(self) -> QWidget:
        """See `Page`."""
        return self.list

    def refresh(self) -> None:
        lines, shows = self._bridge.as_run.lines, self.shows.value()
        looked = (len(lines), shows, self.sought.text(), self.number)
        if looked == self._looked:
            return
        self._looked = looked
        said, words = corrected(lines), self.sought.text().casefold().split()
        rows: list[ListRow] = []
        for line in reversed(lines):
            wanted = {
                SHOTS: line.kind is Aired.SHOT,
                WAITED: is_late(line),
                MARKERS: line.kind in (Aired.MARKER, Aired.CORRECTION),
                SOUND: line.kind is Aired.SOUND,
            }.get(shows, line.kind is not Aired.SOUND)
            told = line_words(line, said.get(line.number, line.words))
            if not wanted or not all(word in told.casefold() for word in words):
                continue
            late = line.landing is not None and not line.landing.landed
            ink = look.WRONG if late else look.LAMP_WARM if line.kind is Aired.MARKER else None
            at = datetime.fromtimestamp(line.wall_s)
            rows.append(ListRow(str(line.number), f"{line.number:4d}   {at:%H:%M:%S}   {told}", ink, told))
            if len(rows) == SHOWN:
                break
        empty = EMPTY if not lines else "Nothing that was on air is like that. Ask for less."
        self.list.fill(rows or [ListRow("", empty)], str(self.number) if self.number is not None else None)
        takes = sum(line.landing is not None for line in lines)
        self.said.setText(f"{takes} {'take' if takes == 1 else 'takes'}. A correction is a line of its own.")
        mine = next((x for x in lines if x.number == self.number), None)
        self.words.setEnabled(mine is not None)
        self.words.show_text(said.get(mine.number, mine.words) if mine is not None else "", self.number)

    def _chosen(self, key: str) -> None:
        self.number = int(key)
        self.refresh()

    def _correct(self, words: str) -> None:
        line = next((x for x in self._bridge.as_run.lines if x.number == self.number), None)
        if (
            line is not None
            and words.strip()
            and words != corrected(self._bridge.as_run.lines).get(line.number, line.words)
        ):
            self._bridge.act("log.correct", line=line.number, words=words.strip()[:400])
