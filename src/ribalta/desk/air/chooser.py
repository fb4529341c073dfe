"""Who should be seen: the floor plan over the board, and the framings of the mark that was asked for, ranked.

Press a mark, and its best framing is Next; press it again, and it is taken. Right press: another framing of it. The
wheel over a framing gives it the director's own fit; a right press there drops that again.
"""

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.program.choosing import Choice, choices, mark_numbered
from ribalta.core.show.document.model import Camera, Mark
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.plan_shapes import corners, sight

ROW, MARGIN_M, MARK_PX = 50.0, 1.0, 15.0
TARGET_PX, SIGHT_M = 22.0, 4.0  # so near a press means a mark; so far a camera's wedge is drawn
PLAN_SHARE = 0.55
RATED_BY = 5


class Chooser(QWidget):
    def __init__(self, bridge: Bridge, owner: QWidget) -> None:
        super().__init__(owner)
        self._bridge = bridge
        self.setAccessibleName("Marks, and who shows them")
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        bridge.changed.connect(self._follow)

    def _follow(self) -> None:
        self.update()

    # What there is

    def found(self) -> tuple[Choice, ...]:
        """The framings of the mark that was asked for last."""
        state = self._bridge.state
        return (
            choices(state, state.automation.asked.mark_id, self._bridge.now_s)
            if state.automation.asked is not None
            else ()
        )

    def plan_area(self) -> QRectF:
        return QRectF(8, 30, self.width() * PLAN_SHARE - 16, self.height() - 38)

    def to_px(self) -> QTransform:
        """From metres on the floor (y away from us, so up) to pixels."""
        show, area = self._bridge.state.show, self.plan_area()
        points = [(m.x_m, m.y_m) for m in show.marks] + [(c.place.x_m, c.place.y_m) for c in show.cameras]
        left, right = min(x for x, _ in points) - MARGIN_M, max(x for x, _ in points) + MARGIN_M
        low, high = min(y for _, y in points) - MARGIN_M, max(y for _, y in points) + MARGIN_M
        scale = min(area.width() / max(1.0, right - left), area.height() / max(1.0, high - low))
        made = QTransform()
        made.translate(area.center().x(), area.center().y())
        made.scale(scale, -scale)
        made.translate(-(left + right) / 2, -(low + high) / 2)
        return made

    def mark_at(self, at: QPointF) -> int | None:
        """The number of the mark there."""
        marks = self._bridge.state.show.marks
        if not marks:
            return None
        to_px = self.to_px()
        ways = [to_px.map(QPointF(mark.x_m, mark.y_m)) - at for mark in marks]
        far = [math.hypot(way.x(), way.y()) for way in ways]
        nearest = min(range(len(marks)), key=far.__getitem__)
        return nearest + 1 if far[nearest] <= TARGET_PX else None

    def row_area(self, k: int) -> QRectF:
        left = self.width() * PLAN_SHARE + 4
        return QRectF(left, 30 + k * look.scaled(ROW), self.width() - left - 8, look.scaled(ROW) - 4)

    def accessible_parts(self) -> list[Part]:
        """The marks by their numbers, then the framings of the one that was asked for."""
        state, to_px, parts = self._bridge.state, self.to_px() if self._bridge.state.show.marks else None, list[Part]()
        for number, mark in enumerate(state.show.marks, 1):
            area = QRectF(0, 0, 2 * TARGET_PX, 2 * TARGET_PX)
            if to_px is not None:
                area.moveCenter(to_px.map(QPointF(mark.x_m, mark.y_m)))
            parts.append(Part(area, f"mark {number} {mark.name}"))
        for k, choice in enumerate(self.found()):
            parts.append(Part(self.row_area(k), state.shot_words(choice.shot), f"{choice.score}, {choice.words}"))
        return parts

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.WOOD)
        state = self._bridge.state
        painter.setFont(look.font(14, look.BOLD))
        painter.setPen(look.TEXT)
        painter.drawText(
            QRectF(10, 4, self.width() * PLAN_SHARE, 24), Qt.AlignmentFlag.AlignVCenter, "Who is to be seen?"
        )
        if not state.show.marks:
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            said = (
                "No marks on the floor plan yet: place them in Rig (F2), and say in Frame (F3) what each framing shows."
            )
            painter.drawText(self.plan_area(), int(Qt.TextFlag.TextWordWrap), said)
            return
        to_px = self.to_px()
        painter.setPen(QPen(look.EDGE, 1))
        painter.setBrush(look.LINE)
        for box in state.show.obstacles:
            painter.drawPolygon(to_px.map(QPolygonF([QPointF(*corner) for corner in corners(box)])))
        for camera in state.show.cameras:
            self._sight(painter, to_px, camera)
        for camera in state.show.cameras:
            self._camera(painter, to_px, camera)
        for k, mark in enumerate(state.show.marks, 1):
            self._bridge.give_way()
            self._mark(painter, to_px, k, mark)
        self._list(painter)

    def _sight(self, painter: QPainter, to_px: QTransform, camera: Camera) -> None:
        """What it sees now, as a wedge on the floor."""
        seen = sight(self._bridge.state, camera)
        if seen is None:
            return
        heading, hfov = seen
        at = to_px.map(QPointF(camera.place.x_m, camera.place.y_m))
        far = to_px.map(QPointF(camera.place.x_m + SIGHT_M, camera.place.y_m)).x() - at.x()
        path = QPainterPath(at)
        path.arcTo(QRectF(at.x() - far, at.y() - far, 2 * far, 2 * far), 90 - heading + hfov / 2, -hfov)
        path.closeSubpath()
        ink = QColor(look.SOFT)
        ink.setAlpha(36)
        painter.fillPath(path, ink)

    def _camera(self, painter: QPainter, to_px: QTransform, camera: Camera) -> None:
        state, at = self._bridge.state, to_px.map(QPointF(camera.place.x_m, camera.place.y_m))
        ink = look.RED if state.on_air(camera.id) else look.GREEN if state.is_next(camera.id) else look.SOFT
        turned = QTransform().translate(at.x(), at.y()).rotate(camera.place.heading_deg)
        painter.setPen(QPen(ink, 2))
        painter.setBrush(look.INK)
        painter.drawPolygon(turned.map(QPolygonF([QPointF(0, -11), QPointF(9, 8), QPointF(-9, 8)])))
        painter.setFont(look.font(13, look.BOLD, narrow=True))
        painter.setPen(look.TEXT)
        beside = QRectF(at.x() + 12, at.y() - 13, look.scaled(140), 26)
        kept = state.show.mark(state.automation.reserved.get(camera.id, ""))
        words = f"{camera.number}{f' for {kept.name}' if kept is not None else ''}"
        painter.drawText(beside, Qt.AlignmentFlag.AlignVCenter, words)

    def _mark(self, painter: QPainter, to_px: QTransform, number: int, mark: Mark) -> None:
        state, at = self._bridge.state, to_px.map(QPointF(mark.x_m, mark.y_m))
        asked = state.automation.asked is not None and state.automation.asked.mark_id == mark.id
        framing = state.framing(state.program.on_air)
        seen = framing is not None and mark.id in framing.mark_ids
        painter.setBrush(look.RED if seen else look.LAMP_WARM if asked else look.RAIL)
        painter.setPen(QPen(look.TEXT if asked else look.LINE, 2))
        painter.drawEllipse(at, MARK_PX, MARK_PX)
        painter.setPen(look.INK if seen or asked else look.TEXT)
        painter.setFont(look.font(14, look.BOLD, narrow=True))
        box = QRectF(at.x() - MARK_PX, at.y() - MARK_PX, 2 * MARK_PX, 2 * MARK_PX)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))
        painter.setFont(look.font(13, look.MEDIUM, narrow=True))
        painter.setPen(look.TEXT)
        words = f"{mark.name}{' – ON AIR' if seen else ''}"
        ways = [to_px.map(QPointF(m.x_m, m.y_m)) - at for m in state.show.marks if m is not mark]
        if any(abs(way.x()) < 60 and abs(way.y()) < 48 for way in ways):  # no room below: beside it
            beside = QRectF(at.x() + MARK_PX + 5, at.y() - 13, look.scaled(140), 26)
            painter.drawText(beside, Qt.AlignmentFlag.AlignVCenter, words)
        else:
            under = QRectF(at.x() - look.scaled(70), at.y() + MARK_PX + 1, look.scaled(140), look.scaled(18))
            painter.drawText(under, Qt.AlignmentFlag.AlignHCenter, words)

    def _list(self, painter: QPainter) -> None:
        state, found = self._bridge.state, self.found()
        head = QRectF(self.row_area(0).left(), 4, self.row_area(0).width(), 26)
        painter.setFont(look.font(14, look.BOLD))
        painter.setPen(look.TEXT)
        mark = state.show.mark(state.automation.asked.mark_id) if state.automation.asked is not None else None
        title = f"Framings of {mark.name}" if mark is not None else "Press a mark, or its number on the number pad"
        painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, title)
        if mark is not None and not found:
            painter.setFont(look.font(13))
            painter.setPen(look.SOFT)
            painter.drawText(self.row_area(0), int(Qt.TextFlag.TextWordWrap), "No framing shows this mark yet.")
        for k, choice in enumerate(found):
            if self.row_area(k).bottom() > self.height():
                break
            self._bridge.give_way()
            self._row(painter, self.row_area(k), choice)
        below = self.row_area(len(found))
        if found and below.top() + look.scaled(18) < self.height():
            painter.setFont(look.font(12, narrow=True))
            painter.setPen(look.SOFT)
            said = "Press: Next; again: on air. Wheel: your own fit, right press drops it."
            painter.drawText(QRectF(below.left(), below.top(), below.width(), look.scaled(18)), said)

    def _row(self, painter: QPainter, area: QRectF, choice: Choice) -> None:
        state = self._bridge.state
        painter.fillRect(area, look.RAIL)
        wide = area.height() * 16 / 9
        picture = self._bridge.stored_picture(choice.framing.picture, int(wide), int(area.height()))
        if picture is not None:
            painter.drawPixmap(area.topLeft(), picture)
        on_air, is_next = state.program.on_air == choice.shot, state.program.next == choice.shot
        if on_air or is_next:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.RED if on_air else look.GREEN, 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))
        text = area.adjusted(wide + 8, 2, -8, -2)
        half = text.height() / 2
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        painter.setPen(look.TEXT if choice.possible else look.SOFT)
        word = "   ON AIR" if on_air else "   NEXT" if is_next else "" if choice.possible else "   no contact"
        painter.drawText(
            QRectF(text.left(), text.top(), text.width() - look.scaled(40), half), state.shot_words(choice.shot) + word
        )
        painter.setFont(look.font(17, look.BOLD))
        painter.drawText(
            QRectF(text.right() - look.scaled(40), text.top(), look.scaled(40), half),
            Qt.AlignmentFlag.AlignRight,
            str(choice.score),
        )
        painter.setFont(look.font(14, narrow=True))
        painter.setPen(look.SOFT)
        said = painter.fontMetrics().elidedText(choice.words, Qt.TextElideMode.ElideRight, int(text.width()))
        painter.drawText(
            QRectF(text.left(), text.top() + half, text.width(), half), Qt.AlignmentFlag.AlignVCenter, said
        )

    # Pressing

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self.mark_at(event.position())
        if number is not None:
            self._press_mark(number, event.button() == Qt.MouseButton.RightButton)
            return
        for k, choice in enumerate(self.found()):
            if self.row_area(k).contains(event.position()):
                if event.button() == Qt.MouseButton.RightButton:
                    self._rate(choice, None)
                else:
                    self._press_choice(choice)
                return

    def wheelEvent(self, event: QWheelEvent) -> None:
        for k, choice in enumerate(self.found()):
            if self.row_area(k).contains(event.position()):
                by = RATED_BY if event.angleDelta().y() > 0 else -RATED_BY
                self._rate(choice, min(100, max(0, choice.reasons[0][1] + by)))

    def _rate(self, choice: Choice, rating: int | None) -> None:
        """The director's own fit, or the computed one again."""
        framing = choice.framing
        camera = self._bridge.state.show.camera(framing.camera_id)
        if camera is not None and rating != framing.rating:
            place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
            self._bridge.act("framing.describe", **place, rating=-1 if rating is None else rating)

    def _press_mark(self, number: int, another: bool) -> None:
        state, mark = self._bridge.state, mark_numbered(self._bridge.state, number)
        framing = state.framing(state.program.next)
        mine = state.automation.asked is not None and mark is not None and state.automation.asked.mark_id == mark.id
        if mine and not another and mark is not None and framing is not None and mark.id in framing.mark_ids:
            self._bridge.act("take")
        else:
            self._bridge.act("mark.see", number=number)

    def _press_choice(self, choice: Choice) -> None:
        state, framing = self._bridge.state, choice.framing
        if state.program.next == choice.shot:
            self._bridge.act("take")
            return
        camera = state.show.camera(framing.camera_id)
        if camera is not None:
            self._bridge.act("ready.framing", camera=camera.number, letter=framing.letter, page=framing.page)
