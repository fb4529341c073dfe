"""Pictures of what a show has, to be found by a few words and dragged to where they are wanted.

Enter and a double click do what a drag would do, so that nothing needs a mouse.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QMimeData, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ribalta.core.show.automation.calls import Item, Kind, named
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import Source
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.widgets.fields import Field, label
from ribalta.desk.widgets.lists.item_drag import carried

WORDS = {
    Kind.CAMERA: "camera",
    Kind.SCENE: "scene",
    Kind.MEDIUM: "medium",
    Kind.MACRO: "macro",
    Kind.PLAYLIST: "playlist",
    Kind.TITLE: "title",
}
PICTURES = (".jpg", ".jpeg", ".png")
WIDE, TALL, CAPTION, GAP = 116, 65, 22, 5


@dataclass(frozen=True, slots=True)
class Offered:
    """Something that can be dragged: what it is called, more words that find it, and the name of its picture."""

    item: Item
    words: str
    also: str = ""
    picture: str | None = None


def picture_name(show: Show, item: Item) -> str | None:
    """Under which name the picture of an item is stored; None when it has none."""
    if item.kind is Kind.FRAMING:
        framing = show.framing(item.id)
        return framing.picture if framing is not None else None
    if item.kind is Kind.SCENE:
        scene = show.scene(item.id)
        return None if scene is None else scene.picture or _source_picture(show, scene.base)
    if item.kind is Kind.MEDIUM:
        medium = show.medium(item.id)
        first = medium.files[0] if medium is not None and medium.files else ""
        return first if first.lower().endswith(PICTURES) else None  # a drawing is not drawn here: it may take long
    if item.kind is Kind.CAMERA:
        return next((f.picture for f in show.framings if f.camera_id == item.id and f.picture is not None), None)
    return None


def _source_picture(show: Show, source: Source) -> str | None:
    for kind, part_id in (
        (Kind.FRAMING, source.framing_id),
        (Kind.MEDIUM, source.medium_id),
        (Kind.CAMERA, source.camera_id),
    ):
        if part_id is not None:
            return picture_name(show, Item(kind=kind, id=part_id))
    return None


def offered(show: Show, kinds: Sequence[Kind]) -> Iterator[Offered]:
    """Everything of these kinds, framings in the order of the board."""
    for kind in kinds:
        if kind is Kind.FRAMING:
            numbers = {c.id: c for c in show.cameras}
            for f in sorted(show.framings, key=lambda f: (numbers[f.camera_id].number, f.slot)):
                camera = numbers[f.camera_id]
                words = f"{camera.number} {f.letter}  {f.name}"
                yield Offered(named(show, kind, f.id), words, f"{camera.name} {f.size or ''}", f.picture)
        else:
            for one in _all(show, kind):
                item = named(show, kind, one.id)
                number = f"{one.number}  " if kind is Kind.CAMERA else ""
                yield Offered(item, f"{number}{one.name}", WORDS[kind], picture_name(show, item))


def _all(show: Show, kind: Kind):  # type: ignore[no-untyped-def]
    parts = {
        Kind.CAMERA: [c for c in show.cameras if not c.steered],
        Kind.SCENE: show.scenes,
        Kind.MEDIUM: show.media,
        Kind.MACRO: show.macros,
        Kind.PLAYLIST: show.playlists,
        Kind.TITLE: show.titles,
    }
    return parts[kind]


class _Tiles(QListWidget):
    """`put` gets the items that are to go where a drag would take them."""

    def __init__(self, put: Callable[[tuple[Item, ...]], None]) -> None:
        super().__init__()
        self._put = put
        self.offered: list[Offered] = []
        self.setObjectName("cards")
        self.setAccessibleName("What can be dragged")
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setMovement(QListWidget.Movement.Static)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.itemDoubleClicked.connect(lambda _: self.put_selected())

    def selected(self) -> tuple[Item, ...]:
        return tuple(self.offered[row].item for row in sorted(i.row() for i in self.selectedIndexes()))

    def put_selected(self) -> None:
        items = self.selected()
        if items:
            self._put(items)

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        return carried([self.offered[row].item for row in sorted(self.row(item) for item in items)])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.put_selected()
        else:
            super().keyPressEvent(event)


class _Paint(QStyledItemDelegate):
    def __init__(self, bridge: Bridge, tiles: _Tiles) -> None:
        super().__init__(tiles)
        self._bridge, self._tiles = bridge, tiles

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(WIDE + GAP, TALL + look.scaled(CAPTION) + GAP)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        if index.row() >= len(self._tiles.offered):
            return
        self._bridge.give_way()
        one = self._tiles.offered[index.row()]
        area = QRectF(option.rect).adjusted(0, 0, -GAP, -GAP)
        picture = area.adjusted(0, 0, 0, -look.scaled(CAPTION))
        paint_item(painter, self._bridge, picture, one)
        foot = QRectF(area.left(), picture.bottom(), area.width(), look.scaled(CAPTION))
        painter.fillRect(foot, look.RAIL)
        painter.setPen(look.TEXT)
        painter.setFont(look.font(13, look.MEDIUM, narrow=True))
        said = painter.fontMetrics().elidedText(one.words, Qt.TextElideMode.ElideRight, int(foot.width()) - 10)
        painter.drawText(foot.adjusted(5, 0, -3, 0), Qt.AlignmentFlag.AlignVCenter, said)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.TEXT, 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))


def paint_item(painter: QPainter, bridge: Bridge, area: QRectF, one: Offered) -> None:
    """The picture of an item, or a word for what it is where it has none."""
    stored = bridge.stored_picture_soon(one.picture, int(area.width()), int(area.height()))
    if stored is not None:
        draw_cropped(painter, area, stored)
        return
    painter.fillRect(area, look.INK)
    painter.setPen(look.SOFT)
    painter.setFont(look.font(14, narrow=True))
    said = WORDS.get(one.item.kind, "no picture") if one.picture is None else ""
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter, said)


class Browser(QWidget):
    """`put` gets items that were chosen by Enter or by a double click; `where` says where a drag leads."""

    def __init__(
        self, bridge: Bridge, kinds: Sequence[Kind], put: Callable[[tuple[Item, ...]], None], where: str
    ) -> None:
        super().__init__()
        self._bridge, self._kinds = bridge, tuple(kinds)
        self._known: list[Offered] = []
        self.tiles = _Tiles(put)
        self.tiles.setItemDelegate(_Paint(bridge, self.tiles))
        self.tiles.setToolTip("Drag it, or press Enter · several with Shift and Ctrl")
        self.search = Field("Find what can be dragged")
        names = ["framing" if kind is Kind.FRAMING else WORDS[kind] for kind in self._kinds]
        self.search.setPlaceholderText(f"find a {', '.join(names[:3])}")
        self.search.textChanged.connect(lambda _: self.refresh())
        self._none = label("", soft=True, wrap=True)
        head = QHBoxLayout()
        head.addWidget(label(where, soft=True))
        head.addWidget(self.search, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self._none)
        column.addWidget(self.tiles, 1)

    def refresh(self) -> None:
        """What there is, filled anew only when it has changed."""
        wanted = self.search.text().casefold().split()
        show = self._bridge.state.show
        found = [
            one
            for one in offered(show, self._kinds)
            if all(word in f"{one.words} {one.also}".casefold() for word in wanted)
        ]
        self._none.setVisible(not found)
        self._none.setText(
            "Nothing is called that." if wanted else "Nothing to drag yet: store framings in Frame (F3), and see here."
        )
        if found == self.tiles.offered and self.tiles.count() == len(found):
            self.tiles.viewport().update()  # a picture may have come
            return
        same = [one.item.key for one in found] == [one.item.key for one in self.tiles.offered]
        self.tiles.offered = found
        if not same:
            self.tiles.clear()
            for one in found:
                self.tiles.addItem(QListWidgetItem(one.words))
        for k, one in enumerate(found):
            self.tiles.item(k).setText(one.words)
            self.tiles.item(k).setToolTip(f"{one.words}: drag it, or press Enter")
