"""The report on an evening: two pages for the crew, as PDF."""

from datetime import datetime, timedelta, timezone
from pathlib import Path

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from ribalta.core.handover.evening import Evening
from ribalta.core.handover.landings import Landings
from ribalta.core.ports.as_run import Aired
from ribalta.desk.painting import look
from ribalta.desk.painting.paper import Paper
from ribalta.desk.wrap.charts import (
    PAPER,
    paint_bars,
    paint_evening,
    paint_lengths,
    paint_shares,
    takes_words,
)

MOST_FRAMINGS = 14


def write_report(path: Path, evening: Evening, landings: Landings, names: dict[int, str], utc_offset_s: float) -> None:
    """A PDF on A4; `names` are those of cameras by number. No widgets: it may run on any thread. Raises LocalFault."""
    paper = Paper(evening.title, 14)
    writer, painter = paper.writer, QPainter(paper.writer)
    page = QRectF(0, 0, writer.width(), writer.height())
    _first(painter, page, evening, landings, names, utc_offset_s)
    writer.newPage()
    _second(painter, page, landings, names)
    painter.end()
    paper.keep(path, "The report")


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"


def _heading(painter: QPainter, area: QRectF, top: float, words: str) -> float:
    painter.setPen(PAPER.text)
    painter.setFont(look.font(24, look.BOLD))
    painter.drawText(QRectF(area.left(), top, area.width(), 40), 0, words)
    return top + 46


def _first(
    painter: QPainter, area: QRectF, evening: Evening, landings: Landings, names: dict[int, str], utc_offset_s: float
) -> None:
    zone = timezone(timedelta(seconds=utc_offset_s))
    began, ended = (datetime.fromtimestamp(evening.lines[k].wall_s, zone) for k in (0, -1))
    painter.setPen(PAPER.text)
    painter.setFont(look.font(40, look.BOLD))
    painter.drawText(QRectF(area.left(), area.top(), area.width(), 60), 0, evening.title)
    painter.setPen(PAPER.soft)
    painter.setFont(look.font(22))
    marked = sum(line.kind is Aired.MARKER for line in evening.lines)
    lines = [
        f"{began:%d %B %Y, %H:%M} to {ended:%H:%M}",
        f"{_count(landings.whole.takes, 'take')}: {takes_words(landings.whole)}",
        f"{_count(len(evening.recorded), 'recording')}, {_count(marked, 'marker')}",
    ]
    for k, line in enumerate(lines):
        painter.drawText(QRectF(area.left(), area.top() + 66 + k * 32, area.width(), 32), 0, line)
    rows = len({line.camera for line in evening.lines if line.kind is Aired.SHOT}) + 1
    top = _heading(painter, area, area.top() + 200, "Who was on air when")
    paint_evening(painter, QRectF(area.left(), top, area.width(), rows * 36), evening, names, PAPER, 1.5)
    top = _heading(painter, area, top + rows * 36 + 30, "How long each camera was on air")
    tall = len(landings.seconds) * 36
    paint_shares(painter, QRectF(area.left(), top, area.width(), tall + 1), landings, names, PAPER, 1.5)
    top = _heading(painter, area, top + tall + 30, "How long shots were")
    paint_lengths(painter, QRectF(area.left(), top, area.width(), min(320, area.bottom() - top)), landings, PAPER, 1.5)


def _second(painter: QPainter, area: QRectF, landings: Landings, names: dict[int, str]) -> None:
    top = _heading(painter, area, area.top(), "What waited, and what was late")
    groups = (
        ("By camera", [(f"{k}  {names.get(k, '')}" if k else "scenes and media", t) for k, t in landings.by_camera]),
        ("By framing, the longest waits first", list(landings.by_framing)[:MOST_FRAMINGS]),
        ("By what asked", list(landings.by_cause)[:MOST_FRAMINGS]),
    )
    for words, rows in groups:
        painter.setPen(PAPER.soft)
        painter.setFont(look.font(20, look.MEDIUM))
        painter.drawText(QRectF(area.left(), top, area.width(), 32), 0, words)
        top += 36
        tall = paint_bars(painter, QRectF(area.left(), top, area.width(), area.bottom() - top), rows, PAPER, 1.5)
        top += tall + 26
