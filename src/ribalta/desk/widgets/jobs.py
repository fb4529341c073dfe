"""Checking and measuring a camera: a button, a line of progress, and what was found, each with its remedy."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QScrollArea, QVBoxLayout, QWidget

from ribalta.core.show.document.camera import Measured
from ribalta.core.show.document.model import Camera
from ribalta.core.survey.job import Finding, Job, Kind
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.fit import FitChart

SIGNS = {True: "fine", False: "wrong", None: "–"}


class Findings(QScrollArea):
    """The lines of a result. Words and weight carry the meaning, not colour."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._shown: tuple[Finding, ...] | None = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_findings(self, findings: tuple[Finding, ...]) -> None:
        if findings == self._shown:
            return
        self._shown = findings
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        for finding in findings:
            column.addWidget(self._line(finding))
        column.addStretch(1)
        self.setWidget(inside)
        self.ensureVisible(0, inside.sizeHint().height())

    def _line(self, finding: Finding) -> QWidget:
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(10)
        sign = label(SIGNS[finding.fine])
        sign.setFixedWidth(look.scaled(52))
        if finding.fine is False:
            sign.setFont(look.font(14, look.BOLD))
            palette = sign.palette()
            palette.setColor(sign.foregroundRole(), look.WRONG)
            sign.setPalette(palette)
        line.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(label(finding.sentence, soft=finding.fine is not False, wrap=True), 1)
        if finding.remedy is not None:
            remedy = finding.remedy
            act = partial(self._bridge.act, remedy.action, **remedy.arguments)
            line.addWidget(button(remedy.label, act), 0, Qt.AlignmentFlag.AlignTop)
        return made


class JobPage(QWidget):
    """One kind of work on the chosen camera, or on all steered ones where that is wanted here."""

    def __init__(self, bridge: Bridge, kind: Kind, begin: str, about: str) -> None:
        super().__init__()
        self._bridge, self._kind, self._about = bridge, kind, about
        self._camera: Camera | None = None
        self.begin = button(begin, self._begin_one)
        self.all = button("All cameras", self._begin_all)
        self.stop = button("Stop", self._stop)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.words = label("", soft=True, wrap=True)
        self.findings = Findings(bridge)
        line = QHBoxLayout()
        for part in (self.begin, *(() if kind is Kind.CHECK else (self.all,)), self.stop):
            line.addWidget(part)
        line.addWidget(self.bar, 1)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 4, 0, 0)
        self.column.addLayout(line)
        self.column.addWidget(self.words)
        self.column.addWidget(self.findings, 1)

    @property
    def job(self) -> Job | None:
        return self._bridge.camera_jobs.jobs.get((self._kind, self._camera.id)) if self._camera is not None else None

    def show_camera(self, camera: Camera | None) -> None:
        self._camera = camera
        job = self.job
        running = job is not None and not job.done
        self.begin.setEnabled(camera is not None and not running)
        self.stop.setVisible(running)
        self.bar.setVisible(running)
        self.bar.setValue(int(1000 * job.share) if job is not None else 0)
        self.words.setText(job.sentence if job is not None else self.opening(camera))
        self.findings.show_findings(job.findings if job is not None else ())

    def opening(self, camera: Camera | None) -> str:
        return self._about

    def _begin_one(self) -> None:
        if self._camera is not None:
            self._bridge.camera_jobs.begin(self._kind, self._camera.id)

    def _begin_all(self) -> None:
        for camera in self._bridge.state.show.cameras:
            if camera.steered:
                self._bridge.camera_jobs.begin(self._kind, camera.id)

    def _stop(self) -> None:
        if self._camera is not None:
            self._bridge.camera_jobs.cancel(self._kind, self._camera.id)


TRUSTED_MS, ROUGH_MS = 250.0, 600.0  # how far the seconds on the board may be off, in 95 of 100 moves


def verdict(known: Measured) -> str:
    """What a measurement means for who reads the board, in a sentence."""
    off = f"95 of 100 are right within {known.p95_error_ms / 1000:.1f} s"
    if known.p95_error_ms <= TRUSTED_MS:
        return f"Measured: its seconds on the board can be trusted ({off})."
    if known.p95_error_ms <= ROUGH_MS:
        return f"Measured: its seconds on the board are rough ({off})."
    return (
        f"Measured, but its seconds on the board cannot be trusted ({off}): measure it again while nothing disturbs it."
    )


class MeasurePage(JobPage):
    """What was measured of the camera comes to one verdict; the figures behind it are folded away."""

    def __init__(self, bridge: Bridge, kind: Kind, begin: str, about: str) -> None:
        super().__init__(bridge, kind, begin, about)
        self.fold = button("Figures", self._fold, "How well it foretells, move by move")
        self.fold.setCheckable(True)
        self.fit = FitChart()
        self.figures = label("", soft=True, wrap=True)
        self.column.insertWidget(2, self.fold, 0, Qt.AlignmentFlag.AlignLeft)
        self.column.insertWidget(3, self.figures)
        self.column.insertWidget(4, self.fit)

    def show_camera(self, camera: Camera | None) -> None:
        super().show_camera(camera)
        running = self.job is not None and not self.job.done
        known = camera.measured if camera is not None and not running else None
        self.fold.setVisible(known is not None)
        unfolded = known is not None and self.fold.isChecked()
        self.figures.setVisible(unfolded)
        self.findings.setVisible(running or unfolded or known is None)
        self.fit.show_measured(known if unfolded else None)
        if known is not None and camera is not None:
            self.figures.setText(self._figures(camera, known))
            failed = self.job is not None and not self.job.good
            self.words.setText(f"{self.job.sentence} {verdict(known)}" if failed and self.job else verdict(known))

    def _fold(self) -> None:
        self.show_camera(self._camera)

    @staticmethod
    def _figures(camera: Camera, known: Measured) -> str:
        said = (
            f"Foretold and needed seconds of {known.moves} fresh moves: median error {100 * known.median_error:.1f} %,"
            f" 95 of 100 within {known.p95_error_ms:.0f} ms."
        )
        if known.hfov_error_max is not None:
            said += f" Field of view: within {100 * known.hfov_error_max:.1f} %."
        return f"{said} Picture delay {camera.picture.delay_s * 1000:.0f} ms."
