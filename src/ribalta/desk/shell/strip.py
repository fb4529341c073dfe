"""The strip below every view but Air: what is on air and next, sound, outputs, and the keys that always work."""

from functools import partial

from PySide6.QtCore import QPoint, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ribalta.core.engine.actions.automation.stopping import runs
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.show.automation.calls import Call
from ribalta.desk.bridge import Bridge, one_shot
from ribalta.desk.painting import look
from ribalta.desk.widgets import footlights
from ribalta.desk.widgets.meter import Meters
from ribalta.desk.words.check_words import check_words
from ribalta.desk.words.fader_words import bank_words
from ribalta.desk.words.output_words import clock_words, output_state, output_words

TALL = 78  # at the usual size of text
MOST_EDITS = 15  # in the menu
NO_EDIT = "Nothing was changed that could be undone."
PLACES = {"program": ("On air", footlights.Tally.ON_AIR), "next": ("Next", footlights.Tally.NEXT)}
BUTTONS = (("Take", "take"), ("Cover", "cover"), ("Black", "black"))
BELOW = (("Clear", "clear"), ("Stop what runs", "stop.running"), ("Undo", "edit.undo"))


class SmallPicture(QWidget):
    """On air or Next: its picture, lamps and word."""

    def __init__(self, bridge: Bridge, place: str) -> None:
        super().__init__()
        self._bridge, self._place = bridge, place
        self.setFixedSize((TALL - 9) * 16 // 9, TALL)
        self.setAccessibleName(PLACES[place][0])
        bridge.tick.connect(self.update)

    def size_wanted(self) -> tuple[int, int]:
        return self.width(), self.height() - 9

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, state = QPainter(self), self._bridge.state
        shot = state.program.on_air if self._place == "program" else state.program.next
        area = QRectF(0, 0, *self.size_wanted())
        image = self._bridge.picture_of(f"{self._place}@strip") if shot is not None else None
        if image is not None:
            painter.drawImage(area.topLeft() if image.width() == int(area.width()) else area, image)
        else:
            painter.fillRect(area, look.WOOD)
        if shot is None:
            return
        lights = footlights.of_shot(state, shot, PLACES[self._place][1], self._bridge.now_s)
        footlights.paint(painter, QRectF(0, area.bottom() + 1, area.width(), 8), lights, 10)
        footlights.paint_words(painter, area, lights, 14)


class Names(QWidget):
    """What is on air and for how long, what is next, and what runs by itself."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.setMinimumWidth(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(look.scaled(TALL))
        bridge.changed.connect(self.update)

    def lines(self) -> list[tuple[str, str, str]]:
        """(heading, name, seconds)."""
        state, now_s = self._bridge.state, self._bridge.now_s
        shots = state.program.on_air, state.program.next
        going, bank = runs(state), bank_words(state)
        hands = [f"faders: {bank}"] if bank else []
        gone = clock_words(now_s - state.program.since_s) if shots[0] is not None else ""
        return [
            ("On air", state.shot_words(shots[0]) if shots[0] is not None else "nothing yet", gone),
            ("Next", state.shot_words(shots[1]) if shots[1] is not None else "nothing is readied", ""),
            ("Runs" if going else "Hands", ", ".join([*going, *hands]), "")
            if going or hands
            else ("Check", check_words(self._bridge), ""),
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for k, (heading, name, seconds) in enumerate(self.lines()):
            if not name:
                continue
            line = QRectF(0, k * look.scaled(25), self.width(), look.scaled(24))
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, heading)
            painter.setFont(look.font(15, look.MEDIUM, narrow=True))
            painter.setPen(look.LAMP_WARM if heading == "Runs" else look.TEXT)
            right = painter.fontMetrics().horizontalAdvance(seconds) + 12 if seconds else 0
            room = line.adjusted(look.scaled(54), 0, -right, 0)
            said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room.width()))
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)
            after = room.adjusted(painter.fontMetrics().horizontalAdvance(said) + 12, 0, right, 0)
            painter.drawText(after, Qt.AlignmentFlag.AlignVCenter, seconds)


class KeyedButton(QPushButton):
    """A word, and below or beside it the key that does the same. What stops something has to be held."""

    def __init__(self, bridge: Bridge, word: str, call: Call, chord: str) -> None:
        super().__init__()
        self._bridge, self.word, self._call, self.chord = bridge, word, call, chord
        self.state = ""
        self.setAccessibleName(f"{word}, {chord}" if chord else word)
        row = CATALOGUE.by_id[call.action]
        self.setToolTip(f"{row.sentence}{f': {chord}' if chord else ''}")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setFixedHeight((look.scaled(TALL) - 4) // 2)
        self.pressed.connect(self._down)
        self.released.connect(bridge.let_go)

    def _down(self) -> None:
        self._bridge.begin(self._call)

    def say(self, word: str, state: str) -> None:
        """`state`: "" as usual, "on" it runs, "wrong" something is the matter with it."""
        if (word, state) != (self.word, self.state):
            self.word, self.state = word, state
            self.setAccessibleName(f"{word}, {self.chord}" if self.chord else word)
            self.update()

    def sizeHint(self) -> QSize:
        metrics = QFontMetrics(look.font(14, look.MEDIUM, narrow=True))
        wide = max(metrics.horizontalAdvance(self.word), metrics.horizontalAdvance(self.chord)) + 20
        return QSize(max(96, wide), (look.scaled(TALL) - 4) // 2)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        inside = QRectF(self.rect()).adjusted(8, 2, -8, -2)
        if self.state == "on":
            painter.fillRect(QRectF(1, 1, 4, self.height() - 2), look.LAMP_WARM)
        painter.setPen(look.WRONG if self.state == "wrong" else look.TEXT)
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        two = bool(self.chord)
        upper = inside.adjusted(0, 0, 0, -inside.height() / 2 + 1) if two else inside
        said = painter.fontMetrics().elidedText(self.word, Qt.TextElideMode.ElideRight, int(inside.width()))
        painter.drawText(upper, Qt.AlignmentFlag.AlignVCenter, said)
        if two:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(14, narrow=True))
            lower = inside.adjusted(0, inside.height() / 2 - 1, 0, 0)
            painter.drawText(lower, Qt.AlignmentFlag.AlignVCenter, self.chord)


class SoundPart(QWidget):
    """The meters; a click opens where sound is changed."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge, self._meters = bridge, Meters(bridge)
        self.setFixedSize(66 + look.scaled(66), look.scaled(TALL))
        self.setAccessibleName("Sound")
        self.setToolTip("Sound: a click opens it in Cue")
        bridge.tick.connect(self._tick)
        self._ticks = 0

    def _tick(self) -> None:
        self._ticks += 1
        if self._ticks % 3 == 0:
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        self._meters.paint(QPainter(self), QRectF(self.rect()).adjusted(0, 2, 0, 0))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._bridge.place_wanted.emit("Cue", "Microphones")


class Strip(QWidget):
    """Hidden on Air, which has all of this larger."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.setFixedHeight(look.scaled(TALL))
        self._sizes = one_shot(self, 0, self._tell_sizes)
        self.pictures = {place: SmallPicture(bridge, place) for place in PLACES}
        self.names = Names(bridge)
        self.buttons: dict[str, KeyedButton] = {}
        keys = QGridLayout()
        keys.setContentsMargins(0, 0, 0, 0)
        keys.setSpacing(4)
        for row, words in enumerate((BUTTONS, BELOW)):
            for column, (word, action) in enumerate(words):
                made = self.buttons[action] = KeyedButton(bridge, word, Call(action=action), chord_of(action))
                keys.addWidget(made, row, column)
        outputs = QVBoxLayout()
        outputs.setContentsMargins(0, 0, 0, 0)
        outputs.setSpacing(4)
        for name, action in (("recording", "record"), ("stream", "stream")):
            call = Call(action=action, arguments={"on": True})
            made = self.buttons[action] = KeyedButton(bridge, name, call, chord_of(action))
            made.setMinimumWidth(look.scaled(150))
            outputs.addWidget(made)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        for part in (*self.pictures.values(), self.names):
            line.addWidget(part)
        line.addLayout(keys)
        line.addWidget(SoundPart(bridge))
        line.addLayout(outputs)
        undo = self.buttons["edit.undo"]
        undo.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        undo.customContextMenuRequested.connect(self.open_edits)
        bridge.changed.connect(self.refresh)
        self.refresh()

    def open_edits(self) -> QMenu:
        """The last edits, to undo down to one of them, and what was undone, to redo up to one."""
        edits, menu = self._bridge.state.edits, QMenu(self)
        for words, verb, action in ((edits.undo_words, "Undo", "edit.undo"), (edits.redo_words, "Redo", "edit.redo")):
            for k, said in enumerate(reversed(words[-MOST_EDITS:]), 1):
                call = Call(action=action, arguments={"steps": k})
                to = "" if k == 1 else f"{k} edits, "
                menu.addAction(f"{verb} {to}{said}").triggered.connect(partial(self._run, call))
            menu.addSeparator()
        if menu.isEmpty():
            menu.addAction(NO_EDIT).setEnabled(False)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.buttons["edit.undo"].mapToGlobal(QPoint(0, 0)))
        return menu

    def _run(self, call: Call, _: bool = False) -> None:
        self._bridge.call(call)

    def refresh(self) -> None:
        if not self.isVisible():
            return
        state = self._bridge.state
        for name, action in (("recording", "record"), ("stream", "stream")):
            self.buttons[action].say(output_words(self._bridge, name), output_state(self._bridge, name))
        black = state.program.black.black
        self.buttons["black"].say("Black is on" if black else "Black", "wrong" if black else "")
        edits = state.edits.undo_words
        self.buttons["edit.undo"].setToolTip(f"Undo: {edits[-1]} · right click: the last edits" if edits else NO_EDIT)
        self.buttons["stop.running"].say("Stop what runs", "on" if runs(state) else "")

    def shown(self) -> None:
        self._sizes.start()
        self.refresh()

    def _tell_sizes(self) -> None:
        sizes = {f"{place}@strip": part.size_wanted() for place, part in self.pictures.items()}
        self._bridge.show_at("strip", sizes if self.isVisible() else {})

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.shown()


def chord_of(action: str) -> str:
    """The first key of an action that works in every view; empty when there is none."""
    return next(iter(CATALOGUE.by_id[action].chords), "")
