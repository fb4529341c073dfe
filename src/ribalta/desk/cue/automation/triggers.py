"""Triggers: when something happens, only if something is so, then something is done."""

from functools import partial

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.base.spans import length_words
from ribalta.core.engine.automation.triggers import NEVER_FIRED, condition_words, item_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import Offer, call_words
from ribalta.core.show.automation.calls import Call, Kind
from ribalta.core.show.automation.macros import Condition, Is
from ribalta.core.show.automation.triggers_pads_shortcuts import OF_CAMERAS, OF_MICS, OF_SHOTS, Trigger, When, WhenKind
from ribalta.core.show.document.uses import faults
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.painting import look
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label
from ribalta.desk.widgets.listing import Listing, ListRow
from ribalta.desk.widgets.macro_steps import ConditionEditor, item_of, refill, things, value_of
from ribalta.desk.widgets.palette import Palette

WHEN = {
    WhenKind.READIED: "a shot or scene is readied",
    WhenKind.TAKEN: "a shot or scene goes on air",
    WhenKind.LEFT: "a shot or scene leaves the air",
    WhenKind.ON_AIR_FOR: "a shot has been on air for so long",
    WhenKind.SET: "a camera is set",
    WhenKind.LOST: "a camera is lost",
    WhenKind.BACK: "a camera is back",
    WhenKind.MIC_OPENS: "a microphone opens",
    WhenKind.MIC_CLOSES: "a microphone closes",
    WhenKind.PLAYLIST: "a playlist goes on to another entry",
    WhenKind.TIME: "it is a time of day",
    WhenKind.COUNTDOWN: "a countdown is over",
    WhenKind.RECORDING_STOPS: "the recording stops",
    WhenKind.DISK_LOW: "the disk is low",
    WhenKind.MESSAGE: "a message comes in",
}
ANY = ""
EMPTY = "No triggers yet. Make one with New: when something happens, it does what you choose, every time."


def kinds_of(when: WhenKind) -> tuple[Kind, ...]:
    """Whose moment it can be."""
    if when in OF_SHOTS:
        return (Kind.SCENE, Kind.CAMERA, Kind.FRAMING, Kind.MEDIUM)
    if when in OF_CAMERAS:
        return (Kind.CAMERA,)
    if when in OF_MICS:
        return (Kind.MICROPHONE,)
    if when is WhenKind.PLAYLIST:
        return (Kind.PLAYLIST,)
    return (Kind.TITLE,) if when is WhenKind.COUNTDOWN else ()


def when_words(state: LiveState, when: When) -> str:
    who = item_words(state, when.item) if when.item is not None else None
    match when.kind:
        case WhenKind.TIME:
            return f"it is {when.at}"
        case WhenKind.ON_AIR_FOR:
            return f"{who or 'any shot'} has been on air for {length_words(when.seconds)}"
        case WhenKind.DISK_LOW:
            return f"there is room for less than {when.minutes:g} minutes"
        case WhenKind.MESSAGE:
            return f"“{when.message or '…'}” comes in"
        case WhenKind.RECORDING_STOPS:
            return "the recording stops"
        case WhenKind.COUNTDOWN:
            return f"{who or 'a countdown'} is over"
    tail = WHEN[when.kind].split(" ", 2)[2] if who else ""
    if when.kind in OF_SHOTS:
        tail = WHEN[when.kind].removeprefix("a shot or scene ")
    return f"{who} {tail}" if who else WHEN[when.kind]


class TriggersPage(QWidget):
    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge, self._palette = bridge, palette
        self.trigger_id: str | None = next((t.id for t in bridge.state.show.triggers), None)
        self._known = {t.id for t in bridge.state.show.triggers}
        self.at: tuple[str, int] | None = None  # which condition or call is edited
        self.list = Listing("Triggers", self.choose)
        self.new = button("Add", lambda: bridge.act("trigger.add"))
        self.remove = button("Remove", lambda: self._ask("trigger.remove"))
        self.name = Field("The trigger's name", lambda text: self._change(name=text))
        self.kind = Choice("When", {str(k): w for k, w in WHEN.items()}, self._kind)
        self.of = Choice("Of what", {}, self._of)
        self.time = Field("Time of day", lambda text: self._when(at=text), "Hours and minutes, perhaps seconds: 20:15")
        self.seconds = Field("Seconds on air", partial(self._number, "seconds"))
        self.minutes = Field("Minutes of room", partial(self._number, "minutes"))
        self.message = Field("Message", lambda text: self._when(message=text), "As it stands in the list of messages")
        self.message.setPlaceholderText("osc /go    midi note 1 60    tcp lights on")
        self.enabled = QCheckBox("Switched on")
        self.enabled.clicked.connect(lambda on: self._change(enabled=on))
        self.on_air = QCheckBox("Armed only while Air is shown")
        self.on_air.clicked.connect(lambda on: self._change(on_air_only=on))
        self.once = QCheckBox("Once, until it is switched on again")
        self.once.clicked.connect(lambda on: self._change(once=on))
        self.apart = Field("Not more often than every … seconds", partial(self._number, "apart_s"))
        self.apart.setPlaceholderText("every time")
        self.only_if = Listing("Only if", lambda key: self._edit("if", int(key)))
        self.calls = Listing("Then", lambda key: self._edit("then", int(key)))
        self.add_if = button("Add a condition", self._add_condition)
        self.drop_if = button("Remove", lambda: self._drop("if"))
        self.add_then = button("Add what it does …", self._add_call)
        self.drop_then = button("Remove", lambda: self._drop("then"))
        self.condition = ConditionEditor(bridge)
        self.condition.changed.connect(self._condition_changed)
        self.call = CallEditor(bridge, palette, "What the trigger does")
        self.call.changed.connect(self._call_changed)
        self.attempt = button("Try it", lambda: self._ask("trigger.try"), "Nothing of it goes on air")
        self.said = label("", soft=True, wrap=True)
        self._rows: dict[str, QWidget] = {}
        self.list.offer(self.attempt, self.new, remove=self.remove, several=copies.of_triggers(bridge))
        self.only_if.offer(self.add_if, remove=self.drop_if)
        self.calls.offer(self.add_then, remove=self.drop_then)
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.addWidget(self.new)
        line.addWidget(self.remove)
        left.addLayout(line)
        self._middle = QWidget()
        middle = QVBoxLayout(self._middle)
        middle.setContentsMargins(0, 0, 0, 0)
        for name, words, part in (
            ("name", "Name", self.name),
            ("kind", "When", self.kind),
            ("of", "Of", self.of),
            ("time", "At", self.time),
            ("seconds", "Seconds", self.seconds),
            ("minutes", "Minutes", self.minutes),
            ("message", "Message", self.message),
        ):
            row = QWidget()
            form = Form(row)
            form.setContentsMargins(0, 0, 0, 0)
            form.add(words, part)
            form.setColumnMinimumWidth(0, 70)
            self._rows[name] = row
            middle.addWidget(row)
        for words, listing, buttons in (
            ("Only if", self.only_if, (self.add_if, self.drop_if)),
            ("Then", self.calls, (self.add_then, self.drop_then)),
        ):
            head = label(words)
            head.setFont(look.font(15, look.BOLD))
            middle.addWidget(head)
            middle.addWidget(listing, 1 if listing is self.only_if else 2)
            line = QHBoxLayout()
            for press in buttons:
                line.addWidget(press)
            middle.addLayout(line)
        right = QVBoxLayout()
        self._right = QWidget()
        inside = QVBoxLayout(self._right)
        inside.setContentsMargins(0, 0, 0, 0)
        for check in (self.enabled, self.on_air, self.once):
            inside.addWidget(check)
        apart = QWidget()
        form = Form(apart)
        form.setContentsMargins(0, 0, 0, 0)
        form.add("Seconds between", self.apart)
        inside.addWidget(apart)
        inside.addWidget(self.attempt)
        right.addWidget(self._right)
        right.addWidget(self.said)
        right.addSpacing(10)
        right.addWidget(self.condition)
        right.addWidget(self.call)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 24)
        whole.addWidget(self._middle, 44)
        whole.addLayout(right, 32)

    # What is shown

    @property
    def trigger(self) -> Trigger | None:
        return self._bridge.state.show.trigger(self.trigger_id or "")

    def choose(self, trigger_id: str) -> None:
        self.trigger_id, self.at = trigger_id, None
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        fresh = [t.id for t in state.show.triggers if t.id not in self._known]
        self._known = {t.id for t in state.show.triggers}
        if fresh:
            self.trigger_id, self.at = fresh[-1], None
        if self.trigger is None:
            self.trigger_id = state.show.triggers[0].id if state.show.triggers else None
        trigger = self.trigger
        self._fill_list(state)
        self._middle.setVisible(trigger is not None)
        self._right.setVisible(trigger is not None)
        self.remove.setEnabled(trigger is not None)
        if trigger is None:
            self.said.setText(EMPTY)
            self.condition.hide()
            self.call.hide()
            return
        self._fill_when(state, trigger)
        self.name.show_text(trigger.name, trigger)
        for box, on in (
            (self.enabled, trigger.enabled),
            (self.on_air, trigger.on_air_only),
            (self.once, trigger.once),
        ):
            box.setChecked(on)
        self.apart.show_text(f"{trigger.apart_s:g}" if trigger.apart_s else "", trigger)
        self._fill_parts(state, trigger)
        self.said.setText(self._fared(state, trigger))

    def _fill_list(self, state: LiveState) -> None:
        broken, rows, now_s = faults(state.show), [], self._bridge.now_s
        for trigger in state.show.triggers:
            fared = state.automation.fired.get(trigger.id, NEVER_FIRED)
            trouble = broken.get(("trigger", trigger.id), "")
            sign = "●" if trigger.enabled else "○"
            just = fared.last_s is not None and now_s - fared.last_s < 3
            ink = look.WRONG if trouble else look.LAMP_WARM if just else None if trigger.enabled else look.SOFT
            said = "   broken" if trouble else f"   {fared.count}×" if fared.count else ""
            rows.append(ListRow(trigger.id, f"{sign} {trigger.name}{said}", ink, trouble))
        self.list.fill(rows, self.trigger_id)

    def _fill_when(self, state: LiveState, trigger: Trigger) -> None:
        when = trigger.when
        self.kind.show_value(str(when.kind))
        kinds = kinds_of(when.kind)
        seen = {
            "of": bool(kinds),
            "time": when.kind is WhenKind.TIME,
            "seconds": when.kind is WhenKind.ON_AIR_FOR,
            "minutes": when.kind is WhenKind.DISK_LOW,
            "message": when.kind is WhenKind.MESSAGE,
        }
        for name, on in seen.items():
            self._rows[name].setVisible(on)
        refill(self.of, {ANY: "any"} | things(state, kinds))
        self.of.show_value(value_of(when.item))
        self.time.show_text(when.at, trigger)
        self.seconds.show_text(f"{when.seconds:g}", trigger)
        self.minutes.show_text(f"{when.minutes:g}", trigger)
        self.message.show_text(when.message, trigger)

    def _fill_parts(self, state: LiveState, trigger: Trigger) -> None:
        which, at = self.at or ("", 0)
        words = [condition_words(state, c, True) for c in trigger.only_if]
        rows = [ListRow(str(k), w) for k, w in enumerate(words)] or [ListRow("", "Always.")]
        self.only_if.fill(rows, str(at) if which == "if" else None)
        words = [call_words(state, call) for call in trigger.calls]
        rows = [ListRow(str(k), w) for k, w in enumerate(words)] or [ListRow("", "Nothing yet: add what it does.")]
        self.calls.fill(rows, str(at) if which == "then" else None)
        self.drop_if.setEnabled(which == "if")
        self.drop_then.setEnabled(which == "then")
        self.condition.setVisible(which == "if" and at < len(trigger.only_if))
        self.call.setVisible(which == "then" and at < len(trigger.calls))
        if self.condition.isVisibleTo(self):
            self.condition.show_condition(trigger.only_if[at])
        if self.call.isVisibleTo(self):
            self.call.show_call(trigger.calls[at])

    def _fared(self, state: LiveState, trigger: Trigger) -> str:
        fared, now_s = state.automation.fired.get(trigger.id, NEVER_FIRED), self._bridge.now_s
        parts = [f"When {when_words(state, trigger.when)}."]
        if fared.last_s is not None:
            times = "once" if fared.count == 1 else f"{fared.count} times"
            parts.append(f"It has fired {times}, last {now_s - fared.last_s:.0f} s ago.")
        else:
            parts.append("It has not fired yet.")
        if fared.why_not and (fared.last_s is None or fared.why_not_s >= fared.last_s):
            parts.append(f"{now_s - fared.why_not_s:.0f} s ago it did not fire: {fared.why_not}.")
        trouble = faults(state.show).get(("trigger", trigger.id))
        return " ".join([*parts, f"Broken: {trouble}." if trouble else ""])

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.trigger_id is not None:
            self._bridge.act(action, trigger=self.trigger_id, **arguments)

    def _change(self, **changes: object) -> None:
        self._ask("trigger.change", **changes)

    def _when(self, **changes: object) -> None:
        if self.trigger is not None:
            when = self.trigger.when.model_dump(mode="json") | changes
            self._change(when=when)

    def _kind(self, value: str) -> None:
        trigger = self.trigger
        keeps = (
            trigger is not None
            and trigger.when.item is not None
            and trigger.when.item.kind in kinds_of(WhenKind(value))
        )
        self._when(kind=value, **({} if keeps else {"item": None}))

    def _of(self, value: str) -> None:
        item = item_of(self._bridge.state, value)
        self._when(item=item.model_dump(mode="json") if item is not None else None)

    def _number(self, name: str, text: str) -> None:
        try:
            value = float(text.replace(",", ".") or 0)
        except ValueError:
            self.refresh()
            return
        if name == "apart_s":
            self._change(apart_s=value)
        else:
            self._when(**{name: value})

    def _edit(self, which: str, at: int) -> None:
        self.at = (which, at)
        self.refresh()

    def show_call(self, at: int) -> None:
        """Open one of the things that it does."""
        self._edit("then", at)

    def _add_condition(self) -> None:
        if self.trigger is not None:
            conditions = (*self.trigger.only_if, Condition(what=Is.RECORDING))
            self.at = ("if", len(conditions) - 1)
            self._conditions(conditions)

    def _conditions(self, conditions: tuple[Condition, ...]) -> None:
        self._change(only_if=[c.model_dump(mode="json") for c in conditions])

    def _add_call(self) -> None:
        self._palette.ask("What the trigger does: type a few words.", self._add_offer, whole_only=False)

    def _add_offer(self, offer: Offer) -> None:
        if self.trigger is not None:
            self.at = ("then", len(self.trigger.calls))
            self._set_calls((*self.trigger.calls, offer.call))

    def _set_calls(self, calls: tuple[Call, ...]) -> None:
        self._change(calls=[c.model_dump(mode="json") for c in calls])

    def _drop(self, which: str) -> None:
        trigger = self.trigger
        if trigger is None or self.at is None or self.at[0] != which:
            return
        at, self.at = self.at[1], None
        if which == "if":
            self._conditions(tuple(c for k, c in enumerate(trigger.only_if) if k != at))
        else:
            self._set_calls(tuple(c for k, c in enumerate(trigger.calls) if k != at))

    def _condition_changed(self, condition: Condition) -> None:
        if self.trigger is not None and self.at is not None:
            self._conditions(tuple(condition if k == self.at[1] else c for k, c in enumerate(self.trigger.only_if)))

    def _call_changed(self, call: Call | None) -> None:
        if self.trigger is not None and self.at is not None and call is not None:
            self._set_calls(tuple(call if k == self.at[1] else c for k, c in enumerate(self.trigger.calls)))
