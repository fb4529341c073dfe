"""The contact sheet: every framing with its picture, for the crew, on paper."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.state.live import LiveState
from ribalta.core.picture.reading import is_sane, kind_of
from ribalta.core.show.document.model import Camera, Framing
from ribalta.desk.painting import look
from ribalta.desk.painting.paper import Paper
from ribalta.desk.words.framing_words import about

COLUMNS, ROWS = 3, 4
INK, PALE = QColor("black"), QColor("#666666")


def write_sheet(path: Path, state: LiveState, picture: Callable[[str], bytes | None]) -> str:
    """A PDF on A4, a new page for each camera; returns what is to be said of it. Raises LocalFault.

    `picture` gives a framing's JPEG by its name. It may run on any thread: there are no widgets and no pixmaps here.
    """
    sheets = _sheets(state)
    if not sheets:
        raise LocalFault("There are no framings to print yet.")
    paper = Paper(state.show.title, 12)
    writer, painter = paper.writer, QPainter(paper.writer)
    for number, (camera, framings) in enumerate(sheets, 1):
        if number > 1:
            writer.newPage()
        _page(painter, QRectF(0, 0, writer.width(), writer.height()), state, picture, camera, framings, number)
    painter.end()
    paper.keep(path, "The contact sheet")
    return f"The contact sheet is {path.name}, {len(sheets)} page{'s' if len(sheets) != 1 else ''}."


def _sheets(state: LiveState) -> list[tuple[Camera, list[Framing]]]:
    """What goes on each page."""
    sheets = []
    for camera in sorted(state.show.cameras, key=lambda c: c.number):
        mine = sorted((f for f in state.show.framings if f.camera_id == camera.id), key=lambda f: f.slot)
        each = COLUMNS * ROWS
        sheets += [(camera, mine[k : k + each]) for k in range(0, len(mine), each)]
    return sheets


def _page(
    painter: QPainter,
    area: QRectF,
    state: LiveState,
    picture: Callable[[str], bytes | None],
    camera: Camera,
    framings: list[Framing],
    number: int,
) -> None:
    head = area.height() * 0.05
    painter.setPen(INK)
    painter.setFont(look.font(34, look.BOLD))
    painter.drawText(QRectF(area.left(), area.top(), area.width() * 0.7, head), 0, f"{camera.number}  {camera.name}")
    painter.setPen(PALE)
    painter.setFont(look.font(17))
    said = f"{state.show.title} · {datetime.now().strftime('%d %B %Y')} · page {number}"
    painter.drawText(QRectF(area.left(), area.top() + head * 0.55, area.width(), head / 2), 0, said)
    wide, tall = area.width() / COLUMNS, (area.height() - head * 1.3) / ROWS
    for k, framing in enumerate(framings):
        left, top = area.left() + (k % COLUMNS) * wide, area.top() + head * 1.3 + (k // COLUMNS) * tall
        _one(painter, QRectF(left, top, wide - 18, tall - 14), state, framing, picture(framing.picture or ""))


def _one(painter: QPainter, area: QRectF, state: LiveState, framing: Framing, data: bytes | None) -> None:
    picture = QRectF(area.left(), area.top(), area.width(), area.width() * 9 / 16)
    whole = QImage()
    if data is not None and is_sane(data) and whole.loadFromData(data, kind_of(data)):
        painter.drawImage(picture, whole, QRectF(whole.rect()))
    painter.setPen(QPen(PALE, 1))
    painter.drawRect(picture)
    if data is None:
        painter.setFont(look.font(16))
        painter.drawText(picture, Qt.AlignmentFlag.AlignCenter, "no picture yet")
    page = f" (page {framing.page + 1})" if framing.page else ""
    lines = (
        (f"{framing.letter}{page}  {framing.name}", 20, look.BOLD),
        (about(state, framing), 16, look.MEDIUM),
    )
    top = picture.bottom() + 4
    for words, pixels, weight in lines:
        painter.setPen(INK if pixels == 20 else PALE)
        painter.setFont(look.font(pixels, weight, narrow=True))
        said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(area.width()))
        painter.drawText(QRectF(area.left(), top, area.width(), pixels * 1.5), 0, said)
        top += pixels * 1.5
