"""Looking for cameras: only where somebody asked to, with progress, and each one found can be added with one press."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ribalta.core.survey.job import Kind, Remedy
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.fields import Field, button, label
from ribalta.desk.widgets.jobs import Findings

ABOUT = (
    "Ask the network: cameras with ONVIF answer by themselves. Or type one address, such as 192.168.1.20, or a small"
    " range, such as 192.168.1.20-40, to see what answers there. Nothing else is looked at."
)


class FindPage(QWidget):
    """What was found stays until it is closed. `left` when it is."""

    left = Signal()

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.address = Field("Address or range")
        self.address.setPlaceholderText("192.168.1.20-40")
        self.address.returnPressed.connect(self._look)
        self.ask = button("Ask the network", lambda: bridge.camera_jobs.find(""))
        self.look = button("Look here", self._look)
        self.stop = button("Stop", lambda: bridge.camera_jobs.cancel(Kind.FIND, ""))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.words = label(ABOUT, soft=True, wrap=True)
        self.findings = Findings(bridge)
        self.all = button("Add all", self._add_all, "Every one that the show does not have yet, as one edit")
        self.close_it = button("Close", self.left.emit, "Back to the camera that is selected")
        line = QHBoxLayout()
        line.addWidget(self.ask)
        line.addWidget(self.address, 1)
        for part in (self.look, self.stop):
            line.addWidget(part)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.addLayout(line)
        column.addWidget(self.bar)
        column.addWidget(self.words)
        column.addWidget(self.findings, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.all)
        foot.addWidget(self.close_it)
        column.addLayout(foot)

    def _look(self) -> None:
        self._bridge.camera_jobs.find(self.address.text())

    def _offers(self) -> list[Remedy]:
        """What can be added of what was found."""
        job = self._bridge.camera_jobs.jobs.get((Kind.FIND, ""))
        there = {c.control.host for c in self._bridge.state.show.cameras if c.control is not None}
        there |= {c.picture.name for c in self._bridge.state.show.cameras}
        offers = [f.remedy for f in job.findings if f.remedy is not None] if job is not None else []
        return [r for r in offers if not {r.arguments.get("host"), r.arguments.get("picture")} & (there - {""})]

    def _add_all(self) -> None:
        offers = self._offers()
        calls = [{"action": remedy.action, "arguments": dict(remedy.arguments)} for remedy in offers]
        what = f"added {len(calls)} cameras" if len(calls) > 1 else "added a camera"
        self._bridge.act("edit.together", calls=calls, what=what)

    def refresh(self) -> None:
        job = self._bridge.camera_jobs.jobs.get((Kind.FIND, ""))
        running = job is not None and not job.done
        self.stop.setVisible(running)
        self.ask.setEnabled(not running)
        self.look.setEnabled(not running)
        self.bar.setVisible(running)
        self.bar.setValue(int(1000 * job.share) if job is not None else 0)
        self.words.setText(job.sentence if job is not None else ABOUT)
        offers = len(self._offers())
        self.all.setVisible(offers > 1)
        self.all.setText(f"Add all {offers}")
        self.close_it.setVisible(bool(self._bridge.state.show.cameras))
        self.findings.show_findings(job.findings if job is not None else ())
