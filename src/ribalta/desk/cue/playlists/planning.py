"""Plan it: what is to be seen, one after another; cameras and framings are chosen so that every cut lands."""

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.aim import Aim
from ribalta.core.base.spans import length_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.exact_plan import plan_exact
from ribalta.core.planning.planner import plan_fast
from ribalta.core.planning.planning_problem import PlaylistPlan, Requirement, Rules, problem_of
from ribalta.core.show.automation.calls import Kind, named
from ribalta.core.show.automation.playlists import Entry, Playlist, Wished
from ribalta.core.show.document.model import ShotSize
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.lists.listing import Listing, ListRow

LIMIT_S = 10.0
ANY = ""


class PlanPanel(QWidget):
    """`done` is called when the plan has been taken over or given up. `found` comes from a thread of its own."""

    found = Signal(object, object)

    def __init__(self, bridge: Bridge, done: Callable[[], None]) -> None:
        super().__init__()
        self._bridge, self._done = bridge, done
        self.playlist_id = ""
        self.wanted: list[Wished] = []
        self.at: int | None = None
        self.result: PlaylistPlan | None = None
        self._plans = False  # one at a time
        self.list = Listing("What is to be seen", self._chosen)
        self.one = Choice("Who is to be seen", {}, lambda _: self._change())
        self.other = Choice("Together with", {}, lambda _: self._change())
        sizes = {ANY: "any size"} | {str(s): str(s) for s in ShotSize}
        self.shot_size = Choice("Shot size", sizes, lambda _: self._change())
        self.seconds = Field("For how many seconds", lambda _: self._change())
        self.seconds.show_text("6")
        self.must = QCheckBox("Must be seen; else the cover shot may stand for it")
        self.must.setChecked(True)
        self.must.clicked.connect(lambda _: self._change())
        self.add = button("Add", self._add, "Another, like the one that is chosen; then change it")
        self.up = button("Up", lambda: self._move(-1))
        self.down = button("Down", lambda: self._move(1))
        self.out = button("Remove", self._out)
        self.free = QCheckBox("Keep the cover camera free")
        self.line_one = Choice("The line of action, from whom", {})
        self.line_other = Choice("The line of action, to whom", {})
        for choice in (self.line_one, self.line_other):
            choice.setToolTip(
                "Two who look at each other: views of them stay on one side, or something neutral is between"
            )
        self.fast = button("Plan", self._plan_fast, "At once; nearly always as good as can be")
        self.exact = button("Look for the best", self._plan_exact, f"At most {LIMIT_S:.0f} s")
        self.use = button("Make it the playlist", self._use)
        self.back = button("Back", self._leave)
        self.plans = Listing("What was planned", lambda key: None)
        self.said = label("", wrap=True)
        self.found.connect(self._show)
        self._lay_out()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(label("What is to be seen", soft=True))
        left.addWidget(self.list, 1)
        left.addLayout(line(self.add, self.up, self.down, self.out))
        middle_part = QWidget()
        form = Form(middle_part)
        form.setContentsMargins(0, 0, 0, 0)
        form.add("Who", self.one, "with", self.other)
        form.add("Size", self.shot_size, "for, s", self.seconds)
        form.add_whole(self.must)
        form.add("Line between", self.line_one, "and", self.line_other)
        form.add_whole(self.free)
        middle = QVBoxLayout()
        middle.addWidget(middle_part)
        middle.addStretch(1)
        middle.addLayout(line(self.fast, self.exact))
        middle.addLayout(line(self.use, self.back))
        right = QVBoxLayout()
        right.addWidget(self.said)
        right.addWidget(self.plans, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(12)
        for column, share in ((left, 30), (middle, 32), (right, 38)):
            whole.addLayout(column, share)

    # What is shown

    def plan(self, playlist: Playlist) -> None:
        """Begin with what a playlist was planned from."""
        self.playlist_id, self.wanted = playlist.id, list(playlist.wishes)
        self.at, self.result = (0 if self.wanted else None), None
        self.said.setText("Say who is to be seen, and for how long; then Plan chooses cameras and framings.")
        self.plans.fill([], None)
        self.refresh()
        self._show_wish()

    def refresh(self) -> None:
        state = self._bridge.state
        marks = {m.id: m.name for m in state.show.marks}
        self.one.offer(marks or {"": "no marks on the plan"})
        self.other.offer({"": "nobody else"} | marks)
        for choice in (self.line_one, self.line_other):
            choice.offer({"": "–"} | marks)
        rows = [ListRow(str(k), f"{k + 1}   {self._words(state, w)}") for k, w in enumerate(self.wanted)]
        self.list.fill(rows or [ListRow("", "Nothing yet: Add, then say who.")], str(self.at))
        here = self.at is not None and self.at < len(self.wanted)
        for part in (self.up, self.down, self.out):
            part.setEnabled(here)
        self.add.setEnabled(bool(marks))
        for part in (self.fast, self.exact):
            part.setEnabled(bool(self.wanted) and not self._plans)
        self.use.setEnabled(self.result is not None and bool(self.result.chosen))

    def _words(self, state: LiveState, wish: Wished) -> str:
        names = [m.name if (m := state.show.mark(i)) is not None else "somebody who is gone" for i in wish.mark_ids]
        size = f", {wish.size}" if wish.size else ""
        return f"{' and '.join(names)}{size}, {length_words(wish.length_s)}{'' if wish.must else ', if it can be'}"

    def _show_wish(self) -> None:
        wish = self.wanted[self.at] if self.at is not None and self.at < len(self.wanted) else None
        if wish is not None:
            self.one.show_value(wish.mark_ids[0])
            self.other.show_value(wish.mark_ids[1] if len(wish.mark_ids) > 1 else "")
            self.shot_size.show_value(wish.size or ANY)
            self.seconds.show_text(f"{wish.length_s:g}", wish)
            self.must.setChecked(wish.must)

    # What is asked

    def _chosen(self, key: str) -> None:
        self.at = int(key)
        self._show_wish()
        self.refresh()

    def _wish(self) -> Wished | None:
        try:
            seconds = float(self.seconds.text().replace(",", "."))
            marks = tuple(dict.fromkeys(m for m in (self.one.value(), self.other.value()) if m))
            size = self.shot_size.value() or None
            return Wished(mark_ids=marks, length_s=seconds, size=size, must=self.must.isChecked())
        except ValueError:
            self.said.setText("For how long? Seconds above 0.")
            return None

    def _add(self) -> None:
        wish = self._wish()
        if wish is not None:
            self.at = self.at + 1 if self.at is not None else len(self.wanted)
            self.wanted.insert(self.at, wish)
            self._store()

    def _change(self) -> None:
        wish = self._wish()
        if wish is not None and self.at is not None and self.at < len(self.wanted):
            self.wanted[self.at] = wish
            self._store()

    def _move(self, by: int) -> None:
        if self.at is not None and 0 <= self.at + by < len(self.wanted):
            wish = self.wanted.pop(self.at)
            self.at += by
            self.wanted.insert(self.at, wish)
            self._store()

    def _out(self) -> None:
        if self.at is not None and self.at < len(self.wanted):
            self.wanted.pop(self.at)
            self.at = min(self.at, len(self.wanted) - 1) if self.wanted else None
            self._store()

    def _store(self) -> None:
        """The list is the playlist's: it is there when it is planned anew."""
        self.result = None
        wishes = [w.model_dump(mode="json") for w in self.wanted]
        self._bridge.act("playlist.change", playlist=self.playlist_id, wishes=wishes)
        self.refresh()
        self._show_wish()

    def _work(self, exact: bool) -> Callable[[], PlaylistPlan]:
        state = self._bridge.state
        cover_id = state.show.settings.cover_camera_id
        kept = set(state.automation.reserved) | (
            {cover_id} if self.free.isChecked() and cover_id is not None else set()
        )
        between = (self.line_one.value(), self.line_other.value())
        rules = Rules(frozenset(kept), between if all(between) and between[0] != between[1] else None)
        requirements = [
            Requirement(w.mark_ids, w.length_s, ShotSize(w.size) if w.size else None, w.must) for w in self.wanted
        ]
        aims: dict[str, Aim] = {}
        for camera in state.show.cameras:
            aim = state.live(camera.id).aim
            if aim is not None:
                aims[camera.id] = aim

        def work() -> PlaylistPlan:
            problem = problem_of(state.show, requirements, aims, rules)
            return plan_exact(problem, LIMIT_S) if exact else plan_fast(problem)

        return work

    def _plan_fast(self) -> None:
        self._begin(False)

    def _plan_exact(self) -> None:
        self._begin(True)

    def _begin(self, exact: bool) -> None:
        self.said.setText("Planning …")
        self._plans = True
        self.refresh()
        work, asked = self._work(exact), (self.playlist_id, tuple(self.wanted))
        nothing = lambda _: self.found.emit(asked, PlaylistPlan((), 0.0))  # noqa: E731
        self._bridge.crew.begin("planning", lambda: self.found.emit(asked, work()), nothing)

    def _show(self, asked: tuple[str, tuple[Wished, ...]], plan: PlaylistPlan) -> None:
        """`asked` is what it was planned for: what is shown may be something else by now."""
        self._plans = False
        if asked != (self.playlist_id, tuple(self.wanted)):
            self.said.setText("What is to be seen was changed meanwhile: plan it again.")
            self.refresh()
            return
        state, self.result = self._bridge.state, plan
        if not plan.chosen:
            self.said.setText("It cannot be done as it stands:")
            self.plans.fill([ListRow("", clash.sentence, look.WRONG) for clash in plan.clashes], None)
        else:
            fits = [c.score for c in plan.chosen if c.framing_id]
            mean = f"mean fit {sum(fits) / len(fits):.0f}" if fits else "no fits"
            best = ""
            if plan.gap is not None:
                best = (
                    ", proven to be the best" if plan.gap < 1e-4 else f", at most {100 * plan.gap:.1f} % can be gained"
                )
            self.said.setText(f"Every cut lands: {mean}{best}.")
            rows = []
            for k, (choice, wish) in enumerate(zip(plan.chosen, self.wanted, strict=True)):
                framing, camera = state.show.framing(choice.framing_id), state.show.camera(choice.camera_id)
                number = camera.number if camera is not None else "?"
                what = f"{number} {framing.letter}  {framing.name}, fit {choice.score:.0f}" if framing else "cover shot"
                rows.append(ListRow(str(k), f"{k + 1}   {length_words(wish.length_s)}   {what}"))
            self.plans.fill(rows, None)
        self.refresh()

    def _use(self) -> None:
        plan, show = self.result, self._bridge.state.show
        if plan is None or not plan.chosen:
            return
        entries = []
        for choice, wish in zip(plan.chosen, self.wanted, strict=True):
            kind, part = (Kind.FRAMING, choice.framing_id) if choice.framing_id else (Kind.CAMERA, choice.camera_id)
            entries.append(Entry(item=named(show, kind, part), amount=wish.length_s).model_dump(mode="json"))
        self._bridge.act("playlist.change", playlist=self.playlist_id, entries=entries)
        self._leave()

    def _leave(self) -> None:
        self._done()
