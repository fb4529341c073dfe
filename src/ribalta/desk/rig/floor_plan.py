"""The floor plan: cameras with what they see, and marks, to scale. Drag to place, wheel to zoom, drag the floor to pan.

North (+y of the show's metres) is up. One wedge a camera: where its lens looks now, as the camera reported it.
"""

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.show.document.model import Camera, Mark, Obstacle, Show
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.plan_shapes import corners, sight
from ribalta.desk.rig.furniture import inside, paint_box
from ribalta.desk.rig.plan_names import free_place

LONGEST_NAME = 150  # pixels, at the usual size of text
GRAB_PX = 14
WEDGE_M = 5.0
SCALE = (4.0, 400.0)  # pixels a metre
HANDLE_PX = 34
NUDGE_M = 0.1


@dataclass(frozen=True)
class PlanItem:
    """What can be taken hold of: a camera, the handle that turns it, or a mark."""

    kind: str
    id: str


class FloorPlan(QWidget):
    """`chosen` tells which camera was picked here, `mark_chosen` which mark (an empty id for none)."""

    chosen = Signal(str)
    mark_chosen = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.current: str | None = None
        self.mark: str | None = None
        self.furniture: str | None = None
        self.adding = ""  # what the next press adds: "mark", "furniture" or nothing
        self._scale = 20.0
        self._middle = QPointF(0.0, 0.0)
        self._follows = True  # the whole plan is shown until somebody zooms or pans
        self._fitted_to: tuple[int, ...] = ()
        self._held: PlanItem | None = None
        self._moved_to: QPointF | None = None
        self._panning: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(300, 160)
        self.setMouseTracking(True)
        self.setAccessibleName("Floor plan")
        self.setToolTip("Drag a camera, its handle or a mark · drag the floor to pan · wheel to zoom")
        bridge.changed.connect(self.update)

    # Metres and pixels

    def to_px(self, x_m: float, y_m: float) -> QPointF:
        return QPointF(
            self.width() / 2 + (x_m - self._middle.x()) * self._scale,
            self.height() / 2 - (y_m - self._middle.y()) * self._scale,
        )

    def to_m(self, at: QPointF) -> tuple[float, float]:
        x = self._middle.x() + (at.x() - self.width() / 2) / self._scale
        return x, self._middle.y() - (at.y() - self.height() / 2) / self._scale

    def fit(self) -> None:
        """Show everything there is, with a metre around it."""
        show = self._bridge.state.show
        points = [(c.place.x_m, c.place.y_m) for c in show.cameras] + [(m.x_m, m.y_m) for m in show.marks]
        points += [corner for box in show.obstacles for corner in corners(box)]
        points = points or [(-5.0, -4.0), (5.0, 4.0)]
        left, right = min(x for x, _ in points) - 1.5, max(x for x, _ in points) + 1.5
        low, high = min(y for _, y in points) - 1.5, max(y for _, y in points) + 1.5
        self._middle = QPointF((left + right) / 2, (low + high) / 2)
        scale = min(self.width() / max(1.0, right - left), self.height() / max(1.0, high - low))
        self._scale = max(SCALE[0], min(SCALE[1], scale))
        self._follows, self._fitted_to = True, self._what_is_there()
        self.update()

    def _what_is_there(self) -> tuple[int, ...]:
        show = self._bridge.state.show
        return (len(show.cameras), len(show.marks), len(show.obstacles), self.width(), self.height())

    def _follow(self) -> None:
        """Something may have come or gone, or the window have another size: show the whole plan again."""
        if self._follows and self._held is None and self._fitted_to != self._what_is_there():
            self.fit()

    def turn_zoom(self, steps: float, at: QPointF) -> None:
        """Zoom by steps of a tenth about a point that stays where it is."""
        self._follows = False
        x, y = self.to_m(at)
        self._scale = max(SCALE[0], min(SCALE[1], self._scale * 1.1**steps))
        now_x, now_y = self.to_m(at)
        self._middle += QPointF(x - now_x, y - now_y)
        self.update()

    def accessible_parts(self) -> list[Part]:
        """Cameras, marks and furniture, and where each stands."""
        show = self._bridge.state.show
        things = [(f"camera {c.number} {c.name}", c.place.x_m, c.place.y_m) for c in show.cameras]
        things += [(f"mark {m.name}", m.x_m, m.y_m) for m in show.marks]
        parts = []
        for name, x_m, y_m in things:
            area = QRectF(0, 0, 2 * GRAB_PX, 2 * GRAB_PX)
            area.moveCenter(self.to_px(x_m, y_m))
            parts.append(Part(area, name, f"{abs(x_m):.1f} m {'right' if x_m >= 0 else 'left'}, {y_m:.1f} m back"))
        parts += [Part(self._shape(box).boundingRect(), f"furniture {box.name}") for box in show.obstacles]
        return parts

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        self._follow()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.WOOD)
        if self.hasFocus():
            painter.setPen(QPen(look.LAMP_WARM, 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        self._paint_grid(painter)
        show = self._bridge.state.show
        for box in show.obstacles:
            paint_box(painter, self._shape(box), box.id == self.furniture)
        for camera in show.cameras:
            self._paint_sight(painter, camera)
        for mark in show.marks:
            self._paint_mark(painter, self._shown_mark(mark))
        for camera in show.cameras:
            self._paint_camera(painter, camera)
        self._paint_names(painter)
        self._paint_scale(painter)
        if not show.cameras and not show.marks:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(15))
            said = "The floor plan is empty. Add cameras, add marks, or import a plan."
            painter.drawText(self.rect().adjusted(20, 0, -20, 0), Qt.AlignmentFlag.AlignCenter, said)

    def _paint_grid(self, painter: QPainter) -> None:
        step = 1.0 if self._scale >= 14 else 5.0
        painter.setPen(QPen(QColor("#2a241f"), 1))
        left, low = self.to_m(QPointF(0, self.height()))
        right, high = self.to_m(QPointF(self.width(), 0))
        for k in range(math.floor(left / step), math.ceil(right / step) + 1):
            x = round(self.to_px(k * step, 0).x())
            painter.drawLine(x, 0, x, self.height())
        for k in range(math.floor(low / step), math.ceil(high / step) + 1):
            y = round(self.to_px(0, k * step).y())
            painter.drawLine(0, y, self.width(), y)

    def _place(self, camera: Camera) -> tuple[float, float]:
        if self._held == PlanItem("camera", camera.id) and self._moved_to is not None:
            return self.to_m(self._moved_to)
        return camera.place.x_m, camera.place.y_m

    def _shown_mark(self, mark: Mark) -> Mark:
        if self._held == PlanItem("mark", mark.id) and self._moved_to is not None:
            x, y = self.to_m(self._moved_to)
            return mark.model_copy(update={"x_m": x, "y_m": y})
        return mark

    def _shape(self, box: Obstacle) -> QPolygonF:
        if self._held == PlanItem("furniture", box.id) and self._moved_to is not None:
            x, y = self.to_m(self._moved_to)
            box = box.model_copy(update={"x_m": x, "y_m": y})
        return QPolygonF([self.to_px(*corner) for corner in corners(box)])

    def _heading(self, camera: Camera) -> float:
        if self._held == PlanItem("handle", camera.id) and self._moved_to is not None:
            centre = self.to_px(*self._place(camera))
            way = self._moved_to - centre
            return math.degrees(math.atan2(way.x(), -way.y()))
        return camera.place.heading_deg

    def _paint_sight(self, painter: QPainter, camera: Camera) -> None:
        seen = sight(self._bridge.state, camera)
        if seen is None:
            return
        heading, hfov = seen[0] + self._heading(camera) - camera.place.heading_deg, seen[1]
        centre, reach = self.to_px(*self._place(camera)), WEDGE_M * self._scale
        path = QPainterPath(centre)
        circle = QRectF(centre.x() - reach, centre.y() - reach, 2 * reach, 2 * reach)
        path.arcTo(circle, 90 - heading + hfov / 2, -hfov)
        path.closeSubpath()
        mine = camera.id == self.current
        ink = QColor(look.LAMP_WARM if mine else look.SOFT)
        ink.setAlpha(70 if mine else 30)
        painter.fillPath(path, ink)
        ink.setAlpha(200 if mine else 110)
        painter.setPen(QPen(ink, 1))
        painter.drawPath(path)

    def _paint_camera(self, painter: QPainter, camera: Camera) -> None:
        centre, mine = self.to_px(*self._place(camera)), camera.id == self.current
        turn = math.radians(self._heading(camera))
        ahead = QPointF(math.sin(turn), -math.cos(turn))
        if mine:
            painter.setPen(QPen(look.LAMP_WARM, 2))
            painter.drawLine(centre, centre + ahead * HANDLE_PX)
            painter.setBrush(look.LAMP_WARM)
            painter.drawEllipse(centre + ahead * HANDLE_PX, 5, 5)
        painter.setPen(QPen(look.LAMP_WARM if mine else look.TEXT, 2))
        painter.setBrush(look.RAIL)
        if camera.steered:
            painter.drawEllipse(centre, 12, 12)
        else:
            painter.drawRect(QRectF(centre.x() - 11, centre.y() - 11, 22, 22))
        painter.setFont(look.font(14, look.BOLD))
        painter.setPen(look.TEXT)
        painter.drawText(
            QRectF(centre.x() - 20, centre.y() - 16, 40, 32), Qt.AlignmentFlag.AlignCenter, str(camera.number)
        )

    def _paint_mark(self, painter: QPainter, mark: Mark) -> None:
        at, mine = self.to_px(mark.x_m, mark.y_m), mark.id == self.mark
        turn = math.radians(mark.facing_deg)
        ahead, aside = QPointF(math.sin(turn), -math.cos(turn)), QPointF(math.cos(turn), math.sin(turn))
        painter.setPen(QPen(look.LAMP_WARM if mine else look.SOFT, 2 if mine else 1.4))
        painter.setBrush(look.NIGHT)
        painter.drawPolygon(QPolygonF([at + ahead * 10, at - ahead * 6 + aside * 7, at - ahead * 6 - aside * 7]))

    def _paint_names(self, painter: QPainter) -> None:
        """Of marks and furniture: each where it lies over nothing else, if there is such a place beside it."""
        show = self._bridge.state.show
        painter.setFont(look.font(12, look.MEDIUM))
        metrics = painter.fontMetrics()
        places = [self.to_px(*self._place(camera)) for camera in show.cameras]
        taken = [QRectF(at.x() - 14, at.y() - 14, 28, 28) for at in places]
        marks = [self._shown_mark(mark) for mark in show.marks]
        spots = [self.to_px(mark.x_m, mark.y_m) for mark in marks]
        taken += [QRectF(at.x() - 9, at.y() - 9, 18, 18) for at in spots]
        named = [
            (m.name, QRectF(at.x() - 9, at.y() - 9, 18, 18), m.id == self.mark)
            for m, at in zip(marks, spots, strict=True)
        ]
        named += [(b.name, self._shape(b).boundingRect(), b.id == self.furniture) for b in show.obstacles]
        for whole, thing, mine in named:
            name = metrics.elidedText(whole, Qt.TextElideMode.ElideRight, look.scaled(LONGEST_NAME))
            box = free_place(thing, metrics.horizontalAdvance(name) + 4.0, metrics.height() + 1.0, taken)
            if box is None:
                continue  # there is no room for it
            taken.append(box)
            painter.setPen(look.TEXT if mine else look.SOFT)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)

    def _paint_scale(self, painter: QPainter) -> None:
        metres = next(m for m in (0.5, 1, 2, 5, 10, 20, 50) if m * self._scale >= 50 or m == 50)
        wide, y = metres * self._scale, self.height() - 12
        painter.setPen(QPen(look.SOFT, 2))
        painter.drawLine(QPointF(12, y), QPointF(12 + wide, y))
        painter.setFont(look.font(12))
        painter.drawText(QPointF(18 + wide, y + 4), f"{metres:g} m")

    # Hands

    def at(self, where: QPointF) -> PlanItem | None:
        """What is under a point, the handle of the chosen camera first."""
        show = self._bridge.state.show
        found: list[tuple[float, PlanItem]] = []
        for camera in show.cameras:
            centre = self.to_px(camera.place.x_m, camera.place.y_m)
            turn = math.radians(camera.place.heading_deg)
            if camera.id == self.current:
                handle = centre + QPointF(math.sin(turn), -math.cos(turn)) * HANDLE_PX
                found.append((_away(handle, where) - GRAB_PX, PlanItem("handle", camera.id)))
            found.append((_away(centre, where), PlanItem("camera", camera.id)))
        found += [(_away(self.to_px(m.x_m, m.y_m), where), PlanItem("mark", m.id)) for m in show.marks]
        near = [pair for pair in found if pair[0] <= GRAB_PX and not (pair[1].kind == "handle" and pair[0] > 0)]
        if near:
            return min(near, key=lambda pair: pair[0])[1]
        return next((PlanItem("furniture", o.id) for o in show.obstacles if inside(self._shape(o), where)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        where = event.position()
        if self.adding:
            adding, self.adding = self.adding, ""
            self.unsetCursor()
            x, y = self.to_m(where)
            action = "mark.add" if adding == "mark" else "furniture.place"
            self._bridge.act(action, x_m=round(x, 2), y_m=round(y, 2))
            return
        self._held = self.at(where)
        self._moved_to = None
        if self._held is None:
            self._panning = where
            return
        if self._held.kind == "mark":
            self.choose_mark(self._held.id)
        elif self._held.kind == "furniture":
            self.furniture, self.mark = self._held.id, None
            self.mark_chosen.emit("")
        else:
            self.chosen.emit(self._held.id)

    def choose_mark(self, mark_id: str) -> None:
        self.mark, self.furniture = mark_id or None, None
        self.mark_chosen.emit(mark_id)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        where = event.position()
        if self._panning is not None:
            way = where - self._panning
            self._panning, self._follows = where, False
            self._middle -= QPointF(way.x(), -way.y()) / self._scale
        elif self._held is not None:
            self._moved_to = where
        else:
            self.setCursor(
                Qt.CursorShape.CrossCursor
                if self.adding
                else Qt.CursorShape.OpenHandCursor
                if self.at(where) is not None
                else Qt.CursorShape.ArrowCursor
            )
            return
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, moved_to = self._held, self._moved_to
        if held is not None and moved_to is not None:
            x, y = (round(v, 2) for v in self.to_m(moved_to))
            camera = self._bridge.state.show.camera(held.id)
            if held.kind == "mark":
                self._bridge.act("mark.change", mark=held.id, x_m=x, y_m=y)
            elif held.kind == "furniture":
                self._bridge.act("furniture.place", obstacle=held.id, x_m=x, y_m=y)
            elif camera is not None and held.kind == "camera":
                self._bridge.act("camera.place", camera=camera.number, x_m=x, y_m=y)
            elif camera is not None:
                heading = round(self._heading(camera), 1)
                self._bridge.act("camera.place", camera=camera.number, heading_deg=heading)
        self._held = self._moved_to = self._panning = None
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.turn_zoom(event.angleDelta().y() / 120, event.position())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows nudge the chosen mark or camera, plus and minus zoom, 0 shows everything."""
        key = event.key()
        steps: dict[int, tuple[float, float]] = {
            Qt.Key.Key_Left: (-NUDGE_M, 0.0),
            Qt.Key.Key_Right: (NUDGE_M, 0.0),
            Qt.Key.Key_Up: (0.0, NUDGE_M),
            Qt.Key.Key_Down: (0.0, -NUDGE_M),
        }
        if key in steps:
            self._nudge(*steps[key])
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.turn_zoom(-2 if key == Qt.Key.Key_Minus else 2, QPointF(self.rect().center()))
        elif key == Qt.Key.Key_0:
            self.fit()
        elif key == Qt.Key.Key_Delete and self.mark is not None:
            self._bridge.act("mark.remove", mark=self.mark)
            self.choose_mark("")
        else:
            super().keyPressEvent(event)

    def _nudge(self, right_m: float, up_m: float) -> None:
        show: Show = self._bridge.state.show
        mark = show.mark(self.mark) if self.mark is not None else None
        camera = show.camera(self.current) if self.current is not None else None
        if mark is not None:
            x, y = round(mark.x_m + right_m, 2), round(mark.y_m + up_m, 2)
            self._bridge.act("mark.change", mark=mark.id, x_m=x, y_m=y)
        elif camera is not None:
            x, y = round(camera.place.x_m + right_m, 2), round(camera.place.y_m + up_m, 2)
            self._bridge.act("camera.place", camera=camera.number, x_m=x, y_m=y)


def _away(a: QPointF, b: QPointF) -> float:
    return math.hypot(a.x() - b.x(), a.y() - b.y())
