"""All cameras checked at once, and one summary of it: which are well, which are not, and what is wrong with each."""

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ribalta.core.show.document.model import Camera
from ribalta.core.survey.job import Job, Kind, Remedy
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow

ABOUT = "Looks at every camera, step by step, and says in one list which are well and what is wrong with the others."


def row_of(camera: Camera, job: Job | None) -> ListRow:
    """A camera's line of the summary."""
    name = f"{camera.number}  {camera.name}"
    if job is None:
        return ListRow(camera.id, f"{name}   not checked yet", look.SOFT)
    if not job.done:
        return ListRow(camera.id, f"{name}   {job.share:.0%}", look.LAMP_WARM)
    wrong = [f.sentence for f in job.findings if f.fine is False]
    if not wrong:
        return ListRow(camera.id, f"{name}   is well")
    more = f" (and {len(wrong) - 1} more)" if len(wrong) > 1 else ""
    return ListRow(camera.id, f"{name}   {wrong[0]}{more}", look.WRONG, "\n".join(wrong))


def summary(cameras: list[Camera], jobs: list[Job | None]) -> str:
    """What all of it comes to, in a sentence."""
    done = [job for job in jobs if job is not None and job.done]
    running = [job for job in jobs if job is not None and not job.done]
    if running:
        return f"Checking: {len(done)} of {len(cameras)} cameras done."
    if not done:
        return ABOUT
    bad = [c.number for c, job in zip(cameras, jobs, strict=True) if job is not None and not job.good]
    if not bad:
        return "The one camera is well." if len(done) == 1 else f"All {len(done)} cameras are well."
    numbers = ", ".join(map(str, bad))
    some = f"Camera {numbers} has" if len(bad) == 1 else f"Cameras {numbers} have"
    return f"{some} something wrong, {len(done) - len(bad)} of {len(done)} are well. Select one to see what to do."


class CheckAllPage(QWidget):
    """`chosen` gets the camera that is to be looked at closer. `left` when this is closed."""

    left = Signal()

    def __init__(self, bridge: Bridge, chosen: Callable[[str], None]) -> None:
        super().__init__()
        self._bridge = bridge
        self.begin = button("Check all", self.check)
        self.stop = button("Stop", self._stop)
        self.mend = button(
            "Fix what can be fixed", self._mend, "What one press would do about each camera, as one edit"
        )
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.said = label("", wrap=True)
        self.said.setFont(look.font(16, look.MEDIUM))
        self.list = Listing("Summary of the check", chosen)
        self.list.setWordWrap(True)
        head = QHBoxLayout()
        head.addWidget(self.begin)
        head.addWidget(self.stop)
        head.addWidget(self.mend)
        head.addWidget(self.bar, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button("Close", self.left.emit, "Back to the camera that is selected"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.addLayout(head)
        column.addWidget(self.said)
        column.addWidget(self.list, 1)
        column.addLayout(foot)

    def check(self) -> None:
        """Begin with every camera."""
        for camera in self._bridge.state.show.cameras:
            self._bridge.camera_jobs.begin(Kind.CHECK, camera.id)
        self.refresh()

    def _stop(self) -> None:
        for camera in self._bridge.state.show.cameras:
            self._bridge.camera_jobs.cancel(Kind.CHECK, camera.id)

    def _remedies(self) -> list[Remedy]:
        """The first that each camera's check offers."""
        found = self._bridge.camera_jobs.jobs
        jobs = (found.get((Kind.CHECK, camera.id)) for camera in self._bridge.state.show.cameras)
        offered = ([f.remedy for f in job.findings if f.remedy is not None] for job in jobs if job and job.done)
        return [remedies[0] for remedies in offered if remedies]

    def _mend(self) -> None:
        calls = [{"action": one.action, "arguments": dict(one.arguments)} for one in self._remedies()]
        if calls:
            self._bridge.act("edit.together", calls=calls, what="fixed what the check found")

    def refresh(self) -> None:
        cameras = sorted(self._bridge.state.show.cameras, key=lambda c: c.number)
        found = self._bridge.camera_jobs.jobs
        jobs = [found.get((Kind.CHECK, camera.id)) for camera in cameras]
        running = any(job is not None and not job.done for job in jobs)
        shares = [1.0 if job is not None and job.done else job.share if job is not None else 0.0 for job in jobs]
        self.begin.setEnabled(bool(cameras) and not running)
        self.stop.setVisible(running)
        self.bar.setVisible(running)
        self.mend.setVisible(not running and bool(self._remedies()))
        self.bar.setValue(int(1000 * sum(shares) / max(1, len(shares))))
        self.said.setText(summary(cameras, jobs) if cameras else "No cameras yet: add or find some first.")
        self.list.fill([row_of(camera, job) for camera, job in zip(cameras, jobs, strict=True)], None)
