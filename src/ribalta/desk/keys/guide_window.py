"""The guide, as it ships: its pages in a window of its own, opened at the one for the view."""

import re
from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QTextBrowser, QWidget

from ribalta.desk.painting import look

PICTURE = re.compile(r"!\[[^\]]*\]\([^)]*\)")  # the window itself is in sight
FIRST = {"Rig": "connect-a-camera", "Frame": "frame-a-shot", "Cue": "your-first-macro", "Air": "make-a-key-do-it"}
FIRST["Wrap"] = "hand-over"
OF_CUE = {
    "Titles": "tonights-titles",
    "Playlists": "a-playlist-that-lands",
    "Triggers": "when-this-happens",
    "Shortcuts": "make-a-key-do-it",
    "Pads": "make-a-key-do-it",
    "Voices": "follow-the-voice",
    "Faders": "faders-and-knobs",
}
OF_RIG = {"Outputs": "recording", "Messages": "two-machines-in-step"}


def pages() -> dict[str, Path]:
    """The guide's pages by their titles, as they are in the files."""
    folder = Path(str(files("ribalta"))) / "guide"
    found = {path: path.read_text(encoding="utf-8") for path in sorted(folder.glob("*.md"))}
    return {text.splitlines()[0].lstrip("# ").strip(): path for path, text in found.items()}


class GuideWindow(QWidget):
    """Links go from page to page, and nowhere else."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Guide – Ribalta")
        self.resize(900, 700)
        self._pages = pages()
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
        line.addWidget(self.list, 1)
        line.addWidget(self.text, 3)

    def open_at(self, view: str, page: str = "") -> None:
        of = {"Cue": OF_CUE, "Rig": OF_RIG}.get(view, {})
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
