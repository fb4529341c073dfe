"""The guide, as it ships: its pages in a window of its own, opened at the one for the view."""

import re
from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QTextCursor
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Field
from ribalta.desk.widgets.style import wear_sheet

PICTURE = re.compile(r"!\[[^\]]*\]\([^)]*\)")  # the window itself is in sight
FIRST = {"Rig": "connect-a-camera", "Frame": "frame-a-shot", "Cue": "your-first-macro", "Air": "make-a-key-do-it"}
FIRST |= {"Check": "before-doors", "Wrap": "hand-over"}
OF_CUE = {
    "Titles": "tonights-titles",
    "Playlists": "a-playlist-that-lands",
    "Triggers": "when-this-happens",
    "Shortcuts": "make-a-key-do-it",
    "Pads": "make-a-key-do-it",
    "Voices": "follow-the-voice",
    "Faders": "faders-and-knobs",
}
OF_RIG = {"Microphones": "microphones", "Outputs": "recording", "Messages": "two-machines-in-step"}
OF_RIG |= {"Guests": "invite-somebody-to-steer", "House": "a-house-with-a-broker"}
OF_WRAP = {"Close down": "close-down", "Closing list": "before-doors"}
ORDER = (  # of the work; pages that are not named come last
    "first-evening",
    "connect-a-camera",
    "microphones",
    "recording",
    "frame-a-shot",
    "scenes-on-the-picture",
    "tonights-titles",
    "your-first-macro",
    "a-playlist-that-lands",
    "make-a-key-do-it",
    "faders-and-knobs",
    "when-this-happens",
    "follow-the-voice",
    "a-talk-between-two-people",
    "before-doors",
    "close-down",
    "hand-over",
    "invite-somebody-to-steer",
    "what-guests-may-do",
    "a-second-desk",
    "a-house-with-a-broker",
)
NOTHING = "No page has these words. Ask for less."


def pages() -> dict[str, Path]:
    """The guide's pages by their titles, in the order of the work."""
    folder = Path(str(files("ribalta"))) / "guide"
    found = {path: path.read_text(encoding="utf-8") for path in sorted(folder.glob("*.md"), key=_place)}
    return {text.splitlines()[0].lstrip("# ").strip(): path for path, text in found.items()}


def _place(path: Path) -> tuple[int, str]:
    return (ORDER.index(path.stem) if path.stem in ORDER else len(ORDER)), path.stem


class GuideWindow(QWidget):
    """Links go from page to page, and nowhere else."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Guide – Ribalta")
        self.resize(900, 700)
        self._pages = pages()
        self._words = {title: path.read_text(encoding="utf-8").casefold() for title, path in self._pages.items()}
        self.sought = Field("Words to find in the guide")
        self.sought.setPlaceholderText("Find words")
        self.sought.textChanged.connect(self._seek)
        self.sought.returnPressed.connect(self._next)
        self.list = QListWidget()
        self.list.setFont(look.font(14))
        self.list.setAccessibleName("Pages of the guide")
        self.list.addItems(list(self._pages))
        self.list.currentTextChanged.connect(self._show)
        self.text = QTextBrowser()
        self.text.setFont(look.font(15))
        self.text.setAccessibleName("The page")
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        line = QHBoxLayout(self)
        column = QVBoxLayout()
        column.addWidget(self.sought)
        column.addWidget(self.list, 1)
        line.addLayout(column, 1)
        line.addWidget(self.text, 3)
        wear_sheet(self)

    def _seek(self, text: str) -> None:
        """Only pages with all of these words, the first one open."""
        words = text.casefold().split()
        found = [title for title, said in self._words.items() if all(word in said for word in words)]
        self.list.clear()
        self.list.addItems(found or [NOTHING])
        if found:
            self.list.setCurrentRow(0)
            self._next()

    def _next(self) -> None:
        """The next place of the first word in the page; behind the last one the first."""
        words = self.sought.text().split()
        if words and not self.text.find(words[0]):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(words[0])

    def open_at(self, view: str, page: str = "") -> None:
        self.sought.clear()
        of = {"Cue": OF_CUE, "Rig": OF_RIG, "Wrap": OF_WRAP}.get(view, {})
        self._turn(of.get(page, FIRST[view]))

    def _turn(self, stem: str) -> None:
        title = next((title for title, path in self._pages.items() if path.stem == stem), None)
        if title is not None:
            self.list.setCurrentRow(list(self._pages).index(title))
            self._show(title)

    def _show(self, title: str) -> None:
        path = self._pages.get(title)
        if path is not None:
            self.text.setMarkdown(PICTURE.sub("", path.read_text(encoding="utf-8")))

    def _follow(self, url: QUrl) -> None:
        self._turn(Path(url.path()).stem)
