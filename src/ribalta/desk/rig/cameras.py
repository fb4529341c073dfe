"""The list of cameras in Rig: number, picture, name, how it is reached, and whether and how quickly it answers."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.document.model import Camera, Protocol
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets import footlights

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
    age = "now" if age_s < 1 else f"{age_s:.0f} s ago" if age_s < 100 else f"{age_s / 60:.0f} min ago"
    return f"{live.round_trip_s * 1000:.0f} ms · {age}" if live.round_trip_s is not None else age


class CameraList(QWidget):
    """Up and Down choose, a digit chooses its camera. `chosen` is the camera's id."""

    chosen = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.current: str | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Cameras")
        bridge.changed.connect(self._follow)
        self._follow()

    def cameras(self) -> list[Camera]:
        return sorted(self._bridge.state.show.cameras, key=lambda c: c.number)

    def sizeHint(self) -> QSize:
        return QSize(560, max(1, len(self.cameras())) * look.scaled(ROW_PX))

    def _follow(self) -> None:
        ids = [c.id for c in self.cameras()]
        if self.current not in ids:
            self.choose(ids[0] if ids else None)
        if self.minimumHeight() != self.sizeHint().height():
            self.setMinimumHeight(self.sizeHint().height())
            self.updateGeometry()
        self.update()

    def accessible_parts(self) -> list[Part]:
        """The cameras, how each is reached and how it is."""
        state, now_s, wide = self._bridge.state, self._bridge.now_s, self.width()
        return [
            Part(
                QRectF(0, k * look.scaled(ROW_PX), wide, look.scaled(ROW_PX)),
                f"{camera.number} {camera.name}",
                f"{contact_words(state, camera, now_s)}, {reached(camera)}",
            )
            for k, camera in enumerate(self.cameras())
        ]

    def choose(self, camera_id: str | None) -> None:
        if camera_id != self.current:
            self.current = camera_id
            self.chosen.emit(camera_id or "")
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        cameras = self.cameras()
        if not cameras:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(15))
            said = "No cameras yet. Press “Add camera”, or “Find cameras” to look for them."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)
        for k, camera in enumerate(cameras):
            self._paint_row(painter, QRectF(0, k * look.scaled(ROW_PX), self.width(), look.scaled(ROW_PX) - 4), camera)

    def _paint_row(self, painter: QPainter, row: QRectF, camera: Camera) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        mine = camera.id == self.current
        painter.fillRect(row, look.RAIL if mine else look.WOOD)
        if mine:
            painter.setPen(QPen(look.LAMP_WARM, 2 if self.hasFocus() else 1))
            painter.drawRect(row.adjusted(1, 1, -1, -1))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setPen(look.TEXT)
        painter.setFont(look.font(24, look.BOLD, narrow=True))
        painter.drawText(row.adjusted(0, 0, 0, 0).adjusted(10, 0, 0, 0), middle, str(camera.number))
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

    def _at(self, at: QPointF) -> Camera | None:
        cameras, k = self.cameras(), int(at.y() // look.scaled(ROW_PX))
        return cameras[k] if 0 <= k < len(cameras) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        camera = self._at(event.position())
        if camera is not None:
            self.choose(camera.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ids = [c.id for c in self.cameras()]
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        if step and self.current in ids:
            self.choose(ids[max(0, min(len(ids) - 1, ids.index(self.current) + step))])
        else:
            super().keyPressEvent(event)
