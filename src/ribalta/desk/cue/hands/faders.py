"""Faders and knobs of controllers: which one moves what, in which bank, and how it stands."""

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QKeyEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.engine.actions.automation.faders import banks_of, controlled
from ribalta.core.engine.faders.numbers import NAMES, OF_CAMERAS, called, number_of
from ribalta.core.ports.messages import Learned
from ribalta.core.show.automation.faders import MOST_BANKS, STAYS, Coding, FaderGiven, Quantity
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Form, button, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow

EMPTY = "No fader or knob has anything to move yet. Press Add and move one."
LISTENS = "Move the fader, or turn the knob both ways. Escape: not now."
SELECTED = ""
CODINGS = {coding.value: coding.value for coding in Coding}
STAY_WORDS = "every bank"


class FadersPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.fader_id: str | None = None
        self.learning = False
        self._known = {f.id for f in bridge.state.show.faders}
        self.list = Listing("Faders and knobs", self.choose)
        self.add = button("Add …", self._learn, "Then move the fader or turn the knob")
        self.remove = button("Remove", self._remove)
        self.back = button("Bank before", lambda: bridge.act("fader.bank", by=-1))
        self.on = button("Next bank", lambda: bridge.act("fader.bank", by=1))
        self.fine = QCheckBox("Fine")
        self.fine.setToolTip(
            "An eighth of the way. “Move faders and knobs finely” can have a key or a button of its own"
        )
        self.fine.clicked.connect(lambda on: bridge.act("fader.fine", on=on))
        self.now = label("")
        self.now.setFont(look.font(16, look.BOLD))
        self.quantity = Choice("It moves", {q.value: NAMES[q] for q in Quantity}, self._quantity)
        self.of = Choice("Of", {}, self._of)
        self.bank = Choice("In bank", {}, lambda value: self._give(bank=int(value)))
        self.coding = Choice("It counts", CODINGS, lambda value: self._give(coding=value))
        self.motor = QCheckBox("It moves or shows its value by itself")
        self.motor.setToolTip("The value goes back to it. Without, it does nothing until it has passed the value")
        self.motor.clicked.connect(lambda on: self._give(motor=on))
        self.said = label("", soft=True, wrap=True)
        self.list.offer(self.add, remove=self.remove, several=copies.of_faders(bridge))
        self._lay_out()
        bridge.fader_learned.connect(self._learned)
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        banks = QHBoxLayout()
        banks.addWidget(self.now, 1)
        for part in (self.back, self.on, self.fine):
            banks.addWidget(part)
        left.addLayout(banks)
        left.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.addWidget(self.add)
        line.addWidget(self.remove)
        left.addLayout(line)
        right = QVBoxLayout()
        self._form = QWidget()
        form = Form(self._form)
        form.add("It moves", self.quantity)
        form.add("Of", self.of)
        form.add("In bank", self.bank)
        form.add("It counts", self.coding)
        form.add_whole(self.motor)
        form.end()
        right.addWidget(self._form)
        right.addWidget(self.said)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 55)
        whole.addLayout(right, 45)

    # What is shown

    @property
    def fader(self) -> FaderGiven | None:
        return next((f for f in self._bridge.state.show.faders if f.id == self.fader_id), None)

    def choose(self, fader_id: str) -> None:
        self.fader_id = fader_id
        self.refresh()

    def refresh(self) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        bank, banks = state.automation.fader_bank, banks_of(state)
        fresh = [f.id for f in state.show.faders if f.id not in self._known]
        self._known = {f.id for f in state.show.faders}
        if fresh:
            self.fader_id = fresh[-1]
        if self.fader is None:
            self.fader_id = next((f.id for f in state.show.faders), None)
        rows = []
        for fader in sorted(state.show.faders, key=lambda f: (f.bank, f.control)):
            number = number_of(state, fader, now_s)
            where = STAY_WORDS if fader.bank == STAYS else f"bank {fader.bank}"
            words = f"{called(state, fader)}    {number.words if number is not None else '–'}"
            mine = fader.bank in (STAYS, bank)
            tip = f"{controlled(fader)}{f' of {fader.port}' if fader.port else ''}, {where}"
            rows.append(ListRow(fader.id, f"{words}    {tip}", None if mine else look.SOFT, tip))
        self.list.fill(rows or [ListRow("", EMPTY)], self.fader_id)
        self.now.setText(f"Bank {bank} of {banks}" if banks > 1 else "One bank")
        self.back.setEnabled(banks > 1)
        self.on.setEnabled(banks > 1)
        self.fine.setChecked(state.automation.fader_fine)
        self.add.setText("Listening …" if self.learning else "Add …")
        self._show_fader()

    def _show_fader(self) -> None:
        state, fader = self._bridge.state, self.fader
        self._form.setVisible(fader is not None)
        self.remove.setEnabled(fader is not None)
        if fader is None:
            self.said.setText(LISTENS if self.learning else "")
            return
        self.quantity.show_value(fader.quantity.value)
        self.of.offer(self._owners(fader.quantity))
        self.of.setEnabled(self.of.count() > 0)
        self.of.show_value(self._owner(fader))
        banks = min(MOST_BANKS, banks_of(state) + 1)
        self.bank.offer({str(STAYS): STAY_WORDS} | {str(n): f"bank {n}" for n in range(1, banks + 1)})
        self.bank.show_value(str(fader.bank))
        self.coding.show_value(fader.coding.value)
        self.motor.setChecked(fader.motor)
        picks = "" if fader.motor or fader.coding.relative else " It does nothing until it has passed the value."
        self.said.setText(LISTENS if self.learning else f"{controlled(fader).capitalize()}.{picks}")

    def _owners(self, quantity: Quantity) -> dict[str, str]:
        show = self._bridge.state.show
        if quantity is Quantity.LEVEL:
            return {str(m.number): f"{m.number}  {m.name}" for m in show.microphones}
        if quantity is Quantity.ROW:
            return {t.id: t.name for t in show.titles}
        if quantity is Quantity.INSET:
            return {str(n): f"inset {n}" for n in range(1, 5)}
        if quantity in OF_CAMERAS:
            cameras = sorted((c for c in show.cameras if c.steered), key=lambda c: c.number)
            return {SELECTED: "the selected camera"} | {str(c.number): f"{c.number}  {c.name}" for c in cameras}
        return {}

    def _owner(self, fader: FaderGiven) -> str:
        show = self._bridge.state.show
        if fader.quantity is Quantity.INSET:
            return str(fader.slot or 1)
        if fader.item is None:
            return SELECTED
        numbers = {m.id: m.number for m in show.microphones} | {c.id: c.number for c in show.cameras}
        return str(numbers.get(fader.item.id, fader.item.id))

    # What is asked

    def _learn(self) -> None:
        self.learning = not self.learning
        self._bridge.faders.learn(self.learning)
        self.refresh()

    def _learned(self, found: Learned) -> None:
        if not self.learning or found.coding is None:
            return
        self.learning = False
        relative = found.coding.relative
        self._bridge.act(
            "fader.give",
            control=found.control,
            port=found.port if found.control.startswith("midi ") else "",
            coding=found.coding.value,
            quantity=Quantity.MASTER.value,
            motor=relative or found.coding is Coding.SHARE,
        )
        self.refresh()

    def _quantity(self, value: str) -> None:
        owners = self._owners(Quantity(value))
        self._give(quantity=value, **self._owned(Quantity(value), next(iter(owners), "")))

    def _of(self, value: str) -> None:
        fader = self.fader
        if fader is not None:
            self._give(**self._owned(fader.quantity, value))

    @staticmethod
    def _owned(quantity: Quantity, value: str) -> dict[str, Any]:
        """As the action names whose number it is."""
        if quantity is Quantity.ROW:
            return {"title": value}
        if not value:
            return {}
        name = {Quantity.LEVEL: "mic", Quantity.INSET: "slot"}.get(quantity, "camera" if quantity in OF_CAMERAS else "")
        return {name: int(value)} if name else {}

    def _give(self, **changes: Any) -> None:
        """Anew, with what is changed; what it had in that bank before gives way."""
        fader = self.fader
        if fader is None:
            return
        given = fader.model_dump(mode="json", include={"control", "port", "coding", "bank", "quantity", "motor"})
        if "quantity" not in changes and not changes.keys() & {"mic", "camera", "title", "slot"}:
            changes |= self._owned(fader.quantity, self._owner(fader))
        self._bridge.act("fader.give", **{**given, **changes, "instead_of": fader.id})

    def _remove(self) -> None:
        if self.fader_id is not None:
            self._bridge.act("fader.remove", fader=self.fader_id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.learning:
            self._learn()
        else:
            super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        """Nobody waits for a control any more."""
        if self.learning:
            self._learn()
        super().hideEvent(event)
