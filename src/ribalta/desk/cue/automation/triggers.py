"""Triggers: when something happens, only if something is so, then something is done."""

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ribalta.core.base.spans import span_words
from ribalta.core.engine.automation.triggers import NEVER_FIRED, condition_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import Offer, call_words
from ribalta.core.show.automation.calls import Call, broken
from ribalta.core.show.automation.macros import Condition, Is
from ribalta.core.show.automation.triggers_pads_shortcuts import Trigger, WhenKind
from ribalta.core.show.document.uses import faults
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.automation.trigger_words import WHEN, kinds_of, when_words
from ribalta.desk.painting import look
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.flow import Flow
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.macro_steps import ConditionEditor, item_of, things, value_of
from ribalta.desk.widgets.palette import Palette
from ribalta.desk.widgets.switch import Switch

ANY = ""
EMPTY = "No triggers yet. Make one with Add: when something happens, it does what you choose, every time."


class TriggersPage(QWidget):
    """A trigger is one sentence; what is pressed in it is edited below it."""

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
        self.enabled = Switch("This trigger")
        self.enabled.clicked.connect(lambda on: self._change(enabled=on))
        self.fared = label("", soft=True)
        self.kind = Choice("When", {str(k): w for k, w in WHEN.items()}, self._kind)
        self.of = Choice("Of what", {}, self._of)
        self.time = Field("Time of day", lambda text: self._when(at=text), "Hours and minutes, perhaps seconds: 20:15")
        self.seconds = Field("Seconds on air", partial(self._number, "seconds"))
        self.minutes = Field("Minutes of room", partial(self._number, "minutes"))
        self.message = Field("Message", lambda text: self._when(message=text), "As it stands in the list of messages")
        self.message.setPlaceholderText("osc /go    midi note 1 60    tcp lights on")
        self.on_air = QCheckBox("Armed only while Air is shown")
        self.on_air.clicked.connect(lambda on: self._change(on_air_only=on))
        self.once = QCheckBox("Once, until it is switched on again")
        self.once.clicked.connect(lambda on: self._change(once=on))
        self.apart = Field("Not more often than every … seconds", partial(self._number, "apart_s"))
        self.apart.setPlaceholderText("every time")
        self.only_if: list[QPushButton] = []
        self.calls: list[QPushButton] = []
        self.add_if = button("+ a condition", self._add_condition, "It fires only if this is so as well")
        self.add_then = button("+ something it does …", self._add_call)
        self.drop = button("Take it out", self._drop, "Out of the sentence")
        self.condition = ConditionEditor(bridge)
        self.condition.changed.connect(self._condition_changed)
        self.call = CallEditor(bridge, palette, "What the trigger does")
        self.call.changed.connect(self._call_changed)
        self.attempt = button("Try it", lambda: self._ask("trigger.try"), "Nothing of it goes on air")
        self.said = label("", soft=True, wrap=True)
        self.list.offer(self.attempt, self.new, remove=self.remove, several=copies.of_triggers(bridge))
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addLayout(line(self.new, self.remove))
        self._body = QWidget()
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(10)
        head = line(self.name, self.enabled, self.attempt)
        head.setStretch(0, 1)
        body.addLayout(head)
        body.addWidget(self.fared)
        self._sentence = Flow()
        widths: tuple[tuple[QWidget, int], ...] = (
            (self.kind, 290),
            (self.of, 230),
            (self.time, 110),
            (self.seconds, 90),
            (self.minutes, 90),
            (self.message, 330),
        )
        for part, wide in widths:
            part.setFixedWidth(look.scaled(wide))
        self._seconds_word, self._minutes_word = label("seconds"), label("minutes")
        when, self._if_word, then = label("When"), label("and only if"), label("then")
        for word in (when, self._if_word, then):
            word.setFont(look.font(16, look.BOLD))
        parts = (
            when,
            self.kind,
            self.of,
            self.time,
            self.seconds,
            self._seconds_word,
            self.minutes,
            self._minutes_word,
        )
        self._before = (*parts, self.message, self._if_word)
        self._between, self._behind = (self.add_if, then), (self.add_then,)
        for part in (*self._before, *self._between, *self._behind):
            self._sentence.addWidget(part)
        body.addLayout(self._sentence)
        self._editor = QFrame()
        self._editor.setObjectName("card")
        inside = QVBoxLayout(self._editor)
        inside.setContentsMargins(12, 10, 12, 10)
        inside.addWidget(self.condition)
        inside.addWidget(self.call)
        inside.addWidget(self.drop, 0, Qt.AlignmentFlag.AlignLeft)
        body.addWidget(self._editor)
        apart = QWidget()
        form = Form(apart)
        form.setContentsMargins(0, 0, 0, 0)
        form.add("Seconds between", self.apart)
        self.apart.setFixedWidth(look.scaled(120))
        body.addLayout(line(self.on_air, self.once))
        body.addWidget(apart, 0, Qt.AlignmentFlag.AlignLeft)
        body.addStretch(1)
        right = QVBoxLayout()
        right.addWidget(self._body, 1)
        right.addWidget(self.said)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(16)
        whole.addLayout(left, 26)
        whole.addLayout(right, 74)

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
        self._body.setVisible(trigger is not None)
        self.remove.setEnabled(trigger is not None)
        self.said.setText("" if trigger is not None else EMPTY)
        if trigger is None:
            return
        self._fill_when(state, trigger)
        self.name.show_text(trigger.name, trigger)
        for box, on in ((self.enabled, trigger.enabled), (self.on_air, trigger.on_air_only), (self.once, trigger.once)):
            box.setChecked(on)
        self.apart.show_text(f"{trigger.apart_s:g}" if trigger.apart_s else "", trigger)
        self._fill_parts(state, trigger)
        fared = self._fared(state, trigger)
        self.fared.setText(fared)
        self.fared.setToolTip(fared)

    def _fill_list(self, state: LiveState) -> None:
        troubles, rows, now_s = faults(state.show), [], self._bridge.now_s
        for trigger in state.show.triggers:
            fared = state.automation.fired.get(trigger.id, NEVER_FIRED)
            trouble = troubles.get(("trigger", trigger.id), "")
            sign = "●" if trigger.enabled else "○"
            just = fared.last_s is not None and now_s - fared.last_s < 3
            ink = look.WRONG if trouble else look.LAMP_WARM if just else None if trigger.enabled else look.SOFT
            said = "   broken" if trouble else f"   {fared.count}×" if fared.count else ""
            tip = trouble or f"When {when_words(state, trigger.when)}."
            rows.append(ListRow(trigger.id, f"{sign} {trigger.name}{said}", ink, tip))
        self.list.fill(rows, self.trigger_id)

    def _fill_when(self, state: LiveState, trigger: Trigger) -> None:
        when = trigger.when
        self.kind.show_value(str(when.kind))
        kinds = kinds_of(when.kind)
        shown: tuple[tuple[QWidget, bool], ...] = (
            (self.of, bool(kinds)),
            (self.time, when.kind is WhenKind.TIME),
            (self.seconds, when.kind is WhenKind.ON_AIR_FOR),
            (self._seconds_word, when.kind is WhenKind.ON_AIR_FOR),
            (self.minutes, when.kind is WhenKind.DISK_LOW),
            (self._minutes_word, when.kind is WhenKind.DISK_LOW),
            (self.message, when.kind is WhenKind.MESSAGE),
            (self._if_word, bool(trigger.only_if)),
        )
        for part, on in shown:
            part.setVisible(on)
        self.of.offer({ANY: "any"} | things(state, kinds))
        self.of.show_value(value_of(when.item))
        self.time.show_text(when.at, trigger)
        self.seconds.show_text(f"{when.seconds:g}", trigger)
        self.minutes.show_text(f"{when.minutes:g}", trigger)
        self.message.show_text(when.message, trigger)

    def _fill_parts(self, state: LiveState, trigger: Trigger) -> None:
        which, at = self.at or ("", 0)
        words = [condition_words(state, c, True) for c in trigger.only_if]
        self._chips("if", self.only_if, words, [None] * len(words))
        words = [call_words(state, call) for call in trigger.calls]
        self._chips("then", self.calls, words, [broken(state.show, call) for call in trigger.calls])
        of_if, of_then = which == "if" and at < len(trigger.only_if), which == "then" and at < len(trigger.calls)
        self._editor.setVisible(of_if or of_then)
        self.condition.setVisible(of_if)
        self.call.setVisible(of_then)
        if of_if:
            self.condition.show_condition(trigger.only_if[at])
        if of_then:
            self.call.show_call(trigger.calls[at])

    def _chips(self, which: str, chips: list[QPushButton], words: list[str], troubles: Sequence[str | None]) -> None:
        """As many as there are, each with its words; the one that is edited is lit."""
        while len(chips) != len(words):
            if len(chips) > len(words):
                gone = chips.pop()
                self._sentence.removeWidget(gone)
                gone.hide()
                gone.deleteLater()
            else:
                made = button("", partial(self._edit, which, len(chips)), "Press it to change it")
                made.setObjectName("mark")
                made.setCheckable(True)
                chips.append(made)
            self._order()
        for k, (chip, said, trouble) in enumerate(zip(chips, words, troubles, strict=True)):
            short = chip.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, look.scaled(420))
            chip.setText(f"! {short}" if trouble else short)
            chip.setToolTip(trouble or said)
            chip.setChecked(self.at == (which, k))

    def _order(self) -> None:
        """The sentence from its beginning, with the chips that there are now."""
        parts = (*self._before, *self.only_if, *self._between, *self.calls, *self._behind)
        for part in parts:
            self._sentence.removeWidget(part)
        previous: QWidget | None = None
        for part in parts:
            self._sentence.addWidget(part)
            if part in (*self.only_if, *self.calls):
                part.show()
            if previous is not None:
                QWidget.setTabOrder(previous, part)
            previous = part

    def _fared(self, state: LiveState, trigger: Trigger) -> str:
        fared, now_s = state.automation.fired.get(trigger.id, NEVER_FIRED), self._bridge.now_s
        parts = []
        if fared.last_s is not None:
            times = "once" if fared.count == 1 else f"{fared.count} times"
            parts.append(f"It has fired {times}, last {span_words(now_s - fared.last_s)} ago.")
        else:
            parts.append("It has not fired yet.")
        if fared.why_not and (fared.last_s is None or fared.why_not_s >= fared.last_s):
            parts.append(f"{span_words(now_s - fared.why_not_s)} ago it did not fire: {fared.why_not}.")
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
        """This part of the sentence; pressed again, none."""
        self.at = (which, at) if self.at != (which, at) else None
        self.refresh()

    def show_call(self, at: int) -> None:
        """Open one of the things that it does."""
        self.at = ("then", at)
        self.refresh()

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

    def _drop(self) -> None:
        trigger = self.trigger
        if trigger is None or self.at is None:
            return
        (which, at), self.at = self.at, None
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
