"""A large live picture that can be steered on: On air, Next, or one camera."""

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QGuiApplication, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.base.aim import STILL
from ribalta.core.ports.shots import Shot
from ribalta.desk.bridge import LIVE_MODIFIER, Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.widgets import footlights
from ribalta.desk.words.output_words import clock_words

CLICK_PX = 5
DRAG_EVERY_MS = 90
FOOT = 15
BY_HAND = 0.05  # of a transition, for a step of the wheel over the words above Next


def head() -> int:
    """The height of the line above a picture."""
    return look.scaled(30)


class Monitor(QWidget):
    """`place` is "program" or "next". Click centres, drag pulls, Shift and drag draws a box, the wheel zooms.

    On the air picture all of these need Ctrl held; the engine refuses them otherwise, with a sentence.
    """

    def __init__(self, bridge: Bridge, place: str, title: str, empty: str) -> None:
        super().__init__()
        self._bridge = bridge
        self.place = place
        self._title = title
        self._empty = empty
        self._from: QPointF | None = None
        self._stroke = 0
        self._last = QPointF()
        self._box: QRectF | None = None
        self._dragging = False
        self._drag_timer = QTimer(self)
        self._drag_timer.setInterval(DRAG_EVERY_MS)
        self._drag_timer.timeout.connect(self._send_drag)
        self._drag_to = QPointF()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(title or "Picture of the camera that is chosen")
        self.setToolTip(
            "Click a point to centre it · drag to steer · Shift and drag a box to fill the frame · wheel zooms"
        )
        bridge.tick.connect(self.update)

    def shot(self) -> Shot | None:
        state = self._bridge.state
        return state.program.on_air if self.place == "program" else state.program.next

    def picture_place(self) -> str:
        """Under which name the mixer scales its picture."""
        return self.place

    def picture_area(self) -> QRectF:
        """The 16:9 area of the picture inside the widget."""
        wide, tall = self.width(), self.height() - head() - FOOT
        scale = min(wide / 16, tall / 9)
        size = (int(scale * 16), int(scale * 9))
        return QRectF((wide - size[0]) // 2, head(), *size)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        self._bridge.give_way()
        painter = QPainter(self)
        area, shot = self.picture_area(), self.shot()
        self._paint_head(painter, area, shot)
        self._bridge.give_way()
        image = self._bridge.picture_of(self.picture_place()) if shot is not None else None
        if image is not None:
            painter.drawImage(area.topLeft() if image.width() == int(area.width()) else area, image)
        else:
            painter.fillRect(area, look.WOOD)
            painter.setPen(look.SOFT)
            painter.setFont(look.font(15))
            said = self._empty if shot is None else "No picture has come from this camera yet."
            inside = area.adjusted(30, 0, -30, 0)
            painter.drawText(inside, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)
        if shot is not None:
            self._paint_lights(painter, area, shot)
        if self._box is not None:
            painter.setPen(QPen(look.TEXT, 2, Qt.PenStyle.DashLine))
            painter.drawRect(self._box)

    def accessible_parts(self) -> list[Part]:
        """What it shows, and what its lamps say."""
        shot = self.shot()
        if shot is None:
            return []
        return [Part(self.picture_area(), self._bridge.state.shot_words(shot), self._lights(shot).words)]

    def _lights(self, shot: Shot) -> footlights.Footlights:
        state, now_s = self._bridge.state, self._bridge.now_s
        tallies = {"program": footlights.Tally.ON_AIR, "next": footlights.Tally.NEXT}
        if self.place in tallies:
            return footlights.of_shot(state, shot, tallies[self.place], now_s)
        return footlights.of_camera(state, shot.camera_id, now_s)

    def _paint_head(self, painter: QPainter, area: QRectF, shot: Shot | None) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        line = QRectF(area.left(), 0, area.width(), head() - 4)
        painter.setFont(look.font(15, look.BOLD))
        painter.setPen(look.TEXT)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, self._title)
        left = line.left() + (painter.fontMetrics().horizontalAdvance(self._title) + 12 if self._title else 0)
        right = ""
        if self.place == "program" and shot is not None:
            right = clock_words(now_s - state.program.since_s)
            if state.program.in_transition is not None:
                right = f"{100 * state.program.in_transition.progress_at(now_s):.0f} %"
        if self.place == "next" and shot is not None:
            scene = state.scene(shot)
            own = scene.transition if scene is not None else None
            right = f"Shift+Space: {(own or state.program.transition).words.lower()}"
            if own is None and state.program.transition != state.show.settings.normal:
                painter.setPen(look.WRONG)  # somebody changed it
                right += " · V: normal"
        painter.setFont(look.font(15, look.MEDIUM, narrow=self.place == "next"))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, right)
        room = line.right() - left - painter.fontMetrics().horizontalAdvance(right) - 10
        if shot is None:
            return
        framing, name = state.framing(shot), state.shot_words(shot)
        live = state.live(shot.camera_id)
        if framing is not None and live.goal_framing_id == framing.id and live.trim != STILL:
            name += "  · trimmed"
        painter.setPen(look.SOFT)
        elided = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(left, 0, room, head() - 4), Qt.AlignmentFlag.AlignVCenter, elided)

    def _paint_lights(self, painter: QPainter, area: QRectF, shot: Shot) -> None:
        state, lights = self._bridge.state, self._lights(shot)
        if shot.camera_id and not state.live(shot.camera_id).picture:
            painter.fillRect(area, QColor(20, 17, 14, 150))
            painter.setPen(look.WRONG)
            painter.setFont(look.font(14, look.MEDIUM))
            age = self._bridge.picture_age_s(shot.camera_id)
            painter.drawText(
                area.adjusted(14, 10, 0, 0), 0, f"Last picture, {int(age)} s old" if age > 0.5 else "No picture"
            )
        row = QRectF(area.left(), area.bottom() + 3, area.width(), FOOT - 5)
        footlights.paint(painter, row, lights, footlights.lamps_for(area.width()))
        footlights.paint_words(painter, area, lights, 17)

    # Steering

    def _share(self, at: QPointF) -> tuple[float, float]:
        area = self.picture_area()
        x, y = (at.x() - area.left()) / area.width(), (at.y() - area.top()) / area.height()
        return min(1.0, max(0.0, x)), min(1.0, max(0.0, y))

    def _steer(self, action: str, live: bool, **arguments: float) -> None:
        shot = self.shot()
        camera = self._bridge.state.show.camera(shot.camera_id) if shot is not None else None
        if camera is not None:
            hand = {"hand": "mouse", "stroke": self._stroke}
            self._bridge.act(action, camera=camera.number, live=live, **hand, **arguments)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shot() is not None and self.picture_area().contains(event.position()):
            self._from = self._last = self._drag_to = event.position()
            self._stroke += 1
            boxed = (
                event.modifiers() & Qt.KeyboardModifier.ShiftModifier or event.button() == Qt.MouseButton.RightButton
            )
            self._box = QRectF(self._from, self._from) if boxed else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        if self._box is not None:
            self._box = QRectF(self._from, event.position()).normalized() & self.picture_area()
            self.update()
            return
        if (event.position() - self._from).manhattanLength() > CLICK_PX and not self._dragging:
            self._dragging = True
            self._drag_timer.start()
        self._drag_to = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        live = bool(event.modifiers() & LIVE_MODIFIER)
        if self._box is not None:
            (left, top), (right, bottom) = self._share(self._box.topLeft()), self._share(self._box.bottomRight())
            if right - left > 0.02 and bottom - top > 0.02:
                self._steer("steer.box", live, left=left, top=top, right=right, bottom=bottom)
        elif self._dragging:
            self._drag_to = event.position()
            self._send_drag(live)
        else:
            x, y = self._share(event.position())
            self._steer("steer.centre", live, x=x, y=y)
        self._drag_timer.stop()
        self._from, self._box, self._dragging = None, None, False
        self.update()

    def _send_drag(self, live: bool | None = None) -> None:
        if live is None:
            live = bool(QGuiApplication.keyboardModifiers() & LIVE_MODIFIER)
        area, way = self.picture_area(), self._drag_to - self._last
        if way.manhattanLength() >= 1:
            self._last = self._drag_to
            right, down = way.x() / area.width(), way.y() / area.height()
            self._steer("steer.drag", live, right=max(-1, min(1, right)), down=max(-1, min(1, down)))

    def wheelEvent(self, event: QWheelEvent) -> None:
        live = bool(event.modifiers() & LIVE_MODIFIER)
        steps = event.angleDelta().y() / 120
        if self.place == "next" and event.position().y() < head():
            self._bridge.act("transition.by_hand", by=max(-1.0, min(1.0, BY_HAND * steps)))
            return
        if self.shot() is not None and steps:
            self._stroke += 1
            self._steer("steer.zoom", live, steps=max(-20.0, min(20.0, steps)))


class CameraMonitor(Monitor):
    """The picture of one camera, whatever it is used for; `camera_id` says which."""

    def __init__(self, bridge: Bridge, empty: str) -> None:
        super().__init__(bridge, "camera", "", empty)
        self.camera_id: str | None = None

    def shot(self) -> Shot | None:
        state = self._bridge.state
        if self.camera_id is None or state.show.camera(self.camera_id) is None:
            return None
        for shot in (state.program.on_air, state.program.next):
            if shot is not None and shot.camera_id == self.camera_id:
                return shot
        return Shot(self.camera_id, state.live(self.camera_id).goal_framing_id)

    def picture_place(self) -> str:
        return self.camera_id or ""

    def show_at(self, others: tuple[int, int]) -> None:
        """The live pictures are wanted at these sizes: this one as it is, all others small."""
        sizes = {camera.id: others for camera in self._bridge.state.show.cameras}
        if self.camera_id is not None:
            area = self.picture_area()
            sizes[self.camera_id] = (max(16, int(area.width())), max(9, int(area.height())))
        self._bridge.show_at("view", sizes)
