"""The steered camera, large: its name on the picture, guides, the stored picture as a ghost, and how far off it is."""

import math
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF

from ribalta.core.base.aim import STILL, Aim
from ribalta.core.engine.program.framing_checks import off_by
from ribalta.core.engine.program.manual_control import called
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.projection import HD, pan_tilt_to_pixel
from ribalta.core.planning.composing import HEADROOM
from ribalta.core.ports.shots import Judgement, Shot
from ribalta.core.show.document.model import Camera, Framing, ShotSize
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.monitor import FOOT, CameraMonitor

GUIDES = {"thirds": "Thirds", "headroom": "Headroom", "safe": "Safe areas", "level": "Level"}
ACTION_SAFE, TITLE_SAFE = 0.93, 0.9  # of the frame, as broadcasters have it
SMALL_PERCENT = 0.15
FAR_PERCENT = 100.0  # farther than that, a share of the picture says nothing
GUIDE = QColor(241, 232, 218, 120)


@dataclass(frozen=True)
class Offset:
    """Where the middle of a framing is in the live picture: shares of its width and height from the middle."""

    right: float
    down: float
    degrees: float
    wider_percent: float
    measured: bool = False

    @property
    def percent(self) -> float:
        return 100 * math.hypot(self.right, self.down * HD.height / HD.width)

    @property
    def words(self) -> str:
        """In % of the width, and degrees."""
        if self.percent < SMALL_PERCENT and abs(self.wider_percent) < 1:
            return ""
        if self.percent > FAR_PERCENT:
            return f"{self.degrees:.0f}° away"
        parts = []
        down = self.down * HD.height / HD.width
        for value, more, less in ((self.right, "right", "left"), (down, "down", "up")):
            if abs(100 * value) >= SMALL_PERCENT:
                parts.append(f"{abs(100 * value):.1f} % {more if value > 0 else less}")
        said = ", ".join(parts) + (f" · {self.degrees:.2f}°" if parts else "")
        if abs(self.wider_percent) >= 1:
            wide = f"{abs(self.wider_percent):.0f} % too {'wide' if self.wider_percent > 0 else 'tight'}"
            said = f"{said} · {wide}" if said else wide
        return said


def offset_of(state: LiveState, camera: Camera, framing: Framing) -> Offset | None:
    """How far the live picture is off a framing: as measured since it came, or else by what is reported."""
    live, verdict = state.live(camera.id), state.verdicts.get(framing.id)
    if live.aim is None or camera.recall_only:
        return None
    at_it = live.goal_framing_id == framing.id and live.goal == framing.aim and live.still_since_s is not None
    hfov = camera.lens.hfov_deg(live.aim.zoom)
    if verdict is not None and at_it and verdict.judgement is Judgement.OFF and verdict.at_s > live.asked_s:
        right, down = off_by(camera, framing, verdict)
        degrees = math.hypot(right, down) / 100 * hfov
        return Offset(right / 100, down / 100 * HD.width / HD.height, degrees, 100 * (1 / verdict.growth - 1), True)
    seen = pan_tilt_to_pixel(framing.pan_deg, framing.tilt_deg, live.aim, camera.lens, camera.place.hung)
    wide = math.tan(math.radians(hfov) / 2) / math.tan(math.radians(camera.lens.hfov_deg(framing.zoom)) / 2)
    if seen is None:
        return None
    right, down = seen[0] / HD.width - 0.5, seen[1] / HD.height - 0.5
    return Offset(right, down, _apart_deg(live.aim, framing.aim), 100 * (wide - 1))


def _apart_deg(one: Aim, other: Aim) -> float:
    a, b = math.radians(one.tilt_deg), math.radians(other.tilt_deg)
    c = math.sin(a) * math.sin(b) + math.cos(a) * math.cos(b) * math.cos(math.radians(one.pan_deg - other.pan_deg))
    return math.degrees(math.acos(max(-1.0, min(1.0, c))))


class FrameMonitor(CameraMonitor):
    """`camera_id` is the camera that is steered here, `framing_id` the framing that it is held against."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge, "This show has no cameras yet. Add one in Rig: F2.")
        self.framing_id: str | None = None
        self.guides = {name: name == "thirds" for name in GUIDES}
        self.ghost = 0.0

    def framing(self) -> Framing | None:
        """The one that the picture is held against; none of another camera."""
        found = self._bridge.state.show.framing(self.framing_id or "")
        return found if found is not None and found.camera_id == self.camera_id else None

    def picture_area(self) -> QRectF:
        wide, tall = self.width(), self.height() - FOOT
        scale = min(wide / 16, tall / 9)
        return QRectF(0, 0, int(scale * 16), int(scale * 9))

    def _paint_head(self, painter: QPainter, area: QRectF, shot: Shot | None) -> None:
        """Nothing above the picture: its name is on it."""

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        state = self._bridge.state
        camera = state.show.camera(self.camera_id or "")
        if camera is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area, framing = self.picture_area(), self.framing()
        painter.setClipRect(area)
        if framing is not None and self.ghost > 0:
            self._paint_ghost(painter, area, framing)
        self._paint_guides(painter, area, framing)
        offset = offset_of(state, camera, framing) if framing is not None else None
        if framing is not None and offset is not None and offset.words:
            self._paint_offset(painter, area, framing, offset)
        self._paint_name(painter, area, camera, framing)

    def _paint_ghost(self, painter: QPainter, area: QRectF, framing: Framing) -> None:
        stored = self._bridge.stored_picture(framing.picture, int(area.width()), int(area.height()))
        if stored is not None:
            painter.setOpacity(self.ghost)
            painter.drawPixmap(area.topLeft(), stored)
            painter.setOpacity(1.0)

    def _paint_guides(self, painter: QPainter, area: QRectF, framing: Framing | None) -> None:
        painter.setPen(QPen(GUIDE, 1))
        if self.guides["thirds"]:
            for k in (1, 2):
                x, y = area.left() + k * area.width() / 3, area.top() + k * area.height() / 3
                painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
                painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        if self.guides["safe"]:
            for share in (ACTION_SAFE, TITLE_SAFE):
                wide, tall = area.width() * share, area.height() * share
                painter.drawRect(QRectF(area.center().x() - wide / 2, area.center().y() - tall / 2, wide, tall))
        if self.guides["headroom"]:
            size = (framing.size if framing is not None else None) or ShotSize.MEDIUM
            y = area.top() + HEADROOM[size] * area.height()
            painter.setPen(QPen(look.LAMP_WARM, 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setFont(look.font(12, look.MEDIUM))
            painter.drawText(
                QRectF(area.left() + 6, y + 1, look.scaled(300), look.scaled(18)), 0, f"top of the head, {size.value}"
            )
        if self.guides["level"]:
            painter.setPen(QPen(look.LAMP_WARM, 1))
            middle, wide = area.center(), area.width()
            painter.drawLine(QPointF(middle.x() - wide / 4, middle.y()), QPointF(middle.x() - wide / 16, middle.y()))
            painter.drawLine(QPointF(middle.x() + wide / 16, middle.y()), QPointF(middle.x() + wide / 4, middle.y()))
            painter.drawLine(QPointF(middle.x(), middle.y() - 8), QPointF(middle.x(), middle.y() + 8))

    def _paint_offset(self, painter: QPainter, area: QRectF, framing: Framing, offset: Offset) -> None:
        """From the middle to where the framing's middle is; words beside its foot."""
        middle = area.center()
        tip = QPointF(middle.x() + offset.right * area.width(), middle.y() + offset.down * area.height())
        inside = area.adjusted(24, 24, -24, -24)
        tip = QPointF(
            min(inside.right(), max(inside.left(), tip.x())), min(inside.bottom(), max(inside.top(), tip.y()))
        )
        way = tip - middle
        length = math.hypot(way.x(), way.y())
        painter.setPen(QPen(look.LAMP_WARM, 3))
        if length > 14:
            unit = way / length
            side = QPointF(-unit.y(), unit.x())
            painter.drawLine(middle, tip - unit * 10)
            painter.setBrush(look.LAMP_WARM)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygonF([tip, tip - unit * 14 + side * 7, tip - unit * 14 - side * 7]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            painter.drawEllipse(middle, 9, 9)
        how = "by its picture" if offset.measured else "to the framing"
        at = QPointF(area.left() + 10, area.bottom() - 62)  # above the words of the lamps
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        said, room = f"{framing.name}: {offset.words}, {how}", int(area.width() - 36)
        self._label(painter, at, painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, room))

    def _paint_name(self, painter: QPainter, area: QRectF, camera: Camera, framing: Framing | None) -> None:
        state = self._bridge.state
        live = state.live(camera.id)
        said = f"{camera.number}  {camera.name}"
        at = state.show.framing(live.goal_framing_id or "")
        if at is not None:
            said += f"   {at.letter}  {at.name}"
            if live.trim != STILL:
                said += " · trimmed"
        painter.setFont(look.font(20, look.BOLD))
        room = area.width() - 40
        said = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(room))
        self._label(painter, QPointF(area.left() + 10, area.top() + 10), said, 20)
        if live.hand is not None and self._bridge.now_s - live.hand.at_s < 2:
            said = f"steered by {called(self._bridge.state, live.hand.name)}"
            painter.setFont(look.font(14, look.MEDIUM))
            wide = painter.fontMetrics().horizontalAdvance(said) + 16
            self._label(painter, QPointF(area.right() - wide - 10, area.top() + 12), said)

    @staticmethod
    def _label(painter: QPainter, at: QPointF, words: str, pixels: int = 14) -> None:
        painter.setFont(look.font(pixels, look.BOLD if pixels > 16 else look.MEDIUM))
        wide = painter.fontMetrics().horizontalAdvance(words) + 16
        box = QRectF(at.x(), at.y(), wide, look.scaled(pixels + 12))
        painter.fillRect(box, QColor(18, 15, 12, 200))
        painter.setPen(look.TEXT)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
