"""The narrow column beside the board: what lies over program, pads, sound, what is recorded and streamed, bad moments.

A heading or a line opens the place where it is changed; what puts something on air never says that something is wrong.
"""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent

from ribalta.core.engine.state.crew_lists import is_old
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.pad_state import PadLight, pad_state
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.scenes import SLOTS, Title
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.lists.cells import Cell, Cells
from ribalta.desk.widgets.meter import Meters
from ribalta.desk.words.fader_words import bank_words
from ribalta.desk.words.output_words import output_state, output_words
from ribalta.desk.words.slot_words import slot_state

GAP = 5
KEYS = {slot: f"Ctrl+{n}" for n, slot in enumerate(SLOTS, 1)}
MOMENTS = (("Clear", "Y", "clear"), ("Black", "B", "black"), ("Card", "H", "card"))
OUTPUTS = (("recording", "record", "Rec"), ("stream", "stream", "Go live"))
NOTHING = "Titles and insets that are made in Cue are here, to be put on and off."


def row_tall() -> int:
    """Of a line, with what parts it from the next."""
    return look.scaled(24)


def head_tall() -> int:
    """Of a heading."""
    return look.scaled(22)


def moment_tall() -> int:
    """Of a word with its key below it."""
    return look.scaled(38)


def meters_tall() -> int:
    """Of the meters."""
    return look.scaled(62)


class Side(Cells):
    """Click: on or off now. Right click: with the next take."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge)
        self._sound = Meters(bridge)
        self.setAccessibleName("Over the picture, sound and outputs")
        self.setToolTip("Click: on or off now · right click: with the next take")
        bridge.changed.connect(self.refresh)
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

    def _old(self) -> tuple[Title, ...]:
        """Titles that are of another day."""
        state = self._bridge.state
        wall_s = self._bridge.now_s + state.wall_clock.offset_s
        return tuple(t for t in state.show.titles if is_old(state, t, wall_s))

    def cells(self) -> list[Cell]:
        """All that can be pressed, from the top down."""
        state, wide = self._bridge.state, float(self.width())
        made = [self._heading(0, "Over the picture", "Scenes")]
        layers, stale = self._layers(), self._old()
        lines = int((self._meters_area().top() - head_tall() - GAP - head_tall()) // row_tall()) - bool(stale)
        shown = layers if len(layers) <= lines else layers[: max(0, lines - 1)]
        y = head_tall()
        for slot, layer, words in shown:
            made.append(self._layer_cell(QRectF(0, y, wide, row_tall() - 3), state, slot, layer, words))
            y += row_tall()
        if len(shown) < len(layers):
            more = f"{len(layers) - len(shown)} more, in Cue"
            made.append(Cell(QRectF(0, y, wide, row_tall() - 3), more, "words", self._open("Titles")))
            y += row_tall()
        if stale:
            said = f"! {stale[0].name} is not today's" if len(stale) == 1 else f"! {len(stale)} titles are not today's"
            made.append(Cell(QRectF(0, y, wide, row_tall() - 3), said, "words", self._open(f"Titles#{stale[0].id}")))
            y += row_tall()
        made += self._pad_cells(y + GAP)
        made.append(self._heading(self._meters_area().top() - head_tall(), "Sound", "Microphones", bank_words(state)))
        made += [cell for k, output in enumerate(OUTPUTS) for cell in self._output_cells(k, *output)]
        third = (wide - 8) / 3
        for k, (words, key, act) in enumerate(MOMENTS):
            on = {"black": state.program.black.black, "card": state.program.card}.get(act, False)
            area = QRectF(k * (third + 4), self.height() - moment_tall(), third, moment_tall())
            made.append(Cell(area, words, "runs" if on else "", lambda _, act=act: self._bridge.act(act), key))  # type: ignore[misc]
        return made

    def _open(self, page: str, view: str = "Cue") -> Callable[[bool], None]:
        return lambda _: self._bridge.place_wanted.emit(view, page)

    def _heading(self, y: float, words: str, page: str, note: str = "") -> Cell:
        return Cell(QRectF(0, y, self.width(), head_tall() - 2), words, "heading", self._open(page), note)

    def _pad_cells(self, y: float) -> list[Cell]:
        """The first pads of the first page, two in a row, as many as there is room for; F9 shows all."""
        state, now_s = self._bridge.state, self._bridge.now_s
        rows = int((self._meters_area().top() - head_tall() - GAP - y - head_tall()) // row_tall())
        if rows < 1 or not state.show.pages:
            return []
        page, half = state.show.pages[0], (self.width() - 4) / 2
        made = [Cell(QRectF(0, y, self.width(), head_tall() - 2), "Pads", "heading", self._open("Pads"), "F9 all")]
        for k, pad in enumerate(page.pads[: 2 * rows]):
            area = QRectF(k % 2 * (half + 4), y + head_tall() + k // 2 * row_tall(), half, row_tall() - 3)
            light = pad_state(state, pad, now_s).light
            how = {PadLight.ON_AIR: "on", PadLight.NEXT: "next", PadLight.BUSY: "runs"}.get(light, "")
            made.append(Cell(area, pad.label, how, partial(self._press_pad, page.id, pad.at), pad=True))
        return made

    def _press_pad(self, page_id: str, at: int, long: bool) -> None:
        self._bridge.act("pad.press", pads=page_id, at=at, long=long)

    def _layer_cell(self, area: QRectF, state: LiveState, slot: str, layer: object, words: str) -> Cell:
        title = state.show.titled(layer) if isinstance(layer, str) else None

        def press(with_next: bool) -> None:
            if title is not None:
                self._bridge.act("title.switch", title=title.id, with_next=with_next)
            else:
                self._bridge.act("layer.switch", slot=slot, with_next=with_next)

        return Cell(area, words, slot_state(state, slot, layer), press, KEYS[slot])

    def _output_cells(self, k: int, name: str, action: str, starts: str) -> list[Cell]:
        """How it goes, which opens Outputs; and what starts it, or stops it when it is held."""
        y, on = self._top_of_outputs() + k * row_tall(), self._bridge.state.output(name).on
        wide, press = float(self.width()), look.scaled(58)
        call = Call(action=action, arguments={"on": True})
        words = Cell(
            QRectF(0, y, wide - press - 4, row_tall() - 3),
            output_words(self._bridge, name),
            "words",
            self._open("Outputs", "Rig"),
        )
        does = Cell(
            QRectF(wide - press, y, press, row_tall() - 3),
            "Stop" if on else starts,
            "runs" if on else "wrong" if output_state(self._bridge, name) == "wrong" else "",
            lambda _: None,
            call=call,
        )
        return [words, does]

    def _top_of_outputs(self) -> float:
        return self.height() - moment_tall() - GAP - 2 * row_tall()

    def _meters_area(self) -> QRectF:
        return QRectF(0, self._top_of_outputs() - GAP - meters_tall(), self.width(), meters_tall())

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        meters = self._meters_area()
        if meters.toAlignedRect().contains(event.rect()):
            self._bridge.give_way()
            self._sound.paint(painter, meters)
            return
        cells = self.to_paint(event)
        if not self._layers():
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            area = QRectF(0, head_tall(), self.width(), meters.top() - 2 * head_tall())
            painter.drawText(area, Qt.TextFlag.TextWordWrap, NOTHING)
        for cell in cells:
            if cell.area.height() == moment_tall():
                self._moment(painter, cell)
            else:
                self.paint_cell(painter, cell)
        if event.region().intersects(meters.toAlignedRect()):
            self._sound.paint(painter, meters)
        self.paint_focus(painter)

    def _moment(self, painter: QPainter, cell: Cell) -> None:
        """A word and its key below it."""
        on = cell.state == "runs"
        painter.fillRect(cell.area, look.LAMP_WARM if on else look.RAIL)
        painter.setPen(look.INK if on else look.TEXT)
        middle = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
        painter.setFont(look.font(14, look.MEDIUM))
        painter.drawText(cell.area.adjusted(0, 1, 0, -cell.area.height() / 2 + 2), middle, cell.words)
        painter.setPen(look.INK if on else look.SOFT)
        painter.setFont(look.font(14, narrow=True))
        painter.drawText(cell.area.adjusted(0, cell.area.height() / 2 - 1, 0, -1), middle, cell.note)
