"""A macro's steps in words; and the editor of one step."""

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from ribalta.core.base.spans import length_words
from ribalta.core.engine.automation.triggers import condition_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import call_words
from ribalta.core.show.automation.calls import Call, Item, Kind, broken, find, named
from ribalta.core.show.automation.macros import OF_NOTHING, Condition, Is, Path, Step, StepKind
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.fields import Choice, Field, Form, label
from ribalta.desk.widgets.palette import Palette

NEXT = ""
LIMITED = (StepKind.UNTIL_SET, StepKind.UNTIL_TAKEN, StepKind.UNTIL_KEY)
THEN = {"on": "it goes on", "stop": "it stops"}
CAN_BE = {
    Is.ON_AIR: (Kind.CAMERA, Kind.FRAMING, Kind.SCENE, Kind.TITLE, Kind.MEDIUM),
    Is.NEXT: (Kind.CAMERA, Kind.FRAMING, Kind.SCENE, Kind.MEDIUM),
    Is.SET: (Kind.CAMERA, Kind.FRAMING),
    Is.IN_CONTACT: (Kind.CAMERA,),
    Is.OPEN: (Kind.MICROPHONE,),
}


def key_of(path: Path) -> str:
    return ".".join(map(str, path))


def path_of(key: str) -> Path:
    return tuple(int(part) for part in key.split("."))


def step_words(state: LiveState, step: Step) -> str:
    """What a step does, in a line."""
    show = state.show
    limit = f", {length_words(step.seconds)} at most" if step.seconds else ""
    if step.seconds and step.then_stop:
        limit += ", else stop"
    match step.kind:
        case StepKind.DO:
            return call_words(state, step.call) if step.call is not None else "Nothing"
        case StepKind.WAIT:
            return f"Wait {length_words(step.seconds)}"
        case StepKind.UNTIL_SET:
            camera = show.camera(step.item.id) if step.item is not None else None
            whose = f"camera {camera.number}" if camera is not None else "Next"
            return f"Wait until {whose} is set{limit}"
        case StepKind.UNTIL_TAKEN:
            return f"Wait for a take{limit}"
        case StepKind.UNTIL_KEY:
            return f"Wait for a key (F7){limit}"
        case StepKind.MACRO:
            macro = show.macro(step.macro or "")
            return f"Run “{macro.name}” and wait for its end" if macro is not None else "Run a macro that was removed"
        case StepKind.IF:
            return f"If {condition_words(state, step.condition, True)}" if step.condition is not None else "If"
        case StepKind.REPEAT:
            times = "until it is stopped" if step.times == 0 else f"{step.times} times"
            return "In order" if step.times == 1 else f"Repeat {times}"
        case StepKind.TOGETHER:
            return "All together"


def step_trouble(state: LiveState, step: Step) -> str | None:
    items = (step.item, step.condition.item if step.condition is not None else None)
    for item in items:
        if item is not None and find(state.show, item) is None:
            return f"“{item.called}” was removed"
    if step.kind is StepKind.MACRO and state.show.macro(step.macro or "") is None:
        return "that macro was removed"
    return broken(state.show, step.call) if step.call is not None else None


def things(state: LiveState, kinds: tuple[Kind, ...]) -> dict[str, str]:
    """Items of these kinds, as words by “kind id”."""
    show = state.show
    found: dict[str, str] = {}
    numbers = {c.id: c.number for c in show.cameras}
    parts = {
        Kind.CAMERA: [(c.id, f"camera {c.number}  {c.name}") for c in sorted(show.cameras, key=lambda c: c.number)],
        Kind.FRAMING: [
            (f.id, f"{numbers[f.camera_id]} {f.letter}  {f.name}")
            for f in sorted(show.framings, key=lambda f: (numbers[f.camera_id], f.slot))
        ],
        Kind.SCENE: [(s.id, f"scene “{s.name}”") for s in show.scenes],
        Kind.TITLE: [(t.id, f"title “{t.name}”") for t in show.titles],
        Kind.MEDIUM: [(m.id, f"“{m.name}”") for m in show.media],
        Kind.MICROPHONE: [(m.id, f"microphone {m.number}  {m.name}") for m in show.microphones],
    }
    for kind in kinds:
        found |= {f"{kind} {item_id}": words for item_id, words in parts[kind]}
    return found


def item_of(state: LiveState, value: str) -> Item | None:
    kind, _, item_id = value.partition(" ")
    return named(state.show, Kind(kind), item_id) if item_id else None


def value_of(item: Item | None) -> str:
    return f"{item.kind} {item.id}" if item is not None else ""


class ConditionEditor(QWidget):
    """What must be so: what, of whom, and whether it must or must not. `changed` comes with the condition."""

    changed = Signal(object)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._condition = Condition(what=Is.RECORDING)
        self.what = Choice("What is asked", {str(w): str(w) for w in Is}, self._changed)
        self.wanted = Choice("Is or is not", {"is": "is", "is not": "is not"}, self._changed)
        self.item = Choice("Of what", {}, self._changed)
        form = Form(self)
        form.setContentsMargins(0, 0, 0, 0)
        form.add("Of", self.item)
        form.add("It", self.wanted, "", self.what)

    def show_condition(self, condition: Condition) -> None:
        self._condition = condition
        self.what.show_value(str(condition.what))
        self.wanted.show_value("is" if condition.wanted else "is not")
        self._fill(condition.what)
        self.item.show_value(value_of(condition.item))

    def _fill(self, what: Is) -> None:
        known = {"": "the show"} if what in OF_NOTHING else things(self._bridge.state, CAN_BE[what])
        if [self.item.itemData(k) for k in range(self.item.count())] != list(known):
            self.item.clear()
            for value, words in known.items():
                self.item.addItem(words, value)

    def _changed(self, _: str) -> None:
        what = Is(self.what.value())
        self._fill(what)
        item = None if what in OF_NOTHING else item_of(self._bridge.state, self.item.value())
        if what not in OF_NOTHING and item is None:
            return
        self._condition = Condition(what=what, item=item, wanted=self.wanted.value() == "is")
        self.changed.emit(self._condition)


class StepEditor(QWidget):
    """`changed` comes with the step as it is to be."""

    changed = Signal(object)

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge = bridge
        self._step: Step | None = None
        self.call = CallEditor(bridge, palette, "What the step does")
        self.call.changed.connect(lambda call: self._with(call=call))
        self.seconds = Field("Seconds", partial(self._number, "seconds"))
        self.then = Choice("When that is over", THEN, lambda v: self._with(then_stop=v == "stop"))
        self.item = Choice("Which camera", {}, self._item)
        self.condition = ConditionEditor(bridge)
        self.condition.changed.connect(lambda condition: self._with(condition=condition))
        self.times = Field("How often", partial(self._number, "times"), "0: until it is stopped")
        self.macro = Choice("Which macro", {}, lambda value: self._with(macro=value))
        self.note = Field("Comment", lambda text: self._with(note=text[:200]))
        self.off = QCheckBox("Leave this step out")
        self.off.clicked.connect(lambda on: self._with(off=on))
        self.said = label("Choose a step, or add one below the list.", soft=True, wrap=True)
        self._rows: dict[str, QWidget] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.said)
        column.addWidget(self.call)
        column.addWidget(self.condition)
        for name, words, part in (
            ("seconds", "Seconds", self.seconds),
            ("then", "When over", self.then),
            ("item", "Of", self.item),
            ("times", "Times", self.times),
            ("macro", "Macro", self.macro),
            ("note", "Comment", self.note),
        ):
            row = QWidget()
            form = Form(row)
            form.setContentsMargins(0, 0, 0, 0)
            form.add(words, part)
            form.setColumnMinimumWidth(0, 76)
            self._rows[name] = row
            column.addWidget(row)
        column.addWidget(self.off)

    def show_step(self, step: Step | None) -> None:
        self._step = step
        kind = step.kind if step is not None else None
        self.said.setVisible(step is None or kind in (StepKind.TOGETHER,))
        if kind is StepKind.TOGETHER:
            self.said.setText("The steps in it begin at the same time; what follows waits for all of them.")
        else:
            self.said.setText("Choose a step, or add one below the list.")
        limited = kind in LIMITED
        seen = {
            "seconds": kind is StepKind.WAIT or limited,
            "then": limited and step is not None and step.seconds > 0,
            "item": kind is StepKind.UNTIL_SET,
            "times": kind is StepKind.REPEAT,
            "macro": kind is StepKind.MACRO,
            "note": step is not None,
        }
        for name, row in self._rows.items():
            row.setVisible(seen[name])
        self.call.setVisible(kind is StepKind.DO)
        self.condition.setVisible(kind is StepKind.IF)
        self.off.setVisible(step is not None)
        if step is None:
            return
        self.seconds.setPlaceholderText("no limit" if limited else "")
        self.seconds.show_text(f"{step.seconds:g}" if step.seconds or not limited else "", step)
        self.then.show_value("stop" if step.then_stop else "on")
        self.times.show_text(str(step.times), step)
        self.note.show_text(step.note, step)
        self.off.setChecked(step.off)
        if kind is StepKind.DO:
            self.call.show_call(step.call)
        if step.condition is not None:
            self.condition.show_condition(step.condition)
        state = self._bridge.state
        if kind is StepKind.UNTIL_SET:
            self.item.offer({NEXT: "Next, all its cameras"} | things(state, (Kind.CAMERA,)))
            self.item.show_value(value_of(step.item))
        if kind is StepKind.MACRO:
            self.macro.offer({m.id: m.name for m in state.show.macros})
            self.macro.show_value(step.macro or "")

    def _number(self, name: str, text: str) -> None:
        try:
            value = float(text.replace(",", ".") or 0)
        except ValueError:
            self.show_step(self._step)
            return
        self._with(**{name: int(value) if name == "times" else value})

    def _item(self, value: str) -> None:
        self._with(item=item_of(self._bridge.state, value))

    def _with(self, **changes: object) -> None:
        if self._step is not None:
            self._step = self._step.model_copy(update=changes)
            self.changed.emit(self._step)


NEW_STEPS: dict[str, Step] = {
    "Wait a time": Step(kind=StepKind.WAIT, seconds=1.0),
    "Wait until set": Step(kind=StepKind.UNTIL_SET, seconds=20.0),
    "Wait for a take": Step(kind=StepKind.UNTIL_TAKEN),
    "Wait for a key": Step(kind=StepKind.UNTIL_KEY),
    "If …": Step(kind=StepKind.IF, condition=Condition(what=Is.RECORDING)),
    "Repeat": Step(kind=StepKind.REPEAT, times=2),
    "All together": Step(kind=StepKind.TOGETHER),
    "In order": Step(kind=StepKind.REPEAT, times=1),
}


def asked(call: Call) -> Step:
    return Step(kind=StepKind.DO, call=call)
