"""Macros: made by recording or step by step, run, watched, and tried dry."""

from functools import partial

from PySide6.QtCore import QPoint, QTimer, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from ribalta.core.engine.automation import macro_runner
from ribalta.core.engine.dryrun.rehearsal import ReportLine, dry_run
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import Offer
from ribalta.core.show.automation.calls import Call, Item, Kind, named
from ribalta.core.show.automation.macros import HOLDERS, Again, Macro, Path, Step, StepKind, placed, step_at, walk
from ribalta.core.show.document.uses import faults, used_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.automation.step_tree import StepTree, rows_of
from ribalta.desk.input.item_buttons import ItemButtons
from ribalta.desk.painting import look
from ribalta.desk.widgets.colours import COLOURS
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.lists.more import More
from ribalta.desk.widgets.macro_steps import NEW_STEPS, StepEditor, asked, key_of
from ribalta.desk.widgets.palette import Palette

AGAIN = {
    Again.RESTART: "begin anew",
    Again.IGNORE: "change nothing",
    Again.STOP: "stop it",
    Again.QUEUE: "run again afterwards",
}
EMPTY = "No macros yet. Record one: F8, do what it should do, F8 again. Or make one step by step: Add."


def running_paths(state: LiveState, macro: Macro, now_s: float) -> dict[Path, str]:
    """Where a macro is, with the seconds that are left of what it waits for."""
    found: dict[Path, str] = {}
    for run in state.automation.runs:
        for strand in run.strands:
            macro_id, path = strand.step_path
            if macro_id == macro.id and (strand.waiting is None or strand.waiting.kind is not StepKind.TOGETHER):
                _, _, left_s = macro_runner.step_now(state, run, now_s)
                found[path] = f"{left_s:.1f} s" if left_s is not None else ""
    return found


class MacrosPage(QWidget):
    done = Signal(object)  # a dry run, on its own thread

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge, self._palette = bridge, palette
        self.macro_id: str | None = next((m.id for m in bridge.state.show.macros), None)
        self.path: Path | None = None
        self._followed: Path | None = None  # the step that runs
        self._dry_runs = False  # a dry run, which is not begun twice
        self._known = {m.id for m in bridge.state.show.macros}
        self.list = Listing("Macros", self.choose)
        self.record = button("Record  F8", lambda: bridge.act("macro.record"), "What you do becomes its steps")
        self.record_plain = button("without waits", lambda: bridge.act("macro.record", timed=False))
        self.new = button("Add", lambda: bridge.act("macro.add"))
        self.double = button("Duplicate", lambda: self._ask("macro.duplicate"))
        self.remove = button("Remove", lambda: self._ask("macro.remove"))
        self.editor = StepEditor(bridge, palette)
        self.editor.changed.connect(self._step_changed)
        self.steps = StepTree(self._step_chosen, self.editor)
        self.steps.placed.connect(self._place)
        self.give = ItemButtons(bridge, self, self._item)
        self._dry_said: dict[Path, str] = {}
        self._dry_of: Macro | None = None
        self.add = button("Add a step …", self._add)
        self.more = button("Add a wait or a group …", self._more)
        self.up = button("Up", lambda: self.steps.move_selected(-1), "Ctrl+Up")
        self.down = button("Down", lambda: self.steps.move_selected(1), "Ctrl+Down")
        self.twice = button("Duplicate", lambda: self._on_step("macro.duplicate_step"))
        self.out = button("Remove", lambda: self._on_step("macro.remove_step"))
        self.name = Field("The macro's name", lambda text: self._change(name=text))
        self.folder = Field("Folder", lambda text: self._change(folder=text))
        self.again = Choice("Pressed while it runs", {str(a): w for a, w in AGAIN.items()}, self._again)
        self.colour = Choice("Colour", COLOURS, lambda value: self._change(colour=value))
        self.faster = button("Waits shorter", lambda: self._ask("macro.retime", factor=0.8), "All waits by a fifth")
        self.slower = button("Waits longer", lambda: self._ask("macro.retime", factor=1.25), "All waits by a quarter")
        self.run = button("Run", self._run)
        self.pause = button("Pause", lambda: self._ask("macro.pause"))
        self.skip = button("Skip the wait", lambda: self._ask("macro.skip"))
        self.stop = button("Stop", lambda: self._ask("macro.stop"))
        self.dry = button("Dry run", self._dry, "What would happen from here, and when, without doing any of it")
        self.lines = Listing("Dry run", lambda _: None)
        self.lines.hide()
        self.said = label("", soft=True, wrap=True)
        self.done.connect(self._show_dry)
        several = copies.of_macros(bridge)
        whole = (self.run, self.stop, self.new, *self.give.all)
        self.list.offer(*whole, remove=self.remove, duplicate=self.double, several=several)
        several = copies.of_steps(bridge, lambda: self.macro, lambda: self.path)
        self.steps.offer(self.up, self.down, remove=self.out, duplicate=self.twice, several=several)
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        more = More(self.double, self.remove, None, *self.give.all, None, self.faster, self.slower)
        for pair in ((self.record, self.record_plain), (self.new, more)):
            left.addLayout(line(*pair))
        middle = QVBoxLayout()
        self.title = label("")
        self.title.setFont(look.font(16, look.BOLD))
        middle.addWidget(self.title)
        middle.addWidget(self.steps, 3)
        middle.addLayout(line(self.add, self.more, More(self.up, self.down, self.twice, self.out)))
        middle.addLayout(line(self.run, self.pause, self.skip, self.stop, self.dry))
        middle.addWidget(self.lines, 2)
        right = QVBoxLayout()
        self._head = QWidget()
        form = Form(self._head)
        form.add("Name", self.name)
        form.add("Folder", self.folder)
        form.add("Pressed again", self.again)
        form.add("Colour", self.colour)
        right.addWidget(self._head)
        right.addWidget(self.said)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        for column, share in ((left, 22), (middle, 54), (right, 24)):
            whole.addLayout(column, share)

    # What is shown

    @property
    def macro(self) -> Macro | None:
        return self._bridge.state.show.macro(self.macro_id or "")

    def choose(self, macro_id: str) -> None:
        self.macro_id, self.path = macro_id, None
        self.lines.hide()
        self.refresh()

    def _item(self) -> Item | None:
        macro = self.macro
        return named(self._bridge.state.show, Kind.MACRO, macro.id) if macro is not None else None

    def _step_chosen(self, path: Path | None) -> None:
        self.path = path
        self.refresh()

    @property
    def step(self) -> Step | None:
        macro = self.macro
        if macro is None or self.path is None:
            return None
        try:
            return step_at(macro.steps, self.path)
        except IndexError:
            return None

    def refresh(self) -> None:
        state = self._bridge.state
        fresh = [m.id for m in state.show.macros if m.id not in self._known]
        self._known = {m.id for m in state.show.macros}
        if fresh:
            self.macro_id, self.path = fresh[-1], None
        if self.macro is None:
            self.macro_id = state.show.macros[0].id if state.show.macros else None
        macro = self.macro
        self.list.fill(self._macro_rows(state), self.macro_id)
        recording = state.automation.recording
        self.record.setText(f"End recording  F8 · {len(recording.calls)}" if recording is not None else "Record  F8")
        self.record_plain.setVisible(recording is None)
        step = self.step
        self.editor.show_step(step)
        self._fill_steps(state, macro)
        for part in (self.up, self.down, self.twice, self.out):
            part.setEnabled(step is not None)
        runs = [r for r in state.automation.runs if macro is not None and r.macro_id == macro.id]
        for part in (self.pause, self.skip, self.stop):
            part.setEnabled(bool(runs))
        self.pause.setText("Continue" if runs and runs[0].paused_s is not None else "Pause")
        for any_part in (self.add, self.more, self.run, self.double, self.remove, self._head, self.faster, self.slower):
            any_part.setEnabled(macro is not None)
        self.give.refresh()
        self.dry.setEnabled(macro is not None and not self._dry_runs)
        if macro is not None:
            self.name.show_text(macro.name, macro)
            self.folder.show_text(macro.folder, macro)
            self.again.show_value(str(macro.again))
            self.colour.show_value(macro.colour)
        used = used_words(state.show, Kind.MACRO, macro.id) if macro is not None else EMPTY
        self.said.setText(used or "Used by nothing yet.")
        self.title.setText(macro.name if macro is not None else "Steps")

    def _macro_rows(self, state: LiveState) -> list[ListRow]:
        rows, folder, broken = [], "", faults(state.show)
        running = {r.macro_id for r in state.automation.runs}
        for macro in sorted(state.show.macros, key=lambda m: (m.folder.lower(), m.folder)):
            if macro.folder != folder:
                folder = macro.folder
                rows.append(ListRow("", folder))
            sign = "▶ " if macro.id in running else "● "
            ink = look.LAMP_WARM if macro.id in running else QColor(macro.colour)
            trouble = broken.get(("macro", macro.id), "")
            said = f"{'   ' if folder else ''}{sign}{macro.name}{'   broken' if trouble else ''}"
            rows.append(ListRow(macro.id, said, look.WRONG if trouble else ink, trouble))
        return rows

    def _fill_steps(self, state: LiveState, macro: Macro | None) -> None:
        now = running_paths(state, macro, self._bridge.now_s) if macro is not None else {}
        key = key_of(self.path) if self.path is not None and self.step is not None else None
        dry = self._dry_said if macro is not None and macro == self._dry_of else {}
        self.steps.fill(macro, rows_of(state, macro, now, dry) if macro is not None else [], key)
        running = next(iter(now), None)
        if running != self._followed:
            self._followed = running
            if running is not None and key is None:  # nobody edits a step, so the rows follow what runs
                self.steps.bring_into_view(running)

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.macro_id is not None:
            self._bridge.act(action, macro=self.macro_id, **arguments)

    def _change(self, **changes: object) -> None:
        self._ask("macro.change", **changes)

    def _again(self, value: str) -> None:
        self._change(again=value)

    def _run(self) -> None:
        self._ask("macro.run")

    def _add(self) -> None:
        self._palette.ask("What the step does: type a few words, Enter chooses.", self._add_offer, whole_only=False)

    def _add_offer(self, offer: Offer) -> None:
        self._put(asked(offer.call))

    def _more(self) -> None:
        menu = QMenu(self)
        for words, step in NEW_STEPS.items():
            menu.addAction(words).triggered.connect(partial(self._put, step))
        others = [m for m in self._bridge.state.show.macros if m.id != self.macro_id]
        inner = menu.addMenu("Run another macro")
        inner.setEnabled(bool(others))
        for macro in others:
            made = Step(kind=StepKind.MACRO, macro=macro.id)
            inner.addAction(macro.name).triggered.connect(partial(self._put, made))
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def _put(self, step: Step, _: bool = False) -> None:
        """Behind the step that is chosen, or as the first inside it if it holds others and has none yet."""
        macro, chosen = self.macro, self.step
        if macro is None:
            return
        if chosen is None or self.path is None:
            path: Path = (len(macro.steps),)
        elif chosen.kind in HOLDERS and not chosen.steps:
            path = (*self.path, 0)
        else:
            path = (*self.path[:-1], self.path[-1] + 1)
        self.path = path
        self.steps.open_next()
        self._ask("macro.add_steps", path=path, steps=[step.model_dump(mode="json")])

    def _step_changed(self, step: Step) -> None:
        if self.path is not None:
            self._ask("macro.add_steps", path=self.path, steps=[step.model_dump(mode="json")], instead=True)

    def _on_step(self, action: str) -> None:
        if self.path is not None:
            self._ask(action, path=self.path)

    def _place(self, paths: list[Path], before: Path) -> None:
        """Steps go elsewhere; the first of them stays the one that is edited."""
        macro = self.macro
        if macro is None:
            return
        one = step_at(macro.steps, paths[0])
        try:
            goes = placed(macro.steps, paths, before)
        except (IndexError, ValueError):
            goes = macro.steps  # it will be refused, with a sentence
        self.path = next((path for path, step in walk(goes) if step is one), None)
        self._ask("macro.place", paths=[list(path) for path in paths], before=list(before))

    # The dry run is reckoned aside: a long macro takes a moment

    def _dry(self) -> None:
        macro, state, now_s = self.macro, self._bridge.state, self._bridge.now_s
        if macro is None:
            return
        call = Call(action="macro.run", arguments={"macro": macro.id})
        self._dry_runs, self._dry_of = True, macro
        self.dry.setEnabled(False)
        done = lambda: self.done.emit(dry_run(state, call, now_s))  # noqa: E731
        self._bridge.crew.begin("dry run", done, lambda said: self.done.emit((ReportLine(0.0, said, trouble=True),)))

    def _show_dry(self, lines: tuple[ReportLine, ...]) -> None:
        self._dry_runs = False
        self.dry.setEnabled(self.macro is not None)
        self._dry_said = beside_steps(lines, self._dry_of.id if self._dry_of is not None else "")
        self.refresh()
        rows = [ListRow(str(k), _dry_words(line), look.WRONG if line.trouble else None) for k, line in enumerate(lines)]
        whole = [line.landed for line in lines if line.landed is not None]
        end = f"{lines[-1].at_s:.1f} s in all" if lines else "nothing would happen"
        landed = f", {sum(whole)} of {len(whole)} cuts would land" if whole else ""
        refused = sum(1 for line in lines if line.trouble and line.action)
        also = f", {refused} {'step' if refused == 1 else 'steps'} would be refused" if refused else ""
        self.lines.fill([ListRow("", f"Dry run: {end}{landed}{also}"), *rows], None)
        self.lines.show()
        QTimer.singleShot(0, self, self.lines.scrollToTop)


def beside_steps(lines: tuple[ReportLine, ...], macro_id: str) -> dict[Path, str]:
    """What a dry run says of each step, the first time: when it would be done, and whether the cut lands."""
    found: dict[Path, str] = {}
    last: Path | None = None
    for one in lines:
        if one.macro == macro_id and one.step:
            last = one.step if one.step not in found else None
            found.setdefault(one.step, f"! {one.at_s:.1f} s, refused" if one.trouble else f"{one.at_s:.1f} s")
        elif one.landed is not None and last is not None:
            found[last] = f"{one.at_s:.1f} s, lands" if one.landed else f"! {one.at_s:.1f} s, does not land"
            last = None
    return found


def _dry_words(line: ReportLine) -> str:
    landed = {True: "   lands", False: "   does not land", None: ""}[line.landed]
    return f"{line.at_s:6.1f} s   {line.words}{landed}"
