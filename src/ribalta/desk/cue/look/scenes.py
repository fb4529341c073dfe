"""Scenes, and the desk's own insets and key: what each is made of, on a canvas with the real pictures."""

from functools import partial

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from ribalta.core.engine.actions.program.scenes import shot_of
from ribalta.core.ports.shots import NO_OVERLAYS, Overlays
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.document.model import LETTERS
from ribalta.core.show.document.scenes import Inset, Scene
from ribalta.core.show.document.uses import used_words
from ribalta.desk.bridge import Bridge
from ribalta.desk.cue import copies
from ribalta.desk.cue.look.canvas import Canvas
from ribalta.desk.cue.look.sources import NOTHING, SourceChoice, arguments_of
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label
from ribalta.desk.widgets.listing import Listing, ListRow

EMPTY = "No scene is chosen. Store what is on air as one, or choose one on the left."
LOWER_PX = 220  # what the form below the canvas needs
OWN = 0  # the number of what the desk has itself
CROPS = ("left", "top", "right", "below")


class ScenesPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.number: int = OWN
        self.slot = 1
        self.list = Listing("Scenes", lambda key: self.choose(int(key)))
        self.canvas = Canvas(bridge, EMPTY, by_hand=True)
        self.canvas.moved.connect(self._moved)
        self.canvas.chosen.connect(self.choose_slot)
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
        self.list.offer(self.ready, self.store, remove=self.remove, several=copies.of_scenes(bridge))
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
        line.addWidget(self.remove)
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
        form.add("Inset", slots, "Key shows", self.key_fill)
        form.add("shows", self.source)
        form.add("Cut off left %", self.crops["left"], "right %", self.crops["right"])
        form.add("top %", self.crops["top"], "below %", self.crops["below"])
        form.add("Border %", self.border, "Corners %", self.corner)
        form.end()
        self.note = label("", soft=True, wrap=True)
        middle = QVBoxLayout()
        middle.setSpacing(8)
        middle.addWidget(self.canvas)
        middle.addWidget(lower, 1)
        right = QVBoxLayout()
        right.addWidget(self._scene_form)
        right.addWidget(self.note)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 18)
        whole.addLayout(middle, 56)
        whole.addLayout(right, 26)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The canvas is 16:9, as wide as it can be with room for the form below."""
        wide = int((self.width() - 24) * 0.56)
        self.canvas.setFixedHeight(min(wide * 9 // 16, max(180, self.height() - LOWER_PX)))

    # What is chosen

    @property
    def scene(self) -> Scene | None:
        return self._bridge.state.show.scene_numbered(self.number)

    def choose(self, number: int) -> None:
        """A scene by its number, or OWN."""
        self.number = number
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
        rows = [ListRow(str(OWN), "The desk's own")]
        for scene in self._bridge.state.show.scenes:
            rows.append(ListRow(str(scene.number), f"{LETTERS[(scene.number - 1) % 10]}   {scene.name}"))
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

    def _moved(self, slot: int, left: float, top: float, wide: float) -> None:
        self.slot = slot
        self._inset(left=round(left, 4), top=round(top, 4), wide=round(wide, 4))

    def _crop(self, k: int, text: str) -> None:
        inset, share = self.dress().on(f"inset{self.slot}"), _share(text)
        if isinstance(inset, Inset) and share is not None:
            self._inset(crop=(*inset.crop[:k], share, *inset.crop[k + 1 :]))

    def _title(self, layer: int, value: str) -> None:
        self._ask("scene.title", layer=layer, title=value or None)


def _share(text: str) -> float | None:
    """From % as somebody types it; None when it is no number."""
    try:
        return float(text.replace(",", ".").strip(" %")) / 100
    except ValueError:
        return None
