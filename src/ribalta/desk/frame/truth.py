"""Is it still true? What comparing came to, mending one framing, sweeping cameras, and re-levelling after a bump."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ribalta.core.engine.program.framing_checks import bump_of
from ribalta.core.engine.state.live import LiveState
from ribalta.core.optics.bump import Bump
from ribalta.core.ports.shots import Judgement
from ribalta.core.show.document.model import Camera, Framing
from ribalta.core.survey.job import Kind
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.jobs import JobPage
from ribalta.desk.words.framing_words import off_percent

ABOUT = (
    "A sweep sends each camera that is off air to all of its framings, compares what it shows with their pictures,"
    " and finds a camera that was knocked."
)


def verdict_words(state: LiveState, framing: Framing | None) -> str:
    """What is known of a framing's truth, in a sentence."""
    if framing is None:
        return "Choose a framing to see whether it is still true."
    verdict = state.verdicts.get(framing.id)
    if verdict is None:
        return f"“{framing.name}”: not compared yet. Send the camera there."
    if verdict.judgement is Judgement.HOLDS:
        lean = f", though it leans by {abs(verdict.turn_deg):.1f}°" if abs(verdict.turn_deg) > 0.4 else ""
        return f"“{framing.name}” holds: {verdict.off_percent:.1f} % off its picture{lean}."
    if verdict.judgement is Judgement.UNCLEAR:
        return f"“{framing.name}” looks too different from its picture to compare. Has everything changed?"
    if verdict.judgement is Judgement.CHANGED:
        return f"“{framing.name}”: the aim holds, but the scene is another. Take a new picture?"
    off = off_percent(state, framing, verdict)
    return f"“{framing.name}” is {off:.1f} % off its picture. Aim it anew, or take a new picture?"


def preview(bump: Bump, camera: Camera, state: LiveState) -> str:
    """What re-levelling would do, and which framings disagree."""
    count = sum(f.camera_id == camera.id for f in state.show.framings)
    said = f"Knocked {bump.words(camera.place.hung)}. Re-levelling aims all {count} framings anew;"
    worst = max(bump.left_percent, default=0.0)
    said += f" those that were compared would be {worst:.1f} % off at most."
    if bump.disagree:
        said += f" Do not fit the others: {', '.join(bump.disagree)}."
    return said


class TruthPage(JobPage):
    """One framing in the first line, all of a camera below."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge, Kind.SWEEP, "Sweep this camera", ABOUT)
        self._framing: Framing | None = None
        self._key: tuple[object, ...] = ()
        self.verdict = label("", wrap=True)
        self.nudge = button("Aim it anew  M", lambda: self._ask("framing.nudge"), "By the offset that was measured")
        self.retake = button("New picture  B", lambda: self._ask("framing.retake"), "The aim stays")
        self.level = button("Re-level", self._level, "All framings of this camera at once; Ctrl+Z undoes it")
        self.all.setText("All that are off air")
        self.preview = label("", soft=True, wrap=True)
        first = QWidget()
        line = QHBoxLayout(first)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.verdict, 1)
        line.addWidget(self.nudge)
        line.addWidget(self.retake)
        second = QWidget()
        line = QHBoxLayout(second)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.preview, 1)
        line.addWidget(self.level)
        self._second = second
        self.column.insertWidget(0, first)
        self.column.insertWidget(3, second)
        for part in (self.nudge, self.retake, self.level, self.begin, self.all, self.stop):
            part.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_framing(self, camera: Camera | None, framing: Framing | None) -> None:
        state = self._bridge.state
        self._framing = framing
        self.show_camera(camera)
        self.verdict.setText(verdict_words(state, framing))
        verdict = state.verdicts.get(framing.id) if framing is not None else None
        self.nudge.setEnabled(verdict is not None and verdict.judgement is Judgement.OFF)
        live = state.live(camera.id) if camera is not None else None
        self.retake.setEnabled(framing is not None and live is not None and live.goal_framing_id == framing.id)
        self._show_preview(camera)

    def _show_preview(self, camera: Camera | None) -> None:
        state = self._bridge.state
        off = [f for f in state.show.framings if camera is not None and f.camera_id == camera.id]
        off = [f for f in off if (v := state.verdicts.get(f.id)) is not None and v.judgement is Judgement.OFF]
        if camera is None or len(off) < 2:
            self._second.setVisible(False)
            return
        key = tuple(state.verdicts[f.id] for f in off)
        if self._key != key:  # solving takes a moment: only when something new was measured
            self._key = key
            try:
                self.preview.setText(preview(bump_of(state, camera), camera, state))
                self.level.setEnabled(True)
            except ValueError as error:
                self.preview.setText(f"It cannot be re-levelled yet: {error}.")
                self.level.setEnabled(False)
        self._second.setVisible(True)

    def opening(self, camera: Camera | None) -> str:
        return ABOUT

    def _ask(self, action: str) -> None:
        camera = self._camera
        if camera is not None and self._framing is not None:
            place = {"letter": self._framing.letter, "page": self._framing.page}
            self._bridge.act(action, camera=camera.number, **place)

    def _level(self) -> None:
        if self._camera is not None:
            self._bridge.act("camera.relevel", camera=self._camera.number)
