"""Then: what follows Next and whether it will land, and below it how the last cuts landed."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from ribalta.core.engine.automation import macro_runner
from ribalta.core.engine.program.landing import landing_state, parts, time_to_set_s
from ribalta.core.engine.program.switching import busy
from ribalta.core.engine.state.automation_state import Run, VoiceMode
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.playlist_outlook import of_running
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.shots import LandingRecord, LandingState, Shot
from ribalta.core.show.automation.macros import StepKind
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.painting.two_lines import two_lines
from ribalta.desk.widgets.macro_steps import step_words
from ribalta.desk.words.check_words import check_state, check_words
from ribalta.desk.words.playlist_words import playlist_words

NO_CONTACT = "no contact"
LATELY = 10  # so many cuts are looked back on
NOTHING = "Nothing follows Next. Alt and a letter puts a framing here, and its camera goes there ahead."


def row_tall() -> int:
    """Of a shot that follows, with what parts it from the next."""
    return look.scaled(62)


def line_tall() -> int:
    """Of a line of text."""
    return look.scaled(20)


def top() -> int:
    """Where what follows begins."""
    return look.scaled(32)


def outlook(state: LiveState, shot: Shot, now_s: float) -> str:
    """Will it land? In a few words."""
    if busy(state, shot):
        return "goes when its camera is off air" if shot.scene_id is None else "goes when its cameras are off air"
    if any(state.is_next(part.camera_id) for part in parts(state, shot)):
        return "goes after Next"
    landing = landing_state(state, shot, now_s)
    if landing is LandingState.SET:
        return "set"
    if landing is LandingState.NO_CONTACT:
        return NO_CONTACT
    left_s = time_to_set_s(state, shot, now_s)
    return f"set in {look.seconds(left_s)} s" if left_s is not None else "on its way"


def landing_words(record: LandingRecord) -> str:
    """One line of the as-run log."""
    what = " ".join(x for x in (str(record.camera_number or ""), record.framing_name or "") if x)
    verdict = "landed" if record.landed else "did not land"
    parts = [f"{what}: {verdict}"]
    if record.error_percent is not None:
        parts.append(f"{record.error_percent:.1f} % off" if record.error_percent < 100 else "far off")
    if record.held_s > 0.05:
        parts.append(f"held {record.held_s:.1f} s")
    if record.forced:
        parts.append("forced")
    return " · ".join(parts)


def landings_words(records: tuple[LandingRecord, ...]) -> str:
    """How the last cuts landed, in a few words: what missed has lines of its own."""
    last = records[-LATELY:]
    landed = sum(record.landed for record in last)
    if not last:
        return "No cut yet."
    if landed == len(last):
        return "The last cut landed." if landed == 1 else f"The last {landed} cuts landed."
    return f"{landed} of the last {len(last)} cuts landed."


def run_words(state: LiveState, run: Run, now_s: float) -> str:
    """“▶ Opening: wait until camera 2 is set, 1.4 s”."""
    _, step, left_s = macro_runner.step_now(state, run, now_s)
    brief = step.model_copy(update={"seconds": 0.0}) if step is not None and step.kind is not StepKind.WAIT else step
    does = step_words(state, brief) if brief is not None else ""
    left = f", {look.seconds(left_s)} s" if left_s is not None else ""
    paused = "paused, " if run.paused_s is not None else ""
    return f"▶ {run.name}: {paused}{does[:1].lower()}{does[1:]}{left}"


AT_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight


class Then(QWidget):
    """When the show was checked; as many entries as there is room for, and how many more there are; then what runs, and
    which cuts missed."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.setAccessibleName("Then")
        bridge.changed.connect(self.update)

    def accessible_parts(self) -> list[Part]:
        state, now_s = self._bridge.state, self._bridge.now_s
        rows = [Part(area, state.shot_words(shot), outlook(state, shot, now_s)) for shot, area in self._entries()]
        rows += [Part(QRectF(self.rect()), words) for words in self._lines()]
        rows.append(Part(self._check_area(), check_words(self._bridge)))
        return [*rows, Part(QRectF(self.rect()), landings_words(state.program.records))]

    def _lines(self) -> list[str]:
        """What runs by itself, and what it waits for."""
        state, now_s = self._bridge.state, self._bridge.now_s
        lines = [run_words(state, run, now_s) for run in state.automation.runs[:2]]
        if state.voice.mode is not VoiceMode.OFF:
            lines.insert(0, f"Voice: {voice_follow.words(state, now_s)}")
        if state.automation.playlist is not None:
            lines.insert(0, playlist_words(state, now_s))
        return lines[:3]

    def _missed(self) -> list[LandingRecord]:
        return [r for r in reversed(self._bridge.state.program.records[-LATELY:]) if not r.landed][:2]

    def _floor(self) -> float:
        return self.height() - line_tall() * (len(self._lines()) + len(self._missed()) + 1) - 8

    def _entries(self) -> list[tuple[Shot, QRectF]]:
        then = self._bridge.state.program.then
        room = int((self._floor() - top()) // row_tall())
        shown = then if len(then) <= room else then[: max(0, room - 1)]
        return [(shot, QRectF(0, top() + k * row_tall(), self.width(), row_tall() - 6)) for k, shot in enumerate(shown)]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state, now_s = self._bridge.state, self._bridge.now_s
        painter.setFont(look.font(15, look.BOLD))
        painter.setPen(look.TEXT)
        painter.drawText(QRectF(0, 0, self.width(), look.scaled(26)), Qt.AlignmentFlag.AlignVCenter, "Then")
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        painter.setPen(look.WRONG if check_state(self._bridge) else look.SOFT)
        painter.drawText(self._check_area(), AT_RIGHT, check_words(self._bridge))
        coming, late = of_running(state, now_s), {}
        if coming is not None:
            late = {p.shot: f.late_s for p, f in reversed(list(zip(coming.plays, coming.foretold, strict=True)))}
        entries, floor = self._entries(), self._floor()
        for shot, area in entries:
            self._entry(painter, area, shot, now_s, late.get(shot, 0.0))
        painter.setFont(look.font(14))
        painter.setPen(look.SOFT)
        below = QRectF(
            0,
            top() + len(entries) * row_tall(),
            self.width(),
            max(line_tall(), floor - top() - len(entries) * row_tall()),
        )
        if not state.program.then:
            painter.drawText(below, Qt.TextFlag.TextWordWrap, NOTHING)
        elif len(entries) < len(state.program.then):
            painter.drawText(below, 0, f"and {len(state.program.then) - len(entries)} more")
        y = floor + 4
        for words in self._lines():
            self._text(painter, y, words, look.LAMP_WARM)
            y += line_tall()
        for record in self._missed():
            self._text(painter, y, f"! {landing_words(record)}", look.WRONG)
            y += line_tall()
        self._text(painter, y, landings_words(state.program.records), look.SOFT)

    def _text(self, painter: QPainter, y: float, words: str, ink: QColor) -> None:
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        painter.setPen(ink)
        said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(QRectF(0, y, self.width(), line_tall()), Qt.AlignmentFlag.AlignVCenter, said)

    def _check_area(self) -> QRectF:
        """When the show was checked; a click opens it."""
        return QRectF(look.scaled(44), 0, self.width() - look.scaled(44), look.scaled(26))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._check_area().contains(event.position()):
            self._bridge.place_wanted.emit("Check", "Tonight")

    def _entry(self, painter: QPainter, area: QRectF, shot: Shot, now_s: float, late_s: float) -> None:
        state = self._bridge.state
        scene, framing = state.scene(shot), state.framing(shot)
        stored = scene.picture if scene is not None else framing.picture if framing is not None else None
        painter.fillRect(area, look.WOOD)
        wide = area.height() * 16 / 9
        picture = self._bridge.stored_picture(stored, int(wide), int(area.height()))
        if picture is not None:
            painter.drawPixmap(area.topLeft(), picture)
        text = area.adjusted(wide + 8, 0, -4, 0)
        painter.setFont(look.font(14, look.MEDIUM, narrow=True))
        painter.setPen(look.TEXT)
        two_lines(painter, text.adjusted(0, 2, 0, -look.scaled(19)), state.shot_words(shot))
        painter.setFont(look.font(14, narrow=True))
        said = f"! will be {look.seconds(late_s)} s late" if late_s > 0.05 else outlook(state, shot, now_s)
        said = f"! {said}" if said == NO_CONTACT else said
        painter.setPen(look.WRONG if said.startswith("!") else look.LAMP_WARM)
        painter.drawText(text.adjusted(0, area.height() - look.scaled(20), 0, -2), Qt.AlignmentFlag.AlignVCenter, said)
