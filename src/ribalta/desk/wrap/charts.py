"""What did not land, as charts: on the screen and on paper, in the colours of each."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from ribalta.core.base.spans import length_words
from ribalta.core.handover.evening import Evening
from ribalta.core.handover.landings import LENGTHS_S, Landings, Tally
from ribalta.core.handover.travel import Travelled
from ribalta.core.ports.as_run import Aired
from ribalta.desk.painting import look

ROW, LABEL, SIZE = 24, 190, 14
QUIETEST, TARGET, LOUDEST = -50.0, -23.0, 0.0  # of loudness, in LUFS


@dataclass(frozen=True)
class Inks:
    """`well` landed at once, `held` waited, `late` had not landed; their shapes differ, too."""

    text: QColor
    soft: QColor
    ground: QColor
    well: QColor
    held: QColor
    late: QColor


SCREEN = Inks(look.TEXT, look.SOFT, look.RAIL, look.LAMP_OFF, look.LAMP_WARM, look.WRONG)
PAPER = Inks(*map(QColor, ("black", "#555555", "#eeeeee", "#9a9a9a", "#c98a1d", "#6b3fa0")))


def takes_words(tally: Tally) -> str:
    """How so many takes fared, in a line."""
    parts = [f"{tally.landed} of {tally.takes} landed"]
    parts += [f"{tally.held} waited, {tally.held_s:.1f} s in all"] if tally.held else []
    parts += [f"{tally.forced} forced"] if tally.forced else []
    parts += [f"{tally.late} late"] if tally.late else []
    return ", ".join(parts)


def paint_bars(painter: QPainter, area: QRectF, rows: list[tuple[str, Tally]], inks: Inks, unit: float = 1.0) -> float:
    """A bar each: how many takes landed at once, waited, or were late, as shares of the longest. How tall it came."""
    most = max((tally.takes for _, tally in rows), default=1)
    label, row = LABEL * unit, ROW * unit
    font = look.font(round(SIZE * unit), narrow=True)
    for k, (name, tally) in enumerate(rows):
        top = area.top() + k * row
        if top + row > area.bottom():
            return k * row
        painter.setFont(font)
        painter.setPen(inks.text)
        said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(label - 8 * unit))
        painter.drawText(QRectF(area.left(), top, label - 8 * unit, row), Qt.AlignmentFlag.AlignVCenter, said)
        room = (area.width() - label) * 0.55
        left, each = area.left() + label, room / most
        at_once = max(0, tally.takes - tally.held - tally.late)
        for count, ink, pattern in (
            (at_once, inks.well, Qt.BrushStyle.SolidPattern),
            (tally.held, inks.held, Qt.BrushStyle.Dense3Pattern),
            (tally.late, inks.late, Qt.BrushStyle.BDiagPattern),
        ):
            bar = QRectF(left, top + row * 0.2, count * each, row * 0.6)
            painter.fillRect(bar, inks.ground)
            painter.fillRect(bar, QBrush(ink, pattern))
            left += bar.width()
        painter.setPen(inks.soft)
        painter.drawText(
            QRectF(area.left() + label + room + 8 * unit, top, area.width() - label - room, row),
            Qt.AlignmentFlag.AlignVCenter,
            takes_words(tally),
        )
    return len(rows) * row


def paint_evening(
    painter: QPainter, area: QRectF, evening: Evening, names: dict[int, str], inks: Inks, unit: float = 1.0
) -> None:
    """Who was on air when: a row a camera, from the first shot to the last; what was late is marked."""
    shots = [line for line in evening.lines if line.kind is Aired.SHOT]
    if not shots:
        return
    begin, end = shots[0].wall_s, max(shots[-1].wall_s + 1.0, evening.lines[-1].wall_s)
    cameras = sorted({line.camera for line in shots})
    label, row = LABEL * unit, min(ROW * unit, area.height() / max(1, len(cameras) + 1))
    per_s = (area.width() - label) / (end - begin)
    painter.setFont(look.font(round(SIZE * unit), narrow=True))
    for k, camera in enumerate(cameras):
        top = area.top() + k * row
        painter.setPen(inks.text)
        said = f"{camera}  {names.get(camera, '')}" if camera else "scenes and media"
        painter.drawText(QRectF(area.left(), top, label - 8 * unit, row), Qt.AlignmentFlag.AlignVCenter, said)
        painter.setPen(QPen(inks.ground, 1))
        painter.drawLine(QPointF(area.left() + label, top + row / 2), QPointF(area.right(), top + row / 2))
    for line, after in zip(shots, [*(s.wall_s for s in shots[1:]), end], strict=True):
        top = area.top() + cameras.index(line.camera) * row
        bar = QRectF(
            area.left() + label + (line.wall_s - begin) * per_s,
            top + row * 0.15,
            max(1.0, (after - line.wall_s) * per_s),
            row * 0.7,
        )
        late = line.landing is not None and not line.landing.landed
        waited = line.landing is not None and line.landing.held_s > 0.05
        painter.fillRect(bar, inks.late if late else inks.held if waited else inks.well)
    painter.setPen(inks.soft)
    foot = QRectF(area.left() + label, area.top() + len(cameras) * row, area.width() - label, row)
    painter.drawText(
        foot, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, length_words(round(end - begin))
    )


def paint_lengths(painter: QPainter, area: QRectF, landings: Landings, inks: Inks, unit: float = 1.0) -> None:
    """How many shots were how long."""
    most = max(1, *landings.lengths)
    wide = area.width() / len(landings.lengths)
    painter.setFont(look.font(round(SIZE * unit), narrow=True))
    foot = ROW * unit
    for k, count in enumerate(landings.lengths):
        tall = (area.height() - 2 * foot) * count / most
        bar = QRectF(area.left() + k * wide + 2, area.bottom() - foot - tall, wide - 6, tall)
        painter.fillRect(bar, inks.well)
        painter.setPen(inks.text)
        above = QRectF(bar.left(), bar.top() - foot, bar.width(), foot)
        painter.drawText(above, Qt.AlignmentFlag.AlignCenter, str(count))
        said = f"to {LENGTHS_S[k]} s" if k < len(LENGTHS_S) else f"over {LENGTHS_S[-1]} s"
        painter.setPen(inks.soft)
        painter.drawText(QRectF(bar.left() - 4, area.bottom() - foot, wide, foot), Qt.AlignmentFlag.AlignCenter, said)


def paint_sound(painter: QPainter, area: QRectF, evening: Evening, inks: Inks, unit: float = 1.0) -> None:
    """How loud program was over the evening, in LUFS; a line at what broadcasters ask for (EBU R 128)."""
    heard = [(line.at_s, line.loudness) for line in evening.lines if line.loudness is not None]
    painter.setFont(look.font(round(SIZE * unit), narrow=True))
    if len(heard) < 2:
        painter.setPen(inks.soft)
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, "It is noted every half minute while the show is on.")
        return
    left, begin_s, end_s = area.left() + LABEL * unit, heard[0][0], heard[-1][0]

    def at(now_s: float, loudness: float) -> QPointF:
        share = (max(QUIETEST, min(LOUDEST, loudness)) - QUIETEST) / (LOUDEST - QUIETEST)
        return QPointF(
            left + (area.right() - left) * (now_s - begin_s) / max(1.0, end_s - begin_s),
            area.bottom() - area.height() * share,
        )

    for loudness in (-40.0, TARGET, -10.0):
        y = at(begin_s, loudness).y()
        painter.setPen(inks.soft)
        label = QRectF(area.left(), y - ROW * unit / 2, LABEL * unit - 8, ROW * unit)
        painter.drawText(label, Qt.AlignmentFlag.AlignVCenter, f"{loudness:.0f} LUFS")
        painter.setPen(QPen(inks.well, 1, Qt.PenStyle.SolidLine if loudness == TARGET else Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(left, y), QPointF(area.right(), y))
    painter.setPen(QPen(inks.text, 2))
    painter.drawPolyline(QPolygonF([at(now_s, loudness) for now_s, loudness in heard]))


def camera_name(camera: int, names: dict[int, str]) -> str:
    """“3  Right”; a shot of no camera is a scene or a medium."""
    return f"{camera}  {names.get(camera, '')}" if camera else "scenes and media"


def paint_shares(
    painter: QPainter, area: QRectF, landings: Landings, names: dict[int, str], inks: Inks, unit: float = 1.0
) -> None:
    """How long each camera was on air."""
    whole = sum(seconds for _, seconds in landings.seconds) or 1.0
    rows = [
        (camera_name(camera, names), seconds / whole, f"{100 * seconds / whole:.0f} %, {length_words(round(seconds))}")
        for camera, seconds in landings.seconds
    ]
    paint_parts(painter, area, rows, inks, unit)


def paint_travel(
    painter: QPainter, area: QRectF, found: Sequence[Travelled], names: dict[int, str], inks: Inks, unit: float = 1.0
) -> None:
    """How much each camera travelled."""
    whole = sum(one.seconds for one in found) or 1.0
    rows = [
        (
            camera_name(one.camera, names),
            one.seconds / whole,
            f"{one.moves} {'move' if one.moves == 1 else 'moves'}, {length_words(round(one.seconds))} on the way,"
            f" {one.degrees:.0f}°",
        )
        for one in found
    ]
    paint_parts(painter, area, rows, inks, unit)


def paint_parts(
    painter: QPainter, area: QRectF, rows: Sequence[tuple[str, float, str]], inks: Inks, unit: float = 1.0
) -> None:
    """A bar each, as long as its share of the whole (0 to 1), with what is said beside it."""
    label, row = LABEL * unit, ROW * unit
    painter.setFont(look.font(round(SIZE * unit), narrow=True))
    for k, (name, share, said) in enumerate(rows):
        top = area.top() + k * row
        if top + row > area.bottom():
            return
        painter.setPen(inks.text)
        painter.drawText(QRectF(area.left(), top, label - 8 * unit, row), Qt.AlignmentFlag.AlignVCenter, name)
        bar = QRectF(area.left() + label, top + row * 0.2, (area.width() - label) * 0.6 * share, row * 0.6)
        painter.fillRect(bar, inks.well)
        painter.setPen(inks.soft)
        beside = QRectF(bar.right() + 8 * unit, top, area.width(), row)
        painter.drawText(beside, Qt.AlignmentFlag.AlignVCenter, said)
