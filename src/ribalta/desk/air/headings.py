"""The headings of the board: whose framings stand beside the wall, which cameras the number keys are, the scenes."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from ribalta.core.engine.actions.board import BANK
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.document.model import LETTERS
from ribalta.desk.air.layout import Layout
from ribalta.desk.painting import look

NO_CAMERAS = "This show has no cameras yet: add them in Rig (F2)."
NO_SCENES = "No scenes yet. Select them with 0; then Shift+Q stores what is on air, with all that lies over it."


def beside(layout: Layout, state: LiveState) -> tuple[str, str]:
    """What is bold, and the rest: the camera, the page of its framings, what the number keys are."""
    camera, page = layout.beside, f"page {state.desk.page + 1}"
    if camera is None:
        return "", page
    last = state.show.last_slot(camera.id) // len(LETTERS) + 1
    pages = f"{page} of {max(last, state.desk.page + 1)} · PgDn, PgUp" if last > 1 or state.desk.page else ""
    first = state.desk.bank * BANK
    banks = {(c.number - 1) // BANK for c in layout.cameras}
    keys = f"keys 1 … 9 are cameras {first + 1} … {first + BANK} · ` turns" if len(banks) > 1 else ""
    return f"{camera.number}  {camera.name}", "      ".join(part for part in (pages, keys) if part)


def scenes(layout: Layout, state: LiveState, here: int) -> str:
    """`here`: so many letters have scenes on this page."""
    large = layout.wall and layout.beside is None
    more = 0 if large else here - layout.scene_letters
    how = "0 shows all" if layout.wall else "make the window wider"
    return f"Scenes{f' · {more} more: {how}' if more > 0 else ''}" if state.show.scenes else NO_SCENES


def nothing(painter: QPainter, area: QRectF) -> None:
    """Where the cameras would be."""
    painter.setPen(look.SOFT)
    painter.setFont(look.font(16))
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, NO_CAMERAS)


def paint(painter: QPainter, area: QRectF, bold: str, said: str, selected: bool) -> None:
    painter.fillRect(area.adjusted(-1, -1, 1, 1), look.NIGHT)
    inside = area.adjusted(6 if selected else 0, 0, -6 if selected else 0, 0)
    painter.setPen(look.TEXT)
    painter.setFont(look.font(15, look.BOLD))
    painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, bold)
    left = painter.fontMetrics().horizontalAdvance(bold) + 12 if bold else 0
    painter.setPen(look.SOFT)
    painter.setFont(look.font(14))
    room = inside.adjusted(left, 0, 0, 0)
    words = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, words)
    if selected:
        painter.setPen(QPen(look.TEXT, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(area.adjusted(1, 0, -1, -1))
