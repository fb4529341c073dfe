"""Where a camera stands, in numbers, and solving that from marks that it was aimed at."""

from PySide6.QtWidgets import QHBoxLayout, QWidget

from ribalta.core.show.document.model import Camera
from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label

FIELDS = {
    "x_m": ("East", "m"),
    "y_m": ("North", "m"),
    "z_m": ("Height of the lens", "m"),
    "heading_deg": ("Heading", "°"),
    "tilt_deg": ("Base tilted up", "°"),
    "roll_deg": ("Base leaning right", "°"),
}


class PlacePage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._camera: Camera | None = None
        self.fields = {
            name: Field(f"{words} in {unit}", lambda text, name=name: self._keep(name, text))  # type: ignore[misc]
            for name, (words, unit) in FIELDS.items()
        }
        self.hung = Choice("Mounted", {"no": "standing", "yes": "hung upside down"}, self._hang)
        form = Form(self)
        names = list(FIELDS)
        for one, other in zip(names[::2], names[1::2], strict=True):
            form.add(self._words(one), self.fields[one], self._words(other), self.fields[other])
        form.add("Mounted", self.hung)
        self.say = label("", soft=True, wrap=True)
        form.add_whole(self.say)
        self.mark = Choice("Mark in the middle of the picture", {})
        aims = QWidget()
        line = QHBoxLayout(aims)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.mark, 1)
        self.take = button("The picture is on it", self._take_sight, "Aim the camera at the mark, then press this")
        self.solve = button("Work out", self._solve, "From three marks or more: where the camera stands")
        self.clear = button("Begin again", lambda: bridge.placing.forget_sights(self._id()))
        for part in (self.take, self.solve, self.clear):
            line.addWidget(part)
        form.add_whole(aims)
        form.end()

    @staticmethod
    def _words(name: str) -> str:
        words, unit = FIELDS[name]
        return f"{words} ({unit})"

    def _id(self) -> str:
        return self._camera.id if self._camera is not None else ""

    def show_camera(self, camera: Camera | None) -> None:
        self._camera = camera
        if camera is None:
            return
        for name, field in self.fields.items():
            field.show_text(f"{getattr(camera.place, name):g}", camera)
        self.hung.show_value("yes" if camera.place.hung else "no")
        marks = {m.id: m.name for m in self._bridge.state.show.marks}
        if [self.mark.itemData(k) for k in range(self.mark.count())] != list(marks):
            self.mark.clear()
            for mark_id, name in marks.items():
                self.mark.addItem(name, mark_id)
        for part in (self.mark, self.take, self.solve, self.clear):
            part.setEnabled(camera.steered and bool(marks))
        self.say.setText(self._bridge.placing.sight_words(camera.id))

    def _keep(self, name: str, text: str) -> None:
        if self._camera is None:
            return
        value: object = text.strip().replace(",", ".")
        try:
            value = float(str(value))
        except ValueError:
            value = text  # the action says what is wrong with it
        self._bridge.act("camera.place", camera=self._camera.number, **{name: value})

    def _hang(self, value: str) -> None:
        if self._camera is not None:
            self._bridge.act("camera.place", camera=self._camera.number, hung=value == "yes")

    def _take_sight(self) -> None:
        if self._camera is not None:
            self._bridge.placing.take_sight(self._camera.id, self.mark.value())
            self.mark.setCurrentIndex((self.mark.currentIndex() + 1) % max(1, self.mark.count()))

    def _solve(self) -> None:
        if self._camera is not None:
            self._bridge.placing.solve_place(self._camera.id)
