"""What a rehearsal came to, in place of the travel chart until it is closed."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.engine.dryrun.rehearsal import Report, rehearse
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Show
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.workers.crew import Crew

AN_HOUR_S = 3600.0


class RehearsalReport(QWidget):
    """Hides what it is shown `instead` of. `done` comes from a thread of its own."""

    done = Signal(str, object)

    def __init__(self, instead: QWidget, crew: Crew) -> None:
        super().__init__()
        self._crew = crew
        self._instead = instead
        self.head = label("")
        self.lines = Listing("What the rehearsal came to", lambda key: None)
        line = QHBoxLayout()
        line.addWidget(self.head, 1)
        line.addWidget(button("Back to the chart", self.close_report))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(line)
        column.addWidget(self.lines, 1)
        self.done.connect(self._show)
        self.hide()

    def rehearse(self, show: Show, call: Call, name: str) -> None:
        """At most an hour of the show, which takes some seconds."""
        self._instead.hide()
        self.head.setText(f"“{name}” is being rehearsed …")
        self.lines.fill([], None)
        self.show()
        done = lambda: self.done.emit(name, rehearse(show, call, AN_HOUR_S))  # noqa: E731
        self._crew.begin("rehearsal", done, lambda said: self.done.emit(name, said))

    def close_report(self) -> None:
        self.hide()
        self._instead.show()

    def _show(self, name: str, report: Report | str) -> None:
        """Or why there is none."""
        if isinstance(report, str):
            self.head.setText(report)
            return
        count, minutes = len(report.shots), report.seconds / 60
        long = f"{minutes:.0f} min" if minutes >= 2 else f"{report.seconds:.0f} s"
        lengths = sorted(seconds for _, seconds, _, _ in report.shots[:-1])
        usual = f", shots of {lengths[0]:.1f} to {lengths[-1]:.1f} s" if lengths else ""
        self.head.setText(f"“{name}”, {long} rehearsed: {report.landed} of {count} cuts land{usual}")
        cameras = ", ".join(f"{camera} {seconds:.0f} s" for camera, seconds in report.cameras)
        rows = [ListRow("", f"On air: {cameras}")] if cameras else []
        rows += [
            ListRow(str(k), line.words, look.WRONG)
            for k, line in enumerate(report.lines)
            if line.trouble and line.landed is None
        ]
        for k, (at, seconds, words, landed) in enumerate(report.shots):
            tail = "" if landed else "   does not land"
            rows.append(
                ListRow(f"s{k}", f"{at:8.1f} s   {seconds:5.1f} s   {words}{tail}", None if landed else look.WRONG)
            )
        self.lines.fill(rows, None)
