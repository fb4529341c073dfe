"""The footlights: a row of small lamps along the lower edge of every live picture; tally and travel gauge in one.

Shape and word go with the colour: all lamps solid and ON AIR; outlined or filled and NEXT; lit from the left with
the seconds left; dark with gaps and NO CONTACT.
"""

import functools
import math
from dataclasses import dataclass
from enum import Enum

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetrics, QImage, QPainter, QPainterPath, QPen

from ribalta.core.engine.program.landing import landing_state, parts, progress, time_to_set_s, waits_for_picture
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.desk.painting import look

NO_CONTACT, LATE_PICTURE = "NO CONTACT", "LATE PICTURE"


class Tally(Enum):
    NONE = ""
    NEXT = "NEXT"
    ON_AIR = "ON AIR"


@dataclass(frozen=True)
class Footlights:
    """What one row of lamps says."""

    tally: Tally
    state: LandingState
    share: float = 0.0
    left_s: float | None = None
    held: bool = False
    late: bool = False

    @property
    def words(self) -> str:
        if self.state is LandingState.NO_CONTACT:
            first = "HELD" if self.held else self.tally.value
            return f"{first} · {NO_CONTACT}" if first else NO_CONTACT
        if self.late:
            first = "HELD" if self.held else self.tally.value
            return f"{first} · {LATE_PICTURE}" if first else LATE_PICTURE
        left = f"{look.seconds(self.left_s)} s" if self.left_s is not None else ""
        if self.held:
            return f"HELD {left}".strip()
        if self.state is LandingState.TRAVELLING:
            return f"{self.tally.value} {left}".strip()
        if self.tally is Tally.NEXT:
            return "NEXT · SET" if self.state is LandingState.SET else "NEXT · OFF"
        return str(self.tally.value)


def of_camera(state: LiveState, camera_id: str, now_s: float) -> Footlights:
    """The lamps of a camera: of its shot on air or next, or of wherever it was sent last."""
    wanted = [
        part for shot in (state.program.on_air, state.program.next) if shot is not None for part in parts(state, shot)
    ]
    own = Shot(camera_id, state.live(camera_id).goal_framing_id)
    shot = next((part for part in wanted if part.camera_id == camera_id), own)
    tally = Tally.ON_AIR if state.on_air(camera_id) else Tally.NEXT if state.is_next(camera_id) else Tally.NONE
    return Footlights(
        tally,
        landing_state(state, shot, now_s),
        progress(state, shot, now_s),
        time_to_set_s(state, shot, now_s),
        state.program.held is not None
        and any(part.camera_id == camera_id for part in parts(state, state.program.held.shot)),
        waits_for_picture(state, shot, now_s),
    )


def of_shot(state: LiveState, shot: Shot, tally: Tally, now_s: float) -> Footlights:
    """The lamps of a whole shot: of a scene, those of the camera that is last."""
    held = state.program.held is not None and state.program.held.shot == shot
    landing = landing_state(state, shot, now_s)
    share, left_s = progress(state, shot, now_s), time_to_set_s(state, shot, now_s)
    return Footlights(tally, landing, share, left_s, held, waits_for_picture(state, shot, now_s))


def paint(painter: QPainter, area: QRectF, lights: Footlights, lamps: int) -> None:
    """A row of `lamps` domes standing on the lower edge of `area`."""
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    kind = (lights.tally, lights.state is LandingState.NO_CONTACT, lights.state is LandingState.TRAVELLING)
    row = _row(kind, _lit(lights, lamps), lamps, area.width(), area.height(), ratio)
    painter.drawImage(area.topLeft(), row)


@functools.lru_cache(maxsize=300)
def _row(kind: tuple[Tally, bool, bool], lit: int, lamps: int, width: float, height: float, ratio: float) -> QImage:
    """The same few rows are shown again and again, at every frame."""
    size = (math.ceil(width * ratio), math.ceil(height * ratio))
    made = QImage(*size, QImage.Format.Format_ARGB32_Premultiplied)
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    tally, gone, travels = kind
    step = width / lamps
    wide, tall = step * 0.72, min(height, step * 0.72)
    for i in range(lamps):
        if gone and i % 3 == 2:
            continue
        left = i * step + (step - wide) / 2
        path = QPainterPath()
        path.moveTo(left, height)
        path.arcTo(QRectF(left, height - tall, wide, tall * 2), 180, -180)
        path.closeSubpath()
        outlined = not gone and (tally is Tally.NEXT or travels)
        _dome(painter, path, _ink(tally), i < lit, outlined)
    painter.end()
    return made


def _lit(lights: Footlights, lamps: int) -> int:
    if lights.state is LandingState.NO_CONTACT and lights.tally is not Tally.ON_AIR:
        return 0
    if lights.tally is Tally.ON_AIR:
        return lamps
    if lights.state is LandingState.TRAVELLING:
        return int(lights.share * lamps)
    return lamps if lights.tally is Tally.NEXT and lights.state is LandingState.SET else 0


def colour(lights: Footlights) -> QColor:
    return _ink(lights.tally)


def _ink(tally: Tally) -> QColor:
    if tally is Tally.ON_AIR:
        return look.RED
    return look.GREEN if tally is Tally.NEXT else look.LAMP_WARM


def _dome(painter: QPainter, path: QPainterPath, ink: QColor, lit: bool, outlined: bool) -> None:
    if lit:
        painter.fillPath(path, QBrush(ink))
    elif outlined:
        painter.setPen(QPen(ink, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
    else:
        painter.fillPath(path, QBrush(look.LAMP_OFF))


def in_room(words: str, metrics: QFontMetrics, wide: float) -> str:
    """The words of lamps, or of a trouble only what it is, where there is no room for more: the lamps say the rest."""
    trouble = next((said for said in (NO_CONTACT, LATE_PICTURE) if words.endswith(said)), None)
    return trouble if trouble is not None and metrics.horizontalAdvance(words) > wide else words


def paint_words(painter: QPainter, area: QRectF, lights: Footlights, pixels: int) -> None:
    """The words of the lamps, right-aligned on a dark ground, inside `area`'s lower right corner."""
    words = lights.words
    if not words:
        return
    painter.setFont(look.font(pixels, look.BOLD, narrow=True))
    words = in_room(words, painter.fontMetrics(), area.width() - 12)
    wide = painter.fontMetrics().horizontalAdvance(words) + 12
    tall = look.scaled(pixels + 7)
    box = QRectF(area.right() - wide, area.bottom() - tall, wide, tall)
    wrong = lights.state is LandingState.NO_CONTACT or lights.late
    plain = lights.tally is Tally.NONE or wrong
    painter.fillRect(box, look.INK if plain else colour(lights))
    painter.setPen(look.WRONG if wrong else look.LAMP_WARM if plain else look.INK)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def lamps_for(width: float) -> int:
    return max(8, int(width // 15))
