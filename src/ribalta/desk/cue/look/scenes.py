"""Scenes, and the desk's own insets and key: what each is made of, on a canvas with the real pictures."""

from functools import partial

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ribalta.core.engine.actions.program.scenes import shot_of
from ribalta.core.ports.shots import NO_OVERLAYS, Overlays
from ribalta.core.show.automation.calls import Item, Kind, find, named
from ribalta.core.show.document.model import LETTERS
from ribalta.core.show.document.scenes import Inset, Scene
from ribalta.core.show.document.uses import used_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.look.canvas import NEW_WIDE, Canvas, Zone
from ribalta.desk.cue.look.sources import NOTHING, SourceChoice, arguments_for, arguments_of
from ribalta.desk.input.item_buttons import ItemButtons
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label
from ribalta.desk.widgets.lists.browser import Browser, picture_name
from ribalta.desk.widgets.lists.cards import Cards
from ribalta.desk.widgets.lists.listing import ListRow
from ribalta.desk.widgets.lists.more import More

EMPTY = "No scene is selected. Drag a framing here to make one, or store what is on air."
LOWER_PX = 150  # what the pictures below the canvas need
LEFT_PX, RIGHT_PX, LEAST_PX = 178, 316, 180
DRAGGED = (Kind.FRAMING, Kind.CAMERA, Kind.MEDIUM, Kind.TITLE)
OWN = 0  # the number of what the desk has itself
CROPS = ("left", "top", "right", "below")


class ScenesPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.number: int = OWN
        self.slot = 1
        self.list = Cards(bridge, "Scenes", lambda key: self.choose(int(key)), pictured=True)
        self.canvas = Canvas(bridge, EMPTY, by_hand=True)
        self.canvas.moved.connect(self._moved)
        self.canvas.chosen.connect(self.choose_slot)
        self.canvas.dropped.connect(self._dropped)
        self.browser = Browser(bridge, DRAGGED, self._put, "Drag onto the picture")
        self.give = ItemButtons(bridge, self, self._item)
        self.store = button("Store what is on air", self._store, "As a new scene, with all that lies over it")
        self.ready = button("Ready it", lambda: self._ask("scene.ready"), "All its cameras go to their framings")
        self.remove = button("Remove", lambda: self._ask("scene.remove"))
        self.name = Field("The scene's name", lambda text: self._ask("scene.rename", name=text))
        self.base = SourceChoice("Base picture", {}, self._base)
        self.slots = [self._slot_button(n) for n in (1, 2, 3, 4)]
        self.source = SourceChoice("The inset's picture", {}, self._source)
        self.crops = {name: Field(f"Cut off, {name}, %", partial(self._crop, k)) for k, name in enumerate(CROPS)}
        self.border = Field("Border, % of the width", lambda text: self._inset(border=_share(text)))
        self.corner = Field("Round corners, %", lambda text: self._inset(corner=_share(text)))
        self.titles = [Choice(f"Title in layer {n}", {}, partial(self._title, n)) for n in (1, 2, 3)]
        self.own = QCheckBox("Has a transition of its own")
        self.own.setToolTip("The one that is set on Air now")
        self.own.clicked.connect(lambda on: self._ask("scene.transition", own=on))
        self.sound = QCheckBox("Opens the microphones that are open now")
        self.sound.clicked.connect(lambda on: self._ask("scene.sound", own=on))
        self.key_fill = SourceChoice("What the key lays over", {}, self._key)
        self.list.offer(self.ready, self.store, *self.give.all, remove=self.remove, several=copies.of_scenes(bridge))
        self._lay_out()
        self.refresh()

    def _slot_button(self, n: int) -> QPushButton:
        made = button(str(n), lambda: self.choose_slot(n), f"Inset {n}")
        made.setCheckable(True)
        made.setObjectName("mark")
        return made

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addWidget(self.store)
        line = QHBoxLayout()
        line.addWidget(self.ready)
        line.addWidget(More(*self.give.all, None, self.remove))
        left.addLayout(line)
        self._scene_form, lower = QWidget(), QWidget()
        form = Form(self._scene_form)
        form.add("Name", self.name)
        form.add("Base", self.base)
        for n, choice in enumerate(self.titles, 1):
            form.add(f"Title {n}", choice)
        form.add_whole(self.own)
        form.add_whole(self.sound)
        form.end()
        slots = QWidget()
        row = QHBoxLayout(slots)
        row.setContentsMargins(0, 0, 0, 0)
        for part in self.slots:
            row.addWidget(part)
        form = Form(lower)
        form.add("Key shows", self.key_fill)
        form.add("Inset", slots)
        form.add("shows", self.source)
        form.add("Cut off left %", self.crops["left"], "right %", self.crops["right"])
        form.add("top %", self.crops["top"], "below %", self.crops["below"])
        form.add("Border %", self.border, "Corners %", self.corner)
        form.end()
        self.note = label("", soft=True, wrap=True)
        middle = QVBoxLayout()
        middle.setSpacing(8)
        middle.addWidget(self.canvas)
        middle.addWidget(self.browser, 1)
        right = QVBoxLayout()
        right.addWidget(self._scene_form)
        right.addWidget(lower)
        right.addWidget(self.note)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        for column, pixels in ((left, LEFT_PX), (middle, 0), (right, RIGHT_PX)):
            side = QWidget()
            column.setContentsMargins(0, 0, 0, 0)
            side.setLayout(column)
            if pixels:
                side.setFixedWidth(look.scaled(pixels))
            whole.addWidget(side, 0 if pixels else 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The canvas is 16:9, as wide as it can be with room for the pictures below."""
        wide = self.width() - look.scaled(LEFT_PX) - look.scaled(RIGHT_PX) - 24
        self.canvas.setFixedHeight(max(LEAST_PX, min(wide * 9 // 16, self.height() - LOWER_PX)))

    # What is chosen

    def _item(self) -> Item | None:
        scene = self.scene
        return named(self._bridge.state.show, Kind.SCENE, scene.id) if scene is not None else None

    @property
    def scene(self) -> Scene | None:
        return self._bridge.state.show.scene_numbered(self.number)

    def choose(self, number: int) -> None:
        """A scene by its number, or OWN; with it the first of its insets."""
        self.number = number
        slots = [n for n in range(1, 5) if self.dress().on(f"inset{n}") is not None]
        if slots and self.slot not in slots:
            self.slot = slots[0]
        self.refresh()

    def choose_slot(self, slot: int) -> None:
        self.slot = self.canvas.slot = slot
        self.refresh()

    def dress(self) -> Overlays:
        """What lies over the picture here: the scene's, or the desk's own."""
        scene, show, made = self.scene, self._bridge.state.show, NO_OVERLAYS
        insets, key = (scene.insets, scene.key) if scene is not None else (show.insets, show.key)
        for inset in insets:
            made = made.with_(f"inset{inset.slot}", inset)
        if key is not None:
            made = made.with_("key", key)
        for n, title_id in enumerate(scene.title_ids if scene is not None else (), 1):
            if title_id is not None and show.titled(title_id) is not None:
                made = made.with_(f"title{n}", title_id)
        return made

    def refresh(self) -> None:
        state, scene = self._bridge.state, self.scene
        if scene is None:
            self.number = OWN
        self._fill_list()
        dress = self.dress()
        self.canvas.slot = self.slot
        self.canvas.has_base = scene is not None or state.program.on_air is None or not state.show.scenes
        self.browser.refresh()
        self.give.refresh()
        self.canvas.show_made(shot_of(scene) if scene is not None else state.program.on_air, dress)
        self._scene_form.setVisible(scene is not None)
        self.ready.setEnabled(scene is not None)
        self.remove.setEnabled(scene is not None)
        if scene is not None:
            self.name.show_text(scene.name, scene)
            self.base.fill(state.show, scene.base)
            self.own.setChecked(scene.transition is not None)
            own = scene.transition.words if scene.transition is not None else "none"
            self.own.setText(f"Transition of its own: {own}")
            self.sound.setChecked(scene.open_mics is not None)
        self._fill_inset(dress)
        self._fill_titles(scene)
        key = scene.key if scene is not None else state.show.key
        self.key_fill.fill(state.show, key.fill if key is not None else None)
        self.key_fill.setEnabled(scene is None)
        own = "The desk's own insets and key lie over whatever is on air: Ctrl+1 to Ctrl+4 and Ctrl+5 on Air."
        shown = "Cameras that are elsewhere now are seen as their framings were stored. Ready it to see them live."
        used = used_words(state.show, Kind.SCENE, scene.id) if scene is not None else ""
        self.note.setText(f"{shown} {used}".strip() if scene is not None else own)

    def _fill_list(self) -> None:
        show = self._bridge.state.show
        own = f"{len(show.insets)} {'inset' if len(show.insets) == 1 else 'insets'}"
        rows = [ListRow(str(OWN), f"The desk's own\nover anything · {own}")]
        for scene in show.scenes:
            sources = len(scene.sources)
            about = f"{LETTERS[(scene.number - 1) % 10]} · {sources} {'picture' if sources == 1 else 'pictures'}"
            titles = sum(t is not None for t in scene.title_ids)
            about += f", {titles} {'title' if titles == 1 else 'titles'}" if titles else ""
            gone = any(find(show, item) is None for item in _items_in(scene))
            picture = picture_name(show, named(show, Kind.SCENE, scene.id))
            ink, tip = (look.WRONG, "something of it was removed") if gone else (None, "")
            rows.append(ListRow(str(scene.number), f"{scene.name}\n{about}", ink, tip, picture))
        self.list.fill(rows, str(self.number))

    def _fill_inset(self, dress: Overlays) -> None:
        for n, press in enumerate(self.slots, 1):
            press.setChecked(n == self.slot)
            press.setText(f"{n} •" if dress.on(f"inset{n}") is not None else str(n))
        inset = dress.on(f"inset{self.slot}")
        there = isinstance(inset, Inset)
        self.source.fill(self._bridge.state.show, inset.source if isinstance(inset, Inset) else None)
        for k, part in enumerate(self.crops.values()):
            part.setEnabled(there)
            part.show_text(f"{100 * inset.crop[k]:g}" if isinstance(inset, Inset) else "", inset)
        for part, name in ((self.border, "border"), (self.corner, "corner")):
            part.setEnabled(there)
            part.show_text(f"{100 * getattr(inset, name):g}" if there else "", inset)

    def _fill_titles(self, scene: Scene | None) -> None:
        show = self._bridge.state.show
        for n, choice in enumerate(self.titles, 1):
            words = {NOTHING: "–"} | {t.id: t.name for t in show.titles if t.layer == n}
            if [choice.itemText(k) for k in range(choice.count())] != list(words.values()):
                choice.clear()
                for value, word in words.items():
                    choice.addItem(word, value)
            choice.show_value((scene.title_ids[n - 1] if scene is not None else None) or NOTHING)

    # What is asked

    def _ask(self, action: str, **arguments: object) -> None:
        if self.number != OWN:
            self._bridge.act(action, scene=self.number, **arguments)

    def _store(self) -> None:
        taken = {s.number for s in self._bridge.state.show.scenes}
        self.number = next((n for n in range(1, 100) if n not in taken), OWN)
        self._bridge.act("scene.store")

    def _base(self, value: str) -> None:
        if arguments_of(value):
            self._ask("scene.base", **arguments_of(value))

    def _source(self, value: str) -> None:
        asked = arguments_of(value)
        if asked:
            self._inset(**asked)
        elif self.number != OWN:
            self._ask("scene.inset", slot=self.slot, remove=True)
        else:
            self._bridge.act("inset.remove", slot=self.slot)

    def _key(self, value: str) -> None:
        if arguments_of(value):
            self._bridge.act("key.change", **arguments_of(value))

    def _inset(self, **changes: object) -> None:
        if any(value is None for value in changes.values()):
            self.refresh()  # not a number: what is known is shown again
        elif self.number != OWN:
            self._ask("scene.inset", slot=self.slot, **changes)
        else:
            self._bridge.act("inset.change", slot=self.slot, **changes)

    def _moved(self, inset: Inset) -> None:
        self.slot = inset.slot
        place = {name: round(getattr(inset, name), 4) for name in ("left", "top", "wide")}
        self._inset(**place, crop=inset.crop)

    # What is dragged, or put in by Enter

    def _dropped(self, items: tuple[Item, ...], zone: Zone) -> None:
        if zone.what == "title":
            self._put_title(items[0])
            return
        asked = arguments_for(self._bridge.state.show, items[0])
        if not asked:
            return
        if zone.what == "base":
            self._ask_base(asked)
            return
        if zone.what == "key":
            self._bridge.act("key.change", **asked)
            return
        self.choose_slot(zone.slot)
        area = self.canvas.area()
        left, top = (zone.area.left() - area.left()) / area.width(), (zone.area.top() - area.top()) / area.height()
        place = {"left": round(left, 4), "top": round(top, 4), "wide": NEW_WIDE} if zone.new else {}
        self._inset(**asked, **place)

    def _put(self, items: tuple[Item, ...]) -> None:
        """By Enter: a title into its layer; the first picture is the base of a scene, others its next free insets."""
        for item in items:
            if item.kind is Kind.TITLE:
                self._put_title(item)
                continue
            asked = arguments_for(self._bridge.state.show, item)
            free = next((n for n in range(1, 5) if self.canvas.inset(n) is None), self.slot)
            if self.scene is None and self.number == OWN and not self._bridge.state.show.insets:
                self._ask_base(asked)
            elif asked:
                self.choose_slot(free)
                self._inset(**asked)

    def _put_title(self, item: Item) -> None:
        title = self._bridge.state.show.titled(item.id)
        if title is not None:
            self._title(title.layer, title.id)

    def _ask_base(self, asked: dict[str, object]) -> None:
        """Of the scene that is selected, or of a new one."""
        if self.number != OWN:
            self._ask("scene.base", **asked)
            return
        taken = {s.number for s in self._bridge.state.show.scenes}
        self.number = next((n for n in range(1, 100) if n not in taken), OWN)
        self._bridge.act("scene.add", **asked)

    def _crop(self, k: int, text: str) -> None:
        inset, share = self.dress().on(f"inset{self.slot}"), _share(text)
        if isinstance(inset, Inset) and share is not None:
            self._inset(crop=(*inset.crop[:k], share, *inset.crop[k + 1 :]))

    def _title(self, layer: int, value: str) -> None:
        self._ask("scene.title", layer=layer, title=value or None)


def _items_in(scene: Scene) -> list[Item]:
    """What a scene shows."""
    found = [
        Item(kind=kind, id=part_id)
        for source in scene.sources
        for kind, part_id in (
            (Kind.CAMERA, source.camera_id),
            (Kind.FRAMING, source.framing_id),
            (Kind.MEDIUM, source.medium_id),
        )
        if part_id is not None
    ]
    return found + [Item(kind=Kind.TITLE, id=t) for t in scene.title_ids if t is not None]


def _share(text: str) -> float | None:
    """From % as somebody types it; None when it is no number."""
    try:
        return float(text.replace(",", ".").strip(" %")) / 100
    except ValueError:
        return None
