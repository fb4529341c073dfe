"""Titles: what is in them tonight, and which go on. The picture shows program with the title over it."""

from datetime import datetime
from functools import partial
from pathlib import Path

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ribalta.core.engine.state.crew_lists import is_old
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.calls import Item, Kind, named
from ribalta.core.show.document.scenes import Title
from ribalta.core.show.document.templates import CARD, Template, shipped, shipped_names
from ribalta.core.show.document.uses import used_words
from ribalta.core.show.files.title_rows import Row
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.look.canvas import Canvas
from ribalta.desk.cue.look.title_table import TitleTable
from ribalta.desk.cue.look.title_texts import drawn, is_over, text_areas
from ribalta.desk.input.item_buttons import ItemButtons
from ribalta.desk.painting import look
from ribalta.desk.widgets.choose_file import ask_to_open
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label, line
from ribalta.desk.widgets.lists.cards import Cards
from ribalta.desk.widgets.lists.listing import Listing, ListRow
from ribalta.desk.widgets.lists.more import More
from ribalta.desk.words.slot_words import slot_state

MOVES = {"cut": "at once", "fade": "fading", "rise": "rising", "slide": "from the side"}
DRAWING = (108, 61, 22)  # pixels: wide, tall, and of its name
SAYS = {"on": "on air", "next": "with the next take", "goes": "goes with the next take", "": ""}


def changed_words(state: LiveState, title: Title, wall_s: float) -> str:
    """When its words were changed last, so that nobody goes out with last week's."""
    if title.changed_at_s is None:
        return "never changed"
    when = datetime.fromtimestamp(title.changed_at_s)
    return f"{'not today, but ' if is_old(state, title, wall_s) else 'today, '}{when:%d %B %H:%M}"


class TitlesPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.title_id: str | None = next((t.id for t in bridge.state.show.titles), None)
        self.list = Listing("Titles", self.choose)
        self.drawings = Cards(bridge, "Drawings for a new title", self._choose_drawing, pictured=True, size=DRAWING)
        self.drawings.itemDoubleClicked.connect(lambda _: self._add())
        self.drawing = ""
        self.add = button("Add", self._add, "A title with the drawing that is selected")
        self.bring = button("Own drawing …", self._bring, "An SVG with named texts, or a picture")
        self.remove = button("Remove", lambda: self._ask("title.remove"))
        self.canvas = Canvas(bridge, "Make a title on the left: its words are typed here.")
        self.canvas.pressed.connect(self._edit_there)
        self.canvas.setToolTip("Click words in the picture to change them there")
        self.on_picture = Field("Words in the picture", self._typed_there)
        self.on_picture.setParent(self.canvas)
        self.on_picture.hide()
        self._there = ""  # which text is typed in the picture
        self.give = ItemButtons(bridge, self, self._item)
        self.name = Field("The title's name", lambda text: self._change(name=text))
        self.moves = Choice("How it comes and goes", MOVES, lambda value: self._change(moves=value))
        self.on = button("On or off now", lambda: self._ask("title.switch"))
        self.later = button("With the next take", lambda: self._ask("title.switch", with_next=True))
        self.said = label("", wrap=True)
        self.rows = label("", soft=True)
        self.rows_in = button("Rows …", self._bring_rows, "From CSV or JSON: each row is what the title says once")
        self.before = button("‹", lambda: self._ask("title.row", by=-1), "The row before")
        self.after = button("›", lambda: self._ask("title.row", by=1), "The next row")
        self.table = TitleTable(self._rows_typed, lambda row: self._ask("title.row", to=row), self._say)
        self.sought = Field("Find a row by name", lambda text: self._ask("title.row", named=text), "Enter turns to it")
        self.sought.setPlaceholderText("find a row")
        self.minutes = Field("Minutes to count down", self._count)
        self.minutes.setPlaceholderText("minutes, then Enter")
        self.fields: dict[str, Field] = {}
        self._form = QWidget()
        offered = (self.on, self.later, self.add, *self.give.all)
        self.list.offer(*offered, remove=self.remove, several=copies.of_titles(bridge))
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 45)
        left.addWidget(self.drawings, 55)
        left.addLayout(line(self.add, More(self.bring, None, *self.give.all, None, self.remove)))
        self._right = QVBoxLayout()
        head = QWidget()
        form = Form(head)
        form.add("Title", self.name)
        form.add("Comes", self.moves)
        form.end()
        self._right.addWidget(head)
        self._right.addWidget(self._form)
        self._row_line = QWidget()
        self._row_line.setLayout(line(self.rows_in, self.before, self.after, self.sought))
        self._right.addWidget(self.rows)
        self._right.addWidget(self._row_line)
        self._right.addWidget(self.minutes)
        self._right.addLayout(line(self.on, self.later))
        self._right.addWidget(self.said)
        self._right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 22)
        middle = QVBoxLayout()
        middle.setSpacing(8)
        middle.addWidget(self.canvas)
        middle.addWidget(self.table, 1)
        whole.addLayout(middle, 50)
        whole.addLayout(self._right, 28)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The canvas is 16:9; the rows have the rest."""
        wide = int((self.width() - 24) * 0.5)
        self.canvas.setFixedHeight(min(wide * 9 // 16, max(180, self.height() - 150)))

    @property
    def title(self) -> Title | None:
        return self._bridge.state.show.titled(self.title_id or "")

    def choose(self, title_id: str) -> None:
        self.title_id = title_id
        self.refresh()

    def open_at(self, what: str) -> None:
        """A title, by its id; the keyboard goes to its first words."""
        self.choose(what)
        first = next(iter(self.fields.values()), None)
        if first is not None:
            first.setFocus()
            first.selectAll()

    def refresh(self) -> None:
        state, title = self._bridge.state, self.title
        if title is None and state.show.titles:
            self.title_id = state.show.titles[-1].id
            title = self.title
        self._fill_list()
        self._fill_drawings()
        self.give.refresh()
        dress = (
            state.program.overlays if title is None else state.program.overlays.with_(f"title{title.layer}", title.id)
        )
        self.canvas.show_made(state.program.on_air if title is not None else None, dress)
        for part in (self.name, self.moves, self.on, self.later, self.remove, self._row_line):
            part.setEnabled(title is not None)
        self.rows.setVisible(title is not None)
        if title is None:
            self._fill_fields(None, None)
            self.said.setText("")
            self.minutes.hide()
            self.table.show_title(None, ())
            return
        template = self._template(title)
        self.name.show_text(title.name, title)
        self.moves.show_value(title.moves)
        self._fill_fields(title, template)
        self.minutes.setVisible(template is not None and template.counts_down)
        count = len(title.rows)
        self.rows.setText(
            f"Row {title.row + 1} of {count}" if count else "No rows yet: type or paste them into the table."
        )
        for part in (self.before, self.after, self.sought):
            part.setEnabled(count > 0)
        self.table.show_title(title, list(self.fields))
        wall_s = self._bridge.now_s + state.wall_clock.offset_s
        trouble = self._bridge.media.troubles.get(title.id)
        says = SAYS[slot_state(state, f"title{title.layer}", title.id)]
        used = used_words(state.show, Kind.TITLE, title.id).rstrip(".")
        parts = [says.capitalize(), f"Changed {changed_words(self._bridge.state, title, wall_s)}", trouble or "", used]
        self.said.setText(" · ".join(part for part in parts if part))

    def _template(self, title: Title) -> Template | None:
        if title.template in shipped_names():
            return shipped(title.template)
        return None

    def _fill_list(self) -> None:
        state = self._bridge.state
        wall_s = self._bridge.now_s + state.wall_clock.offset_s
        rows = []
        for title in state.show.titles:
            says = SAYS[slot_state(state, f"title{title.layer}", title.id)]
            mark = " · not today's" if is_old(state, title, wall_s) else ""
            words = f"{title.name} · layer {title.layer}{mark}{' · ' if says else ''}{says}"
            rows.append(ListRow(title.id, words, look.WRONG if mark else None))
        self.list.fill(rows or [ListRow("", "No titles yet. Select a drawing below, then Add.")], self.title_id)

    def _fill_drawings(self) -> None:
        names = [name for name in shipped_names() if name != CARD]
        if not self.drawing:
            self.drawing = names[0]
        rows = [ListRow(name, name.capitalize(), drawn=drawn(name, *DRAWING[:2])) for name in names]
        self.drawings.fill(rows, self.drawing)

    def _choose_drawing(self, name: str) -> None:
        self.drawing = name

    def _item(self) -> Item | None:
        title = self.title
        return named(self._bridge.state.show, Kind.TITLE, title.id) if title is not None else None

    # Typed in the picture

    def _edit_there(self, x: float, y: float) -> None:
        """The words that were clicked can be typed where they stand."""
        title = self.title
        template = self._template(title) if title is not None else None
        if title is None or template is None:
            return
        areas = text_areas(template, title.values)
        self._there = is_over(areas, x, y)
        self.on_picture.setVisible(bool(self._there))
        if self._there:
            whole, area = self.canvas.area(), areas[self._there]
            wide = max(float(look.scaled(160)), area.width() * whole.width())
            left = min(whole.left() + area.left() * whole.width(), whole.right() - wide)
            top = whole.top() + area.center().y() * whole.height() - look.scaled(14)
            self.on_picture.setGeometry(round(left), round(top), round(wide), look.scaled(28))
            self.on_picture.show_text(self.fields[self._there].text(), (title.id, self._there))
            self.on_picture.setFocus()
            self.on_picture.selectAll()

    def _typed_there(self, text: str) -> None:
        if self._there:
            self._word(self._there, text)
        self.on_picture.hide()

    def _rows_typed(self, rows: tuple[Row, ...]) -> None:
        self._ask("title.rows", rows=[list(row) for row in rows], keep=True)

    def _say(self, sentence: str, refused: bool) -> None:
        self._bridge.noticed.emit(Notice(sentence, Severity.REFUSED if refused else Severity.INFO))

    def _fill_fields(self, title: Title | None, template: Template | None) -> None:
        """A field for each text of the drawing; made anew when another title is chosen."""
        names = [f.name for f in template.fields] if template is not None else []
        if title is not None and template is None:
            names = list(title.values)
        if list(self.fields) != names:
            self.fields = {name: Field(name, partial(self._word, name)) for name in names}
            old_form, self._form = self._form, QWidget()
            form = Form(self._form)
            for name, part in self.fields.items():
                form.add(name.capitalize(), part)
            form.end()
            self._right.replaceWidget(old_form, self._form)
            old_form.deleteLater()
        defaults = {f.name: f.text for f in template.fields} if template is not None else {}
        for name, part in self.fields.items():
            part.show_text(title.values.get(name, defaults.get(name, "")) if title is not None else "", title)

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.title_id is not None:
            self._bridge.act(action, title=self.title_id, **arguments)

    def _change(self, **changes: object) -> None:
        self._ask("title.change", **changes)

    def _word(self, name: str, text: str) -> None:
        self._change(fields={name: text})

    def _count(self, text: str) -> None:
        try:
            self._ask("title.count", seconds=60 * float(text.replace(",", ".")))
        except ValueError:
            self.minutes.clear()

    def _add(self) -> None:
        name = self.drawing
        fields = {f.name: f.text for f in shipped(name).fields}
        layer = {"scoreboard": 2, "countdown": 2, "corner": 3}.get(name, 1)
        self.title_id = None
        self._bridge.act("title.add", template=name, name=name.capitalize(), layer=layer, fields=fields)

    def _bring(self) -> None:
        def chosen(path: Path) -> None:
            self.title_id = None
            self._bridge.transfers.bring_in_title(path)

        ask_to_open(self._bridge, self, "A drawing for a title", "Drawings (*.svg *.png *.jpg)", chosen)

    def _bring_rows(self) -> None:
        title_id, into = self.title_id, self._bridge.transfers.bring_in_rows
        if title_id is not None:
            asked = "Rows for this title"
            ask_to_open(self._bridge, self, asked, "Tables (*.csv *.json)", lambda path: into(title_id, path))
