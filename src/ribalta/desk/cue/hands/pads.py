"""Pages of pads: what each pad does, shows and is called, and the controller that they drive."""

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.engine.views.offers import call_words
from ribalta.core.engine.views.pad_state import picture_item
from ribalta.core.show.automation.calls import Call, Item, Kind, broken
from ribalta.core.show.automation.triggers_pads_shortcuts import Page, Surface
from ribalta.core.show.document.uses import uses
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.input.item_buttons import pad_arguments
from ribalta.desk.painting import look
from ribalta.desk.widgets.action_chooser import CallEditor
from ribalta.desk.widgets.colours import COLOURS
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label
from ribalta.desk.widgets.lists.browser import Browser
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.lists.more import More
from ribalta.desk.widgets.macro_steps import item_of, things, value_of
from ribalta.desk.widgets.pad_page import USABLE, PadGrid
from ribalta.desk.widgets.palette import Palette

SIDES = {str(n): str(n) for n in range(2, 9)}
EMPTY = "No pages of pads yet. Make one with Add, then drag pictures onto its pads."
HOW = "Drag pictures onto pads from below; drag a pad to move it; click one to say more."
NO_SURFACE, OWN = "", "the picture of what it does"


class PadsPage(QWidget):
    window_wanted = Signal(str)

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        super().__init__()
        self._bridge = bridge
        self.page_id: str | None = next((p.id for p in bridge.state.show.pages), None)
        self._known = {p.id for p in bridge.state.show.pages}
        self.list = Listing("Pages of pads", self.choose)
        self.new = button("Add", lambda: bridge.act("page.add"))
        self.remove = button("Remove", lambda: self._ask("page.remove"))
        self.window_button = button("In a window", lambda: self.window_wanted.emit("pads"))
        self.grid = PadGrid(bridge, editing=True)
        self.grid.chosen.connect(lambda _: self.refresh())
        self.grid.moved.connect(self._moved)
        self.grid.dropped.connect(self._put_from)
        self.browser = Browser(bridge, USABLE, self._put, "Drag onto a pad")
        self.name = Field("The page's name", lambda text: self._change(name=text))
        self.columns = Choice("Columns", SIDES, lambda v: self._change(columns=int(v)))
        self.rows = Choice("Rows", SIDES, lambda v: self._change(rows=int(v)))
        self.plain = QCheckBox("Plain: for a volunteer, fixed until a code is given")
        self.plain.clicked.connect(lambda on: self._change(plain=on))
        self.code = Field("Code", lambda text: self._change(code=text))
        self.port = Choice("MIDI controller", {NO_SURFACE: "none"}, self._port)
        self.first = Field("First note", partial(self._surface, "first_note"))
        self.step = Field("Notes from row to row", partial(self._surface, "row_step"))
        self.label = Field("The pad's label", lambda text: self._set(label=text))
        self.colour = Choice("Colour", COLOURS, lambda v: self._set(colour=v))
        self.picture = Choice("Picture", {}, self._picture)
        self.call = CallEditor(bridge, palette, "What the pad does")
        self.call.changed.connect(partial(self._call, "call"))
        self.long = CallEditor(bridge, palette, "What a long press does", removable=True)
        self.long.changed.connect(partial(self._call, "long_call"))
        self.clear = button("Clear this pad", self._clear)
        self.back = button("Back to the page", self._back, "Its name, its size and its controller")
        self.said = label("", soft=True, wrap=True)
        self.list.offer(self.window_button, self.new, remove=self.remove, several=copies.of_pages(bridge))
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        line = QHBoxLayout()
        line.addWidget(self.new)
        line.addWidget(More(self.window_button, self.remove))
        left.addLayout(line)
        self._page_form = QWidget()
        form = Form(self._page_form)
        form.add("Name", self.name)
        form.add("Columns", self.columns, "Rows", self.rows)
        form.add_whole(self.plain)
        form.add("Code", self.code)
        form.add("Controller", self.port)
        form.add("First note", self.first, "Row step", self.step)
        middle = QVBoxLayout()
        middle.addWidget(self.grid, 62)
        middle.addWidget(self.said)
        middle.addWidget(self.browser, 38)
        right = QVBoxLayout()
        self._pad_form = QWidget()
        form = Form(self._pad_form)
        form.add("Label", self.label)
        form.add("Colour", self.colour)
        form.add("Picture", self.picture)
        self.head = label("")
        self.head.setFont(look.font(16, look.BOLD))
        self._long_head = label("Long press")
        self._long_head.setFont(look.font(15, look.BOLD))
        whole_pad: tuple[QWidget, ...] = (
            self.head,
            self._pad_form,
            self.call,
            self._long_head,
            self.long,
            self.clear,
            self.back,
        )
        right.addWidget(self._page_form)
        for one in (*whole_pad, self.clear, self.back):
            right.addWidget(one)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 18)
        whole.addLayout(middle, 52)
        whole.addLayout(right, 30)

    # What is shown

    @property
    def page(self) -> Page | None:
        return self._bridge.state.show.page(self.page_id or "")

    def open_at(self, what: str) -> None:
        """A pad, as “page:place”."""
        page_id, _, at = what.partition(":")
        self.choose(page_id)
        self.grid.selected = int(at) if at.isdigit() else None
        self.refresh()

    def choose(self, page_id: str) -> None:
        self.page_id, self.grid.selected = page_id, None
        self.refresh()

    def refresh(self) -> None:
        state = self._bridge.state
        fresh = [p.id for p in state.show.pages if p.id not in self._known]
        self._known = {p.id for p in state.show.pages}
        if fresh:
            self.page_id, self.grid.selected = fresh[-1], None
        if self.page is None:
            self.page_id = state.show.pages[0].id if state.show.pages else None
        page = self.page
        if self.grid.page_id != self.page_id:
            self.grid.show_page(self.page_id)
        self.grid.refresh()
        self.browser.refresh()
        rows = [
            ListRow(p.id, f"{p.name}   {p.columns} × {p.rows}{'   plain' if p.plain else ''}") for p in state.show.pages
        ]
        self.list.fill(rows, self.page_id)
        for part in (self.remove, self.window_button):
            part.setEnabled(page is not None)
        self._page_form.setVisible(page is not None and self.grid.selected is None)
        if page is not None:
            self._fill_page(page)
        self._fill_pad(page)

    def _fill_page(self, page: Page) -> None:
        self.name.show_text(page.name, page)
        self.columns.show_value(str(page.columns))
        self.rows.show_value(str(page.rows))
        self.plain.setChecked(page.plain)
        self.code.setEnabled(page.plain)
        self.code.setPlaceholderText("set" if page.code_hash else "none is needed")
        outputs = self._bridge.messages.midi_names[1]
        surface = page.surface
        wanted = [surface.port] if surface is not None and surface.port else []
        self.port.offer({NO_SURFACE: "none"} | {name: name for name in dict.fromkeys((*outputs, *wanted))})
        self.port.show_value(surface.port if surface is not None else NO_SURFACE)
        self.port.setToolTip(self._bridge.messages.midi_trouble or "Its pads light up as these do")
        for part, name in ((self.first, "first_note"), (self.step, "row_step")):
            part.setEnabled(surface is not None)
            part.show_text(str(getattr(surface, name)) if surface is not None else "", page)

    def _fill_pad(self, page: Page | None) -> None:
        state, at = self._bridge.state, self.grid.selected
        chosen = page is not None and at is not None and at < page.columns * page.rows
        for part in (self._pad_form, self.call, self._long_head, self.long, self.clear, self.back):
            part.setVisible(chosen)
        if page is None or at is None or not chosen:
            self.head.hide()
            self.said.setText(EMPTY if page is None else HOW)
            return
        pad = page.pad(at)
        self.head.setText(f"Pad {at + 1}")
        self.head.show()
        self.label.show_text(pad.label if pad is not None else "", pad)
        self.colour.show_value(pad.colour if pad is not None else "")
        self.picture.offer({"": OWN} | things(state, (Kind.FRAMING, Kind.SCENE)))
        self.picture.show_value(value_of(pad.picture) if pad is not None else "")
        self.call.show_call(pad.call if pad is not None else None)
        self.long.show_call(pad.long_call if pad is not None else None)
        self.clear.setEnabled(pad is not None)
        if pad is None:
            self.said.setText("This pad is empty.")
            return
        calls = [c for c in (pad.call, pad.long_call) if c is not None]
        troubles = [said for call in calls if (said := broken(state.show, call))]
        item = picture_item(pad, state)
        others = [u.words for u in uses(state.show).get(item.key, ())] if item is not None else []
        also = f" What it shows is also used by {', '.join(others)}." if len(others) > 1 else ""
        words = call_words(state, pad.call) if pad.call is not None else "Does nothing yet"
        self.said.setText(f"Broken: {troubles[0]}." if troubles else f"{words}.{also}")

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.page_id is not None:
            self._bridge.act(action, pads=self.page_id, **arguments)

    def _change(self, **changes: object) -> None:
        self._ask("page.change", **changes)

    def _port(self, name: str) -> None:
        page = self.page
        if page is None:
            return
        if name == NO_SURFACE:
            self._change(no_surface=True)
            return
        made = (page.surface or Surface(row_step=page.columns)).model_copy(update={"port": name})
        self._change(surface=made.model_dump(mode="json"))

    def _surface(self, name: str, text: str) -> None:
        page = self.page
        if page is None or page.surface is None:
            return
        try:
            value = int(text)
        except ValueError:
            self.refresh()
            return
        self._change(surface=page.surface.model_dump(mode="json") | {name: value})

    def _set(self, **changes: object) -> None:
        if self.grid.selected is not None:
            self._ask("pad.set", at=self.grid.selected, **changes)

    def _call(self, which: str, call: Call | None) -> None:
        page, at = self.page, self.grid.selected
        if page is None or at is None:
            return
        if call is None:
            self._set(clear=[which])
            return
        changes: dict[str, object] = {which: call.model_dump(mode="json")}
        changes["follows"] = "item" if call.items else "position"
        pad = page.pad(at)
        if which == "call" and (pad is None or not pad.label):
            framing = next((i.called for i in call.items if i.called), "")
            changes["label"] = (framing or call_words(self._bridge.state, call))[:60]
        self._set(**changes)

    def _put(self, items: tuple[Item, ...]) -> None:
        """On the pad that is selected and those behind it, or on those that are free."""
        page = self.page
        if page is None:
            self._bridge.act("page.add")
            return
        taken = {pad.at for pad in page.pads}
        free = next((k for k in range(page.columns * page.rows) if k not in taken), 0)
        self._put_from(items, self.grid.selected if self.grid.selected is not None else free)

    def _put_from(self, items: tuple[Item, ...], at: int) -> None:
        """One after another, from this pad on; as one edit."""
        page = self.page
        if page is None:
            return
        calls = []
        for k, item in enumerate(items):
            arguments = pad_arguments(self._bridge, item)
            if arguments is not None and at + k < page.columns * page.rows:
                calls.append(Call(action="pad.set", arguments={"pads": page.id, "at": at + k, **arguments}))
        if len(calls) == 1:
            self._bridge.call(calls[0])
        elif calls:
            asked = [call.model_dump(mode="json") for call in calls]
            self._bridge.act("edit.together", calls=asked, what=f"filled {len(calls)} pads of “{page.name}”")
        self.grid.selected = at
        self.refresh()

    def _picture(self, value: str) -> None:
        item = item_of(self._bridge.state, value)
        self._set(**({"picture": item.model_dump(mode="json")} if item is not None else {"clear": ["picture"]}))

    def _clear(self) -> None:
        if self.grid.selected is not None:
            self._ask("pad.clear", at=self.grid.selected)

    def _back(self) -> None:
        self.grid.selected = None
        self.grid.update()
        self.refresh()

    def _moved(self, at: int, to: int) -> None:
        self._ask("pad.move", at=at, to=to)
        self.grid.selected = to
