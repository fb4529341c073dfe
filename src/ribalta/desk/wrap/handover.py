"""Hand over: the log, edit lists, chapters, the report and checksums, in one folder by one press."""

from datetime import datetime
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_for_folder
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.pages import Page
from ribalta.desk.wrap.child_work import ChildWork, Progress

ABOUT = (
    "Writes what others need after a show: the log as a table and as JSON, an edit list (CMX 3600) and a timeline"
    " (OpenTimelineIO) that point at the recordings of each camera, chapters and titles as WebVTT, a report and the"
    " contact sheet as PDF, and checksums of all of it and of the recordings."
)
NOTHING = "Nothing has been handed over yet. The files that are written are listed here."
NO_FILE = "Save the show first: what went on air is kept beside its file."


class HandOverPage(Page):
    told = Signal(object)  # how it goes, from a thread of its own

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._work = ChildWork(bridge.crew, self.told.emit)
        self.folder: Path | None = None
        self.recordings: Path | None = None
        self.where = Field("Folder", self._typed)
        self.choose = button("Choose …", self._choose)
        self.moved = button("The recordings are elsewhere …", self._choose_recordings, "If they were moved")
        self.begin = button("Hand over", self._begin)
        self.stop = button("Stop", self._work.stop)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.said = label(ABOUT, soft=True, wrap=True)
        self.words = label("", wrap=True)
        self.list = Listing("What was handed over", lambda _: None)
        first = QHBoxLayout()
        first.addWidget(label("Folder", soft=True))
        first.addWidget(self.where, 1)
        first.addWidget(self.choose)
        second = QHBoxLayout()
        for part in (self.begin, self.stop, self.moved):
            second.addWidget(part)
        second.addWidget(self.bar, 1)
        second.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 8, 0, 0)
        whole.setSpacing(8)
        whole.addWidget(self.said)
        whole.addLayout(first)
        whole.addLayout(second)
        whole.addWidget(self.words)
        whole.addWidget(self.list, 1)
        self.told.connect(self._show)
        self.list.fill([ListRow("", NOTHING)], None)
        self.refresh()

    @property
    def focus_at(self) -> QWidget:
        """See `Page`."""
        return self.list

    def refresh(self) -> None:
        path = self._bridge.file.path
        self.where.show_text(str(self._folder()))
        self.begin.setEnabled(path is not None and not self._work.runs)
        self.stop.setVisible(self._work.runs)
        self.bar.setVisible(self._work.runs)
        if path is None:
            self.words.setText(NO_FILE)

    def _folder(self) -> Path:
        """As it was chosen; else beside the recordings, by the show's name and the day."""
        if self.folder is not None:
            return self.folder
        show = self._bridge.state.show
        home = Path(show.outputs.folder).expanduser() if show.outputs.folder else Path.home() / "Videos"
        plain = "".join(c if c.isalnum() or c in " -_" else " " for c in show.title)
        return home / f"{datetime.now():%Y-%m-%d} {' '.join(plain.split())[:60] or 'show'}"

    def _typed(self, text: str) -> None:
        self.folder = Path(text).expanduser() if text.strip() else None
        self.refresh()

    def _choose(self) -> None:
        ask_for_folder(self, "Hand over into", self._folder().parent, lambda path: self._typed(str(path)))

    def _choose_recordings(self) -> None:
        def chosen(path: Path) -> None:
            self.recordings = path
            self.words.setText(f"The recordings are looked for in {path}.")

        ask_for_folder(self, "Where the recordings are", self._folder().parent, chosen)

    def _begin(self) -> None:
        path = self._bridge.file.path
        if path is None or self._work.runs:
            return
        self.list.fill([ListRow("", "…")], None)
        self.words.setText("Begins …")
        moved = ["--recordings", str(self.recordings)] if self.recordings is not None else []
        self._work.begin(["handover", str(path), str(self._folder()), *moved])
        self.refresh()

    def _show(self, progress: Progress) -> None:
        result = progress.result or {"done": (), "troubles": ()}
        many = len(result["done"])
        self.words.setText(f"{many} files were written." if progress.result is not None else progress.words)
        self.bar.setValue(round(1000 * progress.share))
        if progress.over:
            rows = [ListRow("", said, look.WRONG) for said in result["troubles"]]
            rows += [ListRow(file, Path(file).name, None, file) for file in result["done"]]
            self.list.fill(rows or [ListRow("", NOTHING)], None)
        self.refresh()
