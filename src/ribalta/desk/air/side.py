"""The narrow column beside the board: what lies over program, sound, recording, and the keys for bad moments."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.pad_state import PadLight, pad_state
from ribalta.core.show.document.scenes import SLOTS
from ribalta.core.sound.levels import Level
from ribalta.desk.bridge import LIVE_MODIFIER, Bridge, one_shot
from ribalta.desk.widgets import look
from ribalta.desk.widgets.fields import KEPT_DOWN_MS
from ribalta.desk.widgets.meter import meter
from ribalta.desk.widgets.slot_words import old, slot_state

ROW, HEAD, GAP, TALL = 25.0, 22.0, 6.0, 36.0
METERS = 58.0
KEYS = {slot: f"Ctrl {n}" for n, slot in enumerate(SLOTS, 1)}
MOMENTS = (("Clear", "Y", "clear"), ("Black", "B", "black"), ("Card", "H", "card"))


@dataclass(frozen=True)
class Cell:
    """Something to press: where, what it says, how it is ("on", "next", "goes", "alarm", "busy" or ""), what it does.

    `kept_down` is what it takes to be pressed for long. A pad is narrow: its outline alone says how it is.
    """

    area: QRectF
    words: str
    state: str
    pressed: Callable[[bool], None]
    note: str = ""
    kept_down: Callable[[], None] | None = None
    pad: bool = False


class Side(QWidget):
    """Click: on or off now. Right click: with the next take."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._cells: list[Cell] = []
        self._pressed: Cell | None = None
        self._timer = one_shot(self, KEPT_DOWN_MS, self._kept_down)
        self.setAccessibleName("Over the picture, sound and recording")
        self.setToolTip("Click: on or off now · right click: with the next take")
        bridge.changed.connect(self.update)
        self._ticks = 0
        bridge.tick.connect(self._tick)

    def _tick(self) -> None:
        self._ticks += 1
        if self._ticks % 3 == 0 and self.isVisible():
            self.update(self._meters_area().toAlignedRect())

    # What there is

    def _layers(self) -> list[tuple[str, object, str]]:
        """(slot, layer, words) of everything that can be laid over, from the lowest up."""
        show, dress = self._bridge.state.show, self._bridge.state.program.overlays
        rows: list[tuple[str, object, str]] = []
        for slot in SLOTS[:5]:
            own = show.key if slot == "key" else next((i for i in show.insets if f"inset{i.slot}" == slot), None)
            layer = dress.on(slot) or own
            if layer is None:
                continue
            source = getattr(layer, "source", None) or getattr(layer, "fill", None)
            rows.append((slot, layer, show.source_words(source) if source is not None else ""))
        rows += [(f"title{t.layer}", t.id, t.name) for t in show.titles]
        return rows

    def cells(self) -> list[Cell]:
        """All that can be pressed, from the top down."""
        state, wide = self._bridge.state, float(self.width())
        made: list[Cell] = []
        y = HEAD
        room = int((self._meters_area().top() - 2 * HEAD) // ROW)
        for slot, layer, words in self._layers()[: max(0, room)]:
            made.append(self._layer_cell(QRectF(0, y, wide, ROW - 3), state, slot, layer, words))
            y += ROW
        made += self._pad_cells(y)
        y = self._top_of_record()
        live, runs = state.output("recording"), self._runs()
        said = f"{_clock(self._seconds())}" if runs else "opening" if live.on else "Record"
        missing = not live.on and state.show.outputs.expects_recording and bool(state.program.records)
        if live.trouble and not live.on:
            said, missing = "stopped by itself", True
        made.append(
            Cell(
                QRectF(0, y, wide, ROW - 3),
                said,
                "alarm" if missing else "on" if live.on else "",
                lambda _: self._bridge.act("record", on=True) if not live.on else None,
                "not recording" if missing and not live.trouble else self._left() if runs else "",
                lambda: self._bridge.act("record", on=False) if live.on else None,
            )
        )
        third = (wide - 8) / 3
        for k, (words, key, act) in enumerate(MOMENTS):
            on = {"black": state.program.black.black, "card": state.program.card}.get(act, False)
            area = QRectF(k * (third + 4), self.height() - TALL, third, TALL)
            made.append(Cell(area, words, "alarm" if on else "", lambda _, act=act: self._bridge.act(act), key))  # type: ignore[misc]
        return made

    def _pads_top(self) -> float | None:
        """Where the heading of the pads is; None where there is no room for a row of them, or none at all."""
        room = int((self._meters_area().top() - 2 * HEAD) // ROW)
        y = HEAD + ROW * min(len(self._layers()), max(0, room))
        return y if self._bridge.state.show.pages and y + HEAD + ROW <= self._meters_area().top() - HEAD else None

    def _pad_cells(self, y: float) -> list[Cell]:
        """The first pads of the first page, two in a row, as many as there is room for; F9 shows all."""
        if self._pads_top() is None:
            return []
        state, now_s, page = self._bridge.state, self._bridge.now_s, self._bridge.state.show.pages[0]
        rows = int((self._meters_area().top() - HEAD - y - HEAD) // ROW)
        half = (self.width() - 4) / 2
        made = []
        for k, pad in enumerate(page.pads[: 2 * rows]):
            area = QRectF(k % 2 * (half + 4), y + HEAD + k // 2 * ROW, half, ROW - 3)
            light = pad_state(state, pad, now_s).light
            how = {PadLight.ON_AIR: "on", PadLight.NEXT: "next", PadLight.BUSY: "busy"}.get(light, "")
            press = partial(self._press_pad, page.id, pad.at)
            made.append(Cell(area, pad.label, how, press, pad=True))
        return made

    def _press_pad(self, page_id: str, at: int, long: bool) -> None:
        self._bridge.act("pad.press", pads=page_id, at=at, long=long)

    def _layer_cell(self, area: QRectF, state: LiveState, slot: str, layer: object, words: str) -> Cell:
        title = state.show.titled(layer) if isinstance(layer, str) else None
        note = KEYS[slot]
        if title is not None and old(title, self._bridge.now_s + state.wall_clock.offset_s):
            note = "not today's"

        def press(with_next: bool) -> None:
            if title is not None:
                self._bridge.act("title.switch", title=title.id, with_next=with_next)
            else:
                self._bridge.act("layer.switch", slot=slot, with_next=with_next)

        return Cell(area, words, slot_state(state, slot, layer), press, note)

    def _top_of_record(self) -> float:
        return self.height() - TALL - HEAD - GAP - ROW

    def _meters_area(self) -> QRectF:
        return QRectF(0, self._top_of_record() - HEAD - GAP - METERS, self.width(), METERS)

    def _runs(self) -> bool:
        return any(r.running for r in self._bridge.outputs.recordings)

    def _seconds(self) -> float:
        return max((r.seconds for r in self._bridge.outputs.recordings), default=0.0)

    def _left(self) -> str:
        found = [r.minutes_left for r in self._bridge.outputs.recordings if r.minutes_left is not None]
        if not found:
            return ""
        left = min(found)
        return f"{left / 60:.0f} h left" if left > 300 else f"{left:.0f} min left"

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        meters = self._meters_area()
        if meters.toAlignedRect().contains(event.rect()):
            self._bridge.give_way()
            self._meters(painter, meters)
            return
        self._cells = self.cells()
        self._heading(painter, 0, "Over the picture")
        if not self._layers():
            painter.setFont(look.font(13))
            painter.setPen(look.SOFT)
            said = "Titles and insets that are made in Cue (F4) are here, to be put on and off."
            area = QRectF(0, HEAD, self.width(), self._meters_area().top() - 2 * HEAD)
            painter.drawText(area, Qt.TextFlag.TextWordWrap, said)
        if (pads := self._pads_top()) is not None:
            self._heading(painter, pads, "Pads  F9")
        self._heading(painter, meters.top() - HEAD, "Sound")
        self._heading(painter, self._top_of_record() - HEAD, "Recording")
        self._heading(painter, self.height() - TALL - HEAD, "If it goes wrong")
        for cell in self._cells:
            self._cell(painter, cell)
        self._meters(painter, meters)

    def _heading(self, painter: QPainter, y: float, words: str) -> None:
        painter.setFont(look.font(13, look.BOLD))
        painter.setPen(look.SOFT)
        painter.drawText(QRectF(0, y, self.width(), HEAD - 2), Qt.AlignmentFlag.AlignVCenter, words)

    def _cell(self, painter: QPainter, cell: Cell) -> None:
        self._bridge.give_way()
        inks = {"on": look.RED, "next": look.GREEN, "goes": look.RED, "alarm": look.WRONG, "busy": look.LAMP_WARM}
        ink = inks.get(cell.state)
        word = {"on": "ON AIR", "next": "NEXT", "goes": "GOES"}.get(cell.state, "")
        record = cell.kept_down is not None
        if record and cell.state == "on":
            ink, word = look.LAMP_WARM, ""
        filled = cell.state in ("on", "alarm", "busy")
        painter.fillRect(cell.area, ink if filled and ink is not None else look.RAIL)
        if ink is not None and not filled:
            style = Qt.PenStyle.DashLine if cell.state == "goes" else Qt.PenStyle.SolidLine
            painter.setPen(QPen(ink, 2, style))
            painter.drawRect(cell.area.adjusted(1, 1, -1, -1))
        painter.setPen(look.INK if filled else look.TEXT)
        if cell.area.height() == TALL:
            self._moment(painter, cell)
            return
        note = "" if cell.pad else word or cell.note
        painter.setFont(look.font(12, look.BOLD if word else look.MEDIUM, narrow=True))
        wide = painter.fontMetrics().horizontalAdvance(note) + 8 if note else 0
        inside = cell.area.adjusted(7, 0, -6, 0)
        if not word and not filled:
            painter.setPen(look.WRONG if note == "not today's" else look.SOFT)
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, note)
        painter.setPen(look.INK if filled else look.TEXT)
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        said = painter.fontMetrics().elidedText(cell.words, Qt.TextElideMode.ElideRight, int(inside.width() - wide))
        painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, said)

    def _moment(self, painter: QPainter, cell: Cell) -> None:
        """A word and its key below it."""
        middle = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
        painter.setFont(look.font(14, look.MEDIUM))
        painter.drawText(cell.area.adjusted(0, 2, 0, -15), middle, cell.words)
        painter.setFont(look.font(12, narrow=True))
        painter.drawText(cell.area.adjusted(0, 17, 0, -1), middle, cell.note)

    def _meters(self, painter: QPainter, area: QRectF) -> None:
        heard, state = self._bridge.media.heard, self._bridge.state
        mics = sorted(state.show.microphones, key=lambda m: m.number)
        if not mics:
            painter.setFont(look.font(13))
            painter.setPen(look.SOFT)
            painter.drawText(area, Qt.TextFlag.TextWordWrap, "No microphones yet: add them in Cue (F4), under Sound.")
            return
        step = min(22.0, (area.width() - 34) / max(1, len(mics)))
        for k, mic in enumerate(mics[:12]):
            bar = QRectF(area.left() + k * step, area.top(), step - 4, area.height() - 15)
            self._bridge.give_way()
            level = heard.levels.get(mic.id, Level())
            meter(painter, bar, level, is_open(state, mic), vertical=True)
            painter.setPen(look.TEXT if is_open(state, mic) else look.SOFT)
            painter.setFont(look.font(11, narrow=True))
            under = QRectF(bar.left() - 3, bar.bottom(), bar.width() + 6, 15)
            painter.drawText(under, Qt.AlignmentFlag.AlignCenter, str(mic.number))
        bar = QRectF(area.right() - 24, area.top(), 22, area.height() - 15)
        meter(painter, bar, heard.master, True, vertical=True)
        painter.setPen(look.TEXT)
        painter.setFont(look.font(11, narrow=True))
        under = QRectF(bar.left() - 8, bar.bottom(), bar.width() + 16, 15)
        silent = heard.master.silent
        painter.drawText(under, Qt.AlignmentFlag.AlignCenter, "silent" if silent else f"{heard.master.hold_db:.0f}")

    # Pressing

    def _cell_at(self, at: QPointF) -> Cell | None:
        return next((cell for cell in self._cells if cell.area.contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = self._cell_at(event.position())
        if self._pressed is not None and self._pressed.kept_down is not None:
            self._timer.start()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._timer.stop()
        cell, self._pressed = self._pressed, None
        if cell is not None and cell.area.contains(event.position()):
            later = event.button() == Qt.MouseButton.RightButton or bool(event.modifiers() & LIVE_MODIFIER)
            cell.pressed(later)

    def _kept_down(self) -> None:
        cell, self._pressed = self._pressed, None
        if cell is not None and cell.kept_down is not None:
            cell.kept_down()


def _clock(seconds: float) -> str:
    whole = int(seconds)
    hours, rest = divmod(whole, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"
