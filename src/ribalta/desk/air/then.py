"""Then: what follows Next and whether it will land, and below it how the last cuts landed."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
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
from ribalta.desk.widgets import look
from ribalta.desk.widgets.macro_steps import step_words
from ribalta.desk.widgets.playlist_words import playlist_words

ROW = 44
RECORD = 19


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
        return "no contact"
    return f"set in {look.seconds(time_to_set_s(state, shot, now_s))} s"


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


def run_words(state: LiveState, run: Run, now_s: float) -> str:
    """“▶ Opening: wait until camera 2 is set, 1.4 s”."""
    _, step, left_s = macro_runner.step_now(state, run, now_s)
    brief = step.model_copy(update={"seconds": 0.0}) if step is not None and step.kind is not StepKind.WAIT else step
    does = step_words(state, brief) if brief is not None else ""
    left = f", {look.seconds(left_s)} s" if left_s is not None else ""
    paused = "paused, " if run.paused_s is not None else ""
    return f"▶ {run.name}: {paused}{does[:1].lower()}{does[1:]}{left}"


class Then(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.setAccessibleName("Then")
        bridge.changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state, now_s = self._bridge.state, self._bridge.now_s
        painter.setFont(look.font(15, look.BOLD))
        painter.setPen(look.TEXT)
        painter.drawText(QRectF(0, 0, self.width(), 26), Qt.AlignmentFlag.AlignVCenter, "Then")
        lines = [run_words(state, run, now_s) for run in state.automation.runs[:2]]
        if state.voice.mode is not VoiceMode.OFF:
            lines.insert(0, f"Voice: {voice_follow.words(state, now_s)}")
        if state.automation.playlist is not None:
            lines.insert(0, playlist_words(state, now_s))
        lines = lines[:3]
        records = state.program.records[-(4 - len(lines)) :]
        coming = of_running(state, now_s)
        late = (
            {p.shot: f.late_s for p, f in reversed(list(zip(coming.plays, coming.foretold, strict=True)))}
            if coming
            else {}
        )
        floor = self.height() - (RECORD * 4 + 30)
        y = 32.0
        for shot in state.program.then:
            if y + ROW > floor:
                break
            self._entry(painter, QRectF(0, y, self.width(), ROW - 6), shot, now_s, late.get(shot, 0.0))
            y += ROW
        if not state.program.then:
            painter.setFont(look.font(14))
            painter.setPen(look.SOFT)
            said = "Nothing follows Next. Alt and a letter puts a framing here, and its camera goes there ahead."
            painter.drawText(QRectF(0, y, self.width(), floor - y), Qt.TextFlag.TextWordWrap, said)
        under = QRectF(0, floor + 6, self.width(), RECORD * 4 + 24)
        for words in lines:
            self._run(painter, QRectF(0, under.top(), self.width(), RECORD), words)
            under = under.adjusted(0, RECORD, 0, 0)
        self._log(painter, under, records)

    def _run(self, painter: QPainter, area: QRectF, words: str) -> None:
        """A macro that runs: what it waits for, and how long still."""
        painter.setFont(look.font(13, look.MEDIUM, narrow=True))
        painter.setPen(look.LAMP_WARM)
        said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(area.width()))
        painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, said)

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
        name = state.shot_words(shot)
        elided = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(text.width()))
        painter.drawText(text.adjusted(0, 2, 0, -area.height() / 2), Qt.AlignmentFlag.AlignVCenter, elided)
        painter.setFont(look.font(12, narrow=True))
        painter.setPen(look.WRONG if late_s > 0.05 else look.LAMP_WARM)
        said = f"will be {look.seconds(late_s)} s late" if late_s > 0.05 else outlook(state, shot, now_s)
        painter.drawText(text.adjusted(0, area.height() / 2, 0, -2), Qt.AlignmentFlag.AlignVCenter, said)

    def _log(self, painter: QPainter, area: QRectF, records: tuple[LandingRecord, ...]) -> None:
        painter.setPen(look.LINE)
        painter.drawLine(area.topLeft(), area.topRight())
        painter.setFont(look.font(13, look.BOLD))
        painter.setPen(look.SOFT)
        painter.drawText(area.adjusted(0, 6, 0, 0), 0, "How the last cuts landed")
        painter.setFont(look.font(13, narrow=True))
        for i, record in enumerate(reversed(records)):
            painter.setPen(look.TEXT if record.landed else look.WRONG)
            line = area.adjusted(0, 26 + i * RECORD, 0, 0)
            said = painter.fontMetrics().elidedText(
                landing_words(record), Qt.TextElideMode.ElideRight, int(area.width())
            )
            painter.drawText(line, 0, said)
        if not records:
            painter.drawText(area.adjusted(0, 26, 0, 0), 0, "No cut yet.")
