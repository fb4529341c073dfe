"""Media: stills, clips and slides, brought in by drag and drop, readied and turned from here."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.spans import length_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import NO_OVERLAYS, Shot
from ribalta.core.show.automation.calls import Item, Kind, named
from ribalta.core.show.document.scenes import Medium
from ribalta.core.show.document.uses import used_words, uses
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.look.canvas import Canvas
from ribalta.desk.input.item_buttons import ItemButtons
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_to_open_several
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.widgets.lists.browser import picture_name
from ribalta.desk.widgets.lists.cards import Cards
from ribalta.desk.widgets.lists.listing import ListRow
from ribalta.desk.widgets.lists.more import More

KINDS = {"still": "still", "clip": "clip", "deck": "slides", "colour": "colour"}
FILES = "Pictures, clips, slides (*.png *.jpg *.jpeg *.svg *.mp4 *.mkv *.mov *.webm *.pdf)"


def place_words(state: LiveState, medium: Medium, now_s: float) -> str:
    """Where it is: which slide of how many and since when they are on air, or how much of a clip is left."""
    live = state.medium(medium.id)
    if medium.kind == "deck":
        on_air = state.program.on_air is not None and state.program.on_air.medium_id == medium.id
        gone = int(now_s - state.program.since_s)
        clock = f" · {gone // 60}:{gone % 60:02d}" if on_air else ""
        return f"slide {live.slide + 1} of {len(medium.files)}{clock}"
    if medium.kind == "clip" and live.length_s is not None:
        left = live.length_s if live.started_s is None else max(0.0, live.started_s + live.length_s - now_s)
        whole = int(left + 0.999)
        return f"{whole // 60}:{whole % 60:02d} {'left' if live.started_s is not None else 'long'}"
    return ""


class DropList(Cards):
    """`dropped` has the paths of files that were let go over it."""

    dropped = Signal(list)

    def __init__(self, bridge: Bridge, name: str, chosen: Callable[[str], None]) -> None:
        super().__init__(bridge, name, chosen, pictured=True)
        self.setAcceptDrops(True)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragEnterEvent) -> None:  # type: ignore[override]
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.dropped.emit(paths)


class MediaPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.medium_id: str | None = next((m.id for m in bridge.state.show.media), None)
        self.list = DropList(bridge, "Media", self.choose)
        self.list.dropped.connect(bridge.transfers.bring_in_media)
        self.hint = label("Drag pictures, clips, a PDF or a folder of slides here.", soft=True, wrap=True)
        self.bring = button("Import …", self._bring)
        self.remove = button("Remove", lambda: self._ask("medium.remove"))
        self.canvas = Canvas(bridge, "No media yet. Drag pictures, clips or slides on the list at the left.")
        self.name = Field("Its name", lambda text: self._ask("medium.rename", name=text))
        self.place = label()
        self.place.setFont(look.font(34, look.BOLD))
        self.trouble = label("", wrap=True)
        self.before = button("‹  Before", lambda: self._ask("slide", by=-1), "[ on Air")
        self.after = button("Next  ›", lambda: self._ask("slide", by=1), "] on Air")
        self.heard = QCheckBox("Heard while it is on air")
        self.heard.clicked.connect(lambda on: self._ask("medium.heard", heard=on))
        self.ready = button("Ready it", lambda: self._ask("medium.ready"), "As Next: Space takes it")
        self.card = button("Holding card", lambda: self._ask("card.is"), "H shows it in place of everything")
        self.give = ItemButtons(bridge, self, self._item)
        offered = (self.ready, self.card, self.bring, *self.give.all)
        self.list.offer(*offered, remove=self.remove, several=copies.of_media(bridge))
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addWidget(self.hint)
        line = QHBoxLayout()
        line.addWidget(self.bring)
        line.addWidget(More(*self.give.all, None, self.remove))
        left.addLayout(line)
        right = QVBoxLayout()
        right.addWidget(self.name)
        right.addWidget(self.place)
        right.addWidget(self.heard)
        for pair in ((self.before, self.after), (self.ready, self.card)):
            line = QHBoxLayout()
            for part in pair:
                line.addWidget(part)
            right.addLayout(line)
        right.addWidget(self.trouble)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 30)
        whole.addWidget(self.canvas, 44)
        whole.addLayout(right, 26)
        self.refresh()

    @property
    def medium(self) -> Medium | None:
        return self._bridge.state.show.medium(self.medium_id or "")

    def choose(self, medium_id: str) -> None:
        self.medium_id = medium_id
        self.refresh()

    def refresh(self) -> None:
        state, medium = self._bridge.state, self.medium
        if medium is None and state.show.media:
            self.medium_id = state.show.media[-1].id
            medium = self.medium
        rows = [self._card(m) for m in state.show.media]
        self.list.fill(rows or [ListRow("", "Nothing yet: Import, or drag files here.")], self.medium_id)
        self.canvas.show_made(Shot("", None, medium.id) if medium is not None else None, NO_OVERLAYS)
        for part in (self.name, self.ready, self.remove, self.card):
            part.setEnabled(medium is not None)
        self.give.refresh()
        deck = medium is not None and medium.kind == "deck"
        self.before.setVisible(deck)
        self.after.setVisible(deck)
        self.heard.setVisible(medium is not None and medium.kind == "clip")
        self.heard.setChecked(medium is not None and medium.heard)
        self.name.show_text(medium.name if medium is not None else "", medium)
        self.place.setText(place_words(state, medium, self._bridge.now_s) if medium is not None else "")
        used = used_words(state.show, Kind.MEDIUM, self.medium_id or "")
        trouble = self._bridge.media.troubles.get(self.medium_id or "", "")
        self.trouble.setText(" ".join(part for part in (trouble, used) if part))
        chosen = medium is not None and state.show.settings.card_id == medium.id
        self.card.setText("Is the holding card" if chosen else "Holding card")

    def _card(self, medium: Medium) -> ListRow:
        """Its picture, its name, what it is and how long, and by how much it is used."""
        state = self._bridge.state
        item = named(state.show, Kind.MEDIUM, medium.id)
        length_s, users = state.medium(medium.id).length_s, len(uses(state.show).get(item.key, ()))
        about = [KINDS[medium.kind]]
        about += [length_words(round(length_s, 1))] if length_s is not None else []
        about += [f"{len(medium.files)} slides"] if medium.kind == "deck" else []
        about += [f"used {users}×"] if users else []
        trouble = self._bridge.media.troubles.get(medium.id, "")
        ink = look.WRONG if trouble else None
        said = " · ".join(about[1:] or about)
        return ListRow(medium.id, f"{medium.name}\n{said}", ink, trouble, picture_name(state.show, item))

    def _item(self) -> Item | None:
        medium = self.medium
        return named(self._bridge.state.show, Kind.MEDIUM, medium.id) if medium is not None else None

    def _ask(self, action: str, **arguments: object) -> None:
        if self.medium_id is not None:
            self._bridge.act(action, medium=self.medium_id, **arguments)

    def _bring(self) -> None:
        ask_to_open_several(self._bridge, self, "Import media", FILES, self._bridge.transfers.bring_in_media)
