"""The list of cameras in Rig: number, picture, name, how it is reached, and whether and how quickly it answers."""

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QPushButton, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from ribalta.core.base.spans import span_words
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Camera, Protocol
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets import footlights
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.lists.several import Several

ROW_PX, PICTURE = 52, (72, 40)
PROTOCOLS = {
    Protocol.VISCA_IP: "VISCA over IP",
    Protocol.VISCA_UDP: "VISCA, bare, over UDP",
    Protocol.VISCA_TCP: "VISCA, bare, over TCP",
    Protocol.VISCA_SERIAL: "VISCA on a serial line",
    Protocol.ONVIF: "ONVIF",
}


def reached(camera: Camera) -> str:
    if camera.control is None:
        return "Fixed: not steered"
    return f"{PROTOCOLS[camera.control.protocol]} · {camera.control.where}"


def contact_words(state: LiveState, camera: Camera, now_s: float) -> str:
    """Whether it answers, as a word or two that need no colour."""
    live = state.live(camera.id)
    if not camera.steered:
        return "picture" if live.picture else "no picture"
    if not live.answers:
        return "no contact"
    if live.no_position:
        return "no position"
    if camera.recall_only:
        return "own memories"
    if live.aim is None:
        return "answers"
    return "answers" if live.picture else "no picture"


def link_words(state: LiveState, camera: Camera, now_s: float) -> str:
    """Round trip and the age of the last reply."""
    live = state.live(camera.id)
    heard_s = max(live.heard_s, live.sampled_s)
    if not camera.steered or heard_s <= 0:
        return ""
    age_s = max(0.0, now_s - heard_s)
    age = "now" if age_s < 1 else f"{span_words(age_s)} ago"
    return f"{live.round_trip_s * 1000:.0f} ms · {age}" if live.round_trip_s is not None else age


class CameraList(Listing):
    """Up and Down choose, a number its camera, letters one by its name; one that is dragged on another swaps numbers
    with it. `chosen` is the camera's id."""

    chosen = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__("Cameras", self.choose)
        self._bridge = bridge
        self.current: str | None = None
        self.setItemDelegate(_Rows(bridge, self))
        self.setUniformItemSizes(True)
        self.setFrameShape(Listing.Shape.NoFrame)
        bridge.changed.connect(self._follow)
        self._follow()

    def offer_for_cameras(self, cover: QPushButton, duplicate: QPushButton, remove: QPushButton) -> None:
        """What can be done with the camera that is chosen, and with several."""
        several = Several(self._bridge, ("camera", "cameras"), self._removal)
        self.offer(cover, duplicate=duplicate, remove=remove, reorder=self._swap, several=several)

    def cameras(self) -> list[Camera]:
        return sorted(self._bridge.state.show.cameras, key=lambda c: c.number)

    def tall(self) -> int:
        """How high it is with all its cameras."""
        return max(1, len(self.cameras())) * look.scaled(ROW_PX)

    def _follow(self) -> None:
        cameras = self.cameras()
        ids = [c.id for c in cameras]
        if self.current not in ids:
            self.choose(ids[0] if ids else None)
        state, now_s = self._bridge.state, self._bridge.now_s
        words = "{} {}, {}, {}".format
        rows = [ListRow(c.id, words(c.number, c.name, contact_words(state, c, now_s), reached(c))) for c in cameras]
        self.fill(rows, self.current)
        self.viewport().update()

    def choose(self, camera_id: str | None) -> None:
        if camera_id != self.current:
            self.current = camera_id
            self._follow()
            self.bring_into_view(camera_id or "")
            self.chosen.emit(camera_id or "")

    def keyboardSearch(self, search: str) -> None:
        camera = self._bridge.state.show.camera_numbered(int(search)) if search.isdecimal() else None
        if camera is not None:
            self.choose(camera.id)
        elif not search.isdecimal():
            super().keyboardSearch(search)

    def _removal(self, camera_id: str) -> Call | None:
        camera = self._bridge.state.show.camera(camera_id)
        return Call(action="camera.remove", arguments={"camera": camera.number}) if camera is not None else None

    def _swap(self, by: int) -> None:
        cameras, k = self.cameras(), self.currentRow()
        to = max(0, min(len(cameras) - 1, k + by))
        self._bridge.act("camera.renumber", camera=cameras[k].number, to=cameras[to].number)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.cameras():
            painter = QPainter(self.viewport())
            painter.setPen(look.SOFT)
            painter.setFont(look.font(15))
            said = "No cameras yet. Press “Add camera”, or “Find cameras” to look for them."
            inside = self.viewport().rect()
            painter.drawText(inside, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)


class _Rows(QStyledItemDelegate):
    """Paints a camera's row."""

    def __init__(self, bridge: Bridge, of: CameraList) -> None:
        super().__init__(of)
        self._bridge, self._list = bridge, of

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(0, look.scaled(ROW_PX))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        cameras = self._list.cameras()
        if index.row() < len(cameras):
            painter.save()
            area = QRectF(option.rect).adjusted(0, 0, 0, -4)
            selected = bool(option.state & QStyle.StateFlag.State_Selected)
            self._paint_row(painter, area, cameras[index.row()], selected)
            painter.restore()

    def _paint_row(self, painter: QPainter, row: QRectF, camera: Camera, selected: bool) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        painter.fillRect(row, look.RAIL if selected else look.WOOD)
        if selected:
            painter.setPen(QPen(look.TEXT, 2 if self._list.hasFocus() else 1))
            painter.drawRect(row.adjusted(1, 1, -1, -1))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setPen(look.TEXT)
        painter.setFont(look.font(24, look.BOLD, narrow=True))
        painter.drawText(row.adjusted(10, 0, 0, 0), middle, str(camera.number))
        picture = QRectF(row.left() + 44, row.top() + 3, *PICTURE)
        self._paint_picture(painter, picture, camera)
        words_left, words_wide = picture.right() + 12, row.width() - picture.right() - 12 - look.scaled(140)
        painter.setPen(look.TEXT)
        painter.setFont(look.font(15, look.MEDIUM))
        self._line(painter, QRectF(words_left, row.top() + 3, words_wide, look.scaled(22)), camera.name)
        painter.setPen(look.SOFT)
        painter.setFont(look.font(13))
        self._line(
            painter, QRectF(words_left, row.top() + look.scaled(25), words_wide, look.scaled(20)), reached(camera)
        )
        words = contact_words(state, camera, now_s)
        failed = words.startswith("no ")
        right = QRectF(row.right() - look.scaled(136), row.top() + 3, look.scaled(128), look.scaled(22))
        painter.setPen(look.WRONG if failed else look.TEXT)
        painter.setFont(look.font(13, look.BOLD if failed else look.MEDIUM))
        painter.drawText(right, middle | Qt.AlignmentFlag.AlignRight, words)
        painter.setPen(look.SOFT)
        painter.setFont(look.font(13))
        painter.drawText(
            right.translated(0, look.scaled(22)), middle | Qt.AlignmentFlag.AlignRight, link_words(state, camera, now_s)
        )

    def _paint_picture(self, painter: QPainter, area: QRectF, camera: Camera) -> None:
        image = self._bridge.picture_of(camera.id)
        if image is not None:
            painter.drawImage(area, image)
        else:
            painter.fillRect(area, look.NIGHT)
        live = self._bridge.state.live(camera.id)
        if not live.picture and image is not None:
            painter.fillRect(area, QColor(20, 17, 14, 170))
        lights = footlights.of_camera(self._bridge.state, camera.id, self._bridge.now_s)
        if landing_state(self._bridge.state, Shot(camera.id), self._bridge.now_s) is LandingState.NO_CONTACT:
            painter.setPen(QPen(look.SOFT, 1, Qt.PenStyle.DashLine))
            painter.drawRect(area.adjusted(0, 0, -1, -1))
        footlights.paint(painter, QRectF(area.left(), area.bottom(), area.width(), 5), lights, 12)

    @staticmethod
    def _line(painter: QPainter, area: QRectF, text: str) -> None:
        elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(area.width()))
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, elided)
