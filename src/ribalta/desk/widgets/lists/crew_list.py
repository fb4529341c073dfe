"""One of the crew's lists: steps with a tick, a picture, and what one press does; made and printed where it is used."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.state.crew_lists import LISTS, StepState, standing
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import call_words
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.calls import Call, broken
from ribalta.core.show.document.crew_lists import Seen
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.cropped import draw_cropped
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.choose_file import ask_to_save
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label
from ribalta.desk.widgets.flow import Flow
from ribalta.desk.widgets.lists.crew_paper import write_list
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.pages import Page
from ribalta.desk.widgets.palette import Palette

DONE, OPEN = "✓", "○"
EMPTY = {
    "opening": "No steps yet. Add what has to be done before the doors open, in its order.",
    "closing": "No steps yet. Add what has to be done when the show is over, in its order.",
}
NO_PICTURE = ""


def pictures(state: LiveState) -> dict[str, str]:
    """Stored pictures that a step can show, by their names: those of framings and scenes."""
    numbers = {c.id: c.number for c in state.show.cameras}
    found = {NO_PICTURE: "none"}
    found |= {f.picture: f"{numbers[f.camera_id]} {f.letter}  {f.name}" for f in state.show.framings if f.picture}
    return found | {s.picture: f"scene {s.name}" for s in state.show.scenes if s.picture}


def row_of(state: LiveState, k: int, row: StepState) -> ListRow:
    """A step's line; the desk's own ticks say so."""
    sign = DONE if row.done else OPEN
    lost = row.step.call is not None and broken(state.show, row.step.call)
    note = "   – seen by the desk" if row.by_itself else ""
    words = f"{sign}  {k}  {row.step.words}{note}"
    return ListRow(row.step.id, words, look.WRONG if lost else look.SOFT if row.done else None, lost or row.step.words)


class StepPicture(QWidget):
    """What a step shows; its heads stay in view."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.name: str | None = None
        self.setFixedHeight(look.scaled(170))
        self.setAccessibleName("The step's picture")

    def paintEvent(self, event: QPaintEvent) -> None:
        area, painter = QRectF(self.rect()), QPainter(self)
        pixmap = self._bridge.stored_picture(self.name, int(area.height() * 16 / 9), int(area.height()))
        if pixmap is not None:
            draw_cropped(painter, QRectF(0, 0, area.height() * 16 / 9, area.height()), pixmap)


class CrewListPage(Page):
    """`name` is "opening" or "closing"."""

    def __init__(self, bridge: Bridge, palette: Palette, name: str) -> None:
        super().__init__()
        self._bridge, self._name = bridge, name
        self.step_id: str | None = None
        self._known: set[str] = set()
        self.list = Listing(LISTS[name], self._chosen)
        self.list.setWordWrap(True)
        self.list.itemActivated.connect(lambda _: self._tick())
        self.said = label("", wrap=True)
        self.said.setFont(look.font(16, look.MEDIUM))
        self.tick = button("Tick  Enter", self._tick, "The step is done; or it is not, after all")
        self.do = button("Do it", self._do)
        self.add = button("Add", partial(self._act, "list.add"))
        self.remove = button("Remove", partial(self._of_step, "list.remove"))
        self.anew = button("Begin anew", partial(self._act, "list.begin"), "No step is ticked any more")
        self.paper = button("Save as PDF …", self._save_paper, "To print it, or to send it to the crew")
        self.list.offer(self.tick, self.do, remove=self.remove, reorder=self._move)
        self.picture = StepPicture(bridge)
        self.words = Field("What is to be done", lambda text: self._change(words=text))
        self.words.setMaxLength(200)
        self.seen = Choice(
            "Ticked by itself when", {"": "only by hand"} | {str(s): str(s) for s in Seen if s}, self._see
        )
        self.shows = Choice("Picture", {}, lambda value: self._change(picture=value))
        self.call = CallEditor(bridge, palette, "step", removable=True)
        self.call.changed.connect(self._call_changed)
        self.editor = QWidget()
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        form = Form(self.editor)
        form.add("What is to be done", self.words)
        form.add("Ticked by itself when", self.seen)
        form.add("Picture", self.shows)
        form.add("One press does", self.call)
        presses = Flow()
        for part in (self.tick, self.do, self.add, self.remove, self.anew, self.paper):
            presses.addWidget(part)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(self.said)
        left.addWidget(self.list, 1)
        left.addLayout(presses)
        right = QVBoxLayout()
        right.addWidget(self.picture)
        right.addWidget(self.editor)
        right.addStretch(1)
        side = QWidget()
        side.setLayout(right)
        right.setContentsMargins(0, 0, 0, 0)
        side.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 8, 0, 0)
        whole.setSpacing(16)
        whole.addLayout(left, 60)
        whole.addWidget(side, 40, Qt.AlignmentFlag.AlignTop)

    @property
    def focus_at(self) -> QWidget:
        """See `Page`."""
        return self.list

    def refresh(self) -> None:
        """From the show as it is now; a step that was just added is selected."""
        state = self._bridge.state
        rows = standing(state, self._name, self._bridge.now_s)
        ids = {row.step.id for row in rows}
        new = ids - self._known
        if self._known and len(new) == 1:
            self.step_id = next(iter(new))
        self._known = ids or {""}
        if self.step_id not in ids:
            self.step_id = next((row.step.id for row in rows if not row.done), rows[0].step.id if rows else None)
        made = [row_of(state, k, row) for k, row in enumerate(rows, 1)]
        self.list.fill(made or [ListRow("", EMPTY[self._name])], self.step_id)
        done = sum(row.done for row in rows)
        self.said.setText(f"{done} of {len(rows)} done" if rows else LISTS[self._name])
        mine = next((row for row in rows if row.step.id == self.step_id), None)
        self.editor.setVisible(mine is not None)
        self.picture.setVisible(mine is not None and mine.step.picture is not None)
        self.tick.setEnabled(mine is not None and not mine.by_itself)
        self.remove.setEnabled(mine is not None)
        self.anew.setEnabled(bool(rows))
        self.paper.setEnabled(bool(rows))
        step = mine.step if mine is not None else None
        self.do.setVisible(step is not None and step.call is not None)
        if step is None:
            return
        if step.call is not None:
            self.do.setToolTip(call_words(state, step.call))
        self.words.show_text(step.words, step.id)
        self.seen.show_value(str(step.seen))
        self.shows.offer(pictures(state))
        self.shows.show_value(step.picture or NO_PICTURE)
        self.call.show_call(step.call)
        if self.picture.name != step.picture:
            self.picture.name = step.picture
            self.picture.update()

    def _chosen(self, key: str) -> None:
        self.step_id = key
        self.refresh()

    def _act(self, action: str) -> None:
        self._bridge.act(action, list=self._name)

    def _of_step(self, action: str) -> None:
        if self.step_id is not None:
            self._bridge.act(action, list=self._name, step=self.step_id)

    def _tick(self) -> None:
        if self.tick.isEnabled():
            self._of_step("list.tick")

    def _do(self) -> None:
        rows = standing(self._bridge.state, self._name, self._bridge.now_s)
        step = next((row.step for row in rows if row.step.id == self.step_id), None)
        if step is not None and step.call is not None and not broken(self._bridge.state.show, step.call):
            self._bridge.call(step.call)

    def _move(self, by: int) -> None:
        if self.step_id is not None:
            self._bridge.act("list.move", list=self._name, step=self.step_id, by=by)

    def _change(self, **changes: object) -> None:
        if self.step_id is not None:
            self._bridge.act("list.change", list=self._name, step=self.step_id, **changes)

    def _see(self, value: str) -> None:
        self._change(seen=value)

    def _call_changed(self, call: Call | None) -> None:
        self._change(nothing=True) if call is None else self._change(call=call.model_dump())

    def _save_paper(self) -> None:
        state, name = self._bridge.state, LISTS[self._name]
        rows = standing(state, self._name, self._bridge.now_s)

        def write(path: Path) -> None:
            try:
                write_list(path, f"{state.show.title}: {name.lower()}", [row.step for row in rows], self._bridge.file)
            except LocalFault as fault:
                self._bridge.noticed.emit(Notice(str(fault), Severity.FAULT))
            else:
                self._bridge.noticed.emit(Notice(f"{name} saved as {path}."))

        ask_to_save(
            self._bridge,
            self,
            f"Save the {name.lower()}",
            f"{state.show.title} {name.lower()}.pdf",
            "PDF (*.pdf)",
            write,
        )
