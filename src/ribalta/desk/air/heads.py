"""A camera on the board: its number, its name, its live picture with lamps, and how it is."""

from dataclasses import dataclass, replace

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetrics, QImage, QPainter, QPen

from ribalta.core.base.spans import span_words
from ribalta.core.engine.actions.board import BANK
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import LandingState
from ribalta.core.show.document.model import Camera
from ribalta.desk.air.layout import caption
from ribalta.desk.air.row_looks import blind_words
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import ABOVE
from ribalta.desk.painting.two_lines import broken, two_lines
from ribalta.desk.widgets import footlights

SHORTLY = {"! no contact": "! lost", "! late picture": "! late"}  # where a word is all there is room for
LAMPS, SHADE = 8, QColor(20, 17, 14, 165)


@dataclass(frozen=True)
class Head:
    """What is written on it. `key` is its number key where that is not its number; `tally` what its lamps say, in
    words; `status` how else it is; `wrong` a trouble. `holder` is the initial of a guest who has it."""

    number: int
    name: str
    selected: bool
    key: str = ""
    tally: footlights.Tally = footlights.Tally.NONE
    words: str = ""
    status: str = ""
    wrong: str = ""
    holder: str = ""


def head_of(state: LiveState, camera: Camera, lights: footlights.Footlights, now_s: float) -> Head:
    live = state.live(camera.id)
    framing = state.show.framing(live.goal_framing_id or "")
    blind = blind_words(state, camera)
    lost = lights.state is LandingState.NO_CONTACT
    wrong = "no contact" if lost else "late picture" if lights.late else ""
    if blind and not camera.recall_only and not wrong:
        wrong = blind
    words = (lights.tally.value if lost or lights.late else lights.words) if not blind or lights.words else ""
    status = blind if camera.recall_only else ""
    if framing is not None and lights.state is LandingState.SET:
        status = f"at {framing.letter}"
    if not camera.steered and state.show.settings.cover_camera_id == camera.id:
        status = "cover shot"
    holder = state.guests.holder(camera.id, now_s)
    if holder is not None:
        status = f"{holder.name}, {span_words(state.guests.holds[camera.id].until_s - now_s)}"
    return Head(
        camera.number,
        camera.name,
        state.desk.row == camera.id,
        _key_of(state, camera),
        lights.tally,
        words,
        "" if words or wrong else status,
        wrong,
        holder.initial if holder is not None else "",
    )


def _key_of(state: LiveState, camera: Camera) -> str:
    """The number key of a camera in the bank that is shown, where it is not the camera's number."""
    key = camera.number - state.desk.bank * BANK
    return str(key) if state.desk.bank and 1 <= key <= BANK else ""


def paint_head(painter: QPainter, area: QRectF, live: QRectF, head: Head, fixed: bool) -> None:
    """Everything but the live picture itself."""
    painter.fillRect(area.adjusted(-2, -2, 2, 2), look.NIGHT)
    painter.fillRect(area, look.RAIL if head.selected else look.WOOD)
    if fixed:
        words = QRectF(area.left(), area.bottom() - caption(), area.width(), caption())
        _number(painter, words.adjusted(6, 0, 0, 0), head)
        room = words.adjusted(look.scaled(34), 1, -3, -1)
    else:
        room = _beside(area, live)
    lines, tall, over = _lines(head, room)
    lines = [] if over and not fixed else lines
    name = room.adjusted(0, 0, 0, -tall * len(lines))
    for k, line in enumerate(reversed(lines)):
        below = QRectF(room.left(), room.bottom() - tall * (k + 1) - (0 if fixed else 2), room.width(), tall)
        _status(painter, below, head, line)
    painter.setPen(look.TEXT)
    painter.setFont(look.font(14, look.MEDIUM, narrow=True))
    if name.height() >= 2 * tall - 1:
        two_lines(painter, name, head.name, tall)
    else:
        said = painter.fontMetrics().elidedText(head.name, Qt.TextElideMode.ElideRight, int(name.width()))
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter, said)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if head.tally is not footlights.Tally.NONE:
        ink = footlights.colour(footlights.Footlights(head.tally, LandingState.OFF))
        painter.setPen(QPen(ink, 2))
        painter.drawRect(area.adjusted(3, 3, -3, -3) if head.selected else area.adjusted(1, 1, -1, -1))
    if head.selected:
        painter.setPen(QPen(look.TEXT, 2))
        painter.drawRect(area.adjusted(1, 1, -1, -1))


def _lines(head: Head, room: QRectF) -> tuple[list[str], int, bool]:
    """What is said below the name, how high each line is in pixels, and whether the name leaves no room for it."""
    name_lines = min(2, len(broken(head.name, QFontMetrics(look.font(14, look.MEDIUM, narrow=True)), room.width())))
    lines = [line for line in (head.words, f"! {head.wrong}" if head.wrong else "", head.status) if line]
    tall = look.scaled(17 if 17 * (len(lines) + name_lines) <= room.height() else 15)
    if len(lines) > 1 and tall * (len(lines) + name_lines) > room.height() + 1:
        lines = [f"! {head.words}"]  # too low for more: On air and Next above say the rest
    return lines, tall, bool(lines) and tall * (len(lines) + name_lines) > room.height() + 1


def _beside(area: QRectF, live: QRectF) -> QRectF:
    """Where the words of a steered camera are."""
    return QRectF(live.right() + 7, area.top(), area.right() - live.right() - 9, area.height())


def _number(painter: QPainter, area: QRectF, head: Head) -> None:
    painter.setPen(look.TEXT)
    painter.setFont(look.font(20, look.BOLD))
    painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, str(head.number))


def _status(painter: QPainter, area: QRectF, head: Head, line: str, size: int = 14) -> None:
    """Tally as a filled word, trouble with its mark, anything else plain."""
    filled = line.endswith(head.words) and bool(head.words) and head.tally is not footlights.Tally.NONE
    painter.setFont(look.font(size, look.BOLD if filled else look.MEDIUM, narrow=True))
    said = painter.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, int(area.width()))
    if filled:
        wide = min(area.width(), painter.fontMetrics().horizontalAdvance(said) + (8 if size == 14 else 4))
        box = QRectF(area.left(), area.top(), wide, area.height())
        painter.fillRect(box, footlights.colour(footlights.Footlights(head.tally, LandingState.OFF)))
        painter.setPen(look.INK)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)
        return
    painter.setPen(look.WRONG if line.startswith("!") else look.LAMP_WARM)
    painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, said)


def paint_live(
    painter: QPainter, live: QRectF, image: QImage | None, lights: footlights.Footlights, age_s: float | None
) -> None:
    """The picture with the camera's number in its corner and the lamps below. `age_s`: it is an old one."""
    if image is not None:
        seen = QRectF(0, (image.height() - live.height()) * ABOVE, image.width(), min(live.height(), image.height()))
        painter.drawImage(live, image, seen if image.width() == int(live.width()) else QRectF(image.rect()))
    else:
        painter.fillRect(live, look.INK)
    if age_s is not None:
        painter.fillRect(live, SHADE)
        if image is not None:
            painter.setPen(look.WRONG)
            painter.setFont(look.font(14, narrow=True))
            corner = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
            painter.drawText(live.adjusted(0, 0, -3, -1), corner, f"{int(age_s)} s old")
    footlights.paint(painter, QRectF(live.left(), live.bottom() + 1, live.width(), 8), lights, LAMPS)


def paint_corner(painter: QPainter, area: QRectF, live: QRectF, head: Head) -> None:
    """The number, and its key where that is another. How the camera is, if its head is too low to say it elsewhere."""
    lines, _, over = _lines(head, _beside(area, live))
    if over:
        below = QRectF(live.left(), live.bottom() - look.scaled(11), live.width(), look.scaled(12))
        painter.fillRect(below, look.INK)
        shortly = SHORTLY.get(lines[0], lines[0].partition(" · ")[0])
        _status(painter, below, replace(head, words=shortly if head.words else ""), shortly, 12)
    painter.setFont(look.font(13 if over else 17, look.BOLD))
    wide = painter.fontMetrics().horizontalAdvance(str(head.number)) + 8
    box = QRectF(live.left(), live.top(), wide, look.scaled(12 if over else 21))
    painter.fillRect(box, look.INK)
    painter.setPen(look.TEXT)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(head.number))
    for said, ground in ((head.key, look.LAMP_WARM), (head.holder, look.TEXT)):
        if said:
            painter.setFont(look.font(13 if over else 15, look.BOLD))
            box = QRectF(box.right(), box.top(), painter.fontMetrics().horizontalAdvance(said) + 8, box.height())
            painter.fillRect(box, ground)
            painter.setPen(look.INK)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)
