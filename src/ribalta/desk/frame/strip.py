"""The cameras in a row, with their pictures and footlights: which one is steered, and where framings are dropped."""

from PySide6.QtCore import QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.show.document.model import Camera
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets import footlights

TALL, PICTURE = 58, (80, 45)  # at the usual size of text
WIDEST = 210


class CameraStrip(QWidget):
    """`chosen` is the id of the camera that was pressed."""

    chosen = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.current: str | None = None
        self.target: str | None = None  # where a framing that is dragged would go
        self.setFixedHeight(look.scaled(TALL))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Cameras")
        self.setToolTip("Press a camera, or its number, to steer it · drop a framing here to carry it over")
        bridge.tick.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, look.scaled(TALL))

    def _cameras(self) -> list[Camera]:
        return sorted(self._bridge.state.show.cameras, key=lambda camera: camera.number)

    def _areas(self) -> list[tuple[Camera, QRectF]]:
        cameras = self._cameras()
        wide = min(WIDEST, self.width() / max(1, len(cameras)))
        return [(camera, QRectF(k * wide, 0, wide - 6, look.scaled(TALL))) for k, camera in enumerate(cameras)]

    def camera_at(self, at: QPoint) -> Camera | None:
        """By a point of the whole screen."""
        inside = self.mapFromGlobal(at)
        return next((camera for camera, area in self._areas() if area.contains(inside)), None)

    def area_of(self, number: int) -> QRectF:
        return next(area for camera, area in self._areas() if camera.number == number)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state, now_s = self._bridge.state, self._bridge.now_s
        for camera, area in self._areas():
            chosen = camera.id == self.current
            painter.fillRect(area, look.RAIL if chosen else look.WOOD)
            if chosen:
                painter.fillRect(QRectF(area.left(), area.top(), area.width(), 3), look.LAMP_WARM)
            if camera.id == self.target:
                painter.setPen(look.LAMP_WARM)
                painter.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
            roomy = area.width() > PICTURE[0] + look.scaled(80)
            picture = QRectF(area.left() + 6, area.top() + 7, *PICTURE)
            image = self._bridge.picture_of(camera.id) if roomy else None
            if image is not None:
                painter.drawImage(picture, image)
            elif roomy:
                painter.fillRect(picture, look.INK)
            lights = footlights.of_camera(state, camera.id, now_s)
            left = picture.right() + 8 if roomy else area.left() + 8
            text = QRectF(left, area.top() + 4, area.right() - left - 4, look.scaled(24))
            painter.setFont(look.font(16, look.BOLD))
            painter.setPen(look.TEXT)
            name = painter.fontMetrics().elidedText(
                f"{camera.number}  {camera.name}", Qt.TextElideMode.ElideRight, int(text.width())
            )
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, name)
            painter.setFont(look.font(12, look.MEDIUM, narrow=True))
            painter.setPen(look.SOFT)
            words = lights.words or ("fixed" if not camera.steered else str(lights.state.value))
            words = footlights.in_room(words, painter.fontMetrics(), text.width())
            painter.drawText(text.translated(0, look.scaled(21)), Qt.AlignmentFlag.AlignVCenter, words)
            row = QRectF(left, area.bottom() - 9, area.right() - left - 6, 6)
            footlights.paint(painter, row, lights, max(6, int(row.width() // 9)))

    def accessible_parts(self) -> list[Part]:
        """The cameras, and how each is."""
        state, now_s, parts = self._bridge.state, self._bridge.now_s, list[Part]()
        for camera, area in self._areas():
            lights = footlights.of_camera(state, camera.id, now_s)
            words = lights.words or ("fixed" if not camera.steered else str(lights.state.value))
            parts.append(Part(area, f"{camera.number} {camera.name}", words))
        return parts

    def mousePressEvent(self, event: QMouseEvent) -> None:
        camera = self.camera_at(event.globalPosition().toPoint())
        if camera is not None:
            self.chosen.emit(camera.id)
