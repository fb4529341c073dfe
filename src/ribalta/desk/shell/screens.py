"""Windows for other screens: program, program without titles, the auxiliary output, and all pictures at once."""

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QGuiApplication, QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QWidget

from ribalta.core.ports.shots import LandingState
from ribalta.core.show.document.model import Camera
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets import footlights

TITLES = {"program": "Program", "clean": "Program without titles", "aux": "Auxiliary", "multiview": "All pictures"}
GAP = 6


class Screen(QWidget):
    """One output, large. F fills its screen or leaves it, S goes to the next screen, Escape leaves full screen."""

    def __init__(self, bridge: Bridge, what: str) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self._bridge, self.what = bridge, what
        self.setWindowTitle(f"{TITLES[what]} – Ribalta")
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.resize(960, 540)
        bridge.tick.connect(lambda: self.update() if self.isVisible() else None)

    def area(self) -> QRectF:
        """16:9, whole, in the middle."""
        scale = min(self.width() / 16, self.height() / 9)
        wide, tall = int(scale * 16), int(scale * 9)
        return QRectF((self.width() - wide) // 2, (self.height() - tall) // 2, wide, tall)

    def places(self) -> dict[str, QRectF]:
        """Which picture is where."""
        return {f"{self.what}@screen": self.area()}

    def _tell_sizes(self) -> None:
        sizes = {place: (max(16, int(a.width())), max(9, int(a.height()))) for place, a in self.places().items()}
        self._bridge.show_at(f"screen {self.what}", sizes)

    def resizeEvent(self, event: QResizeEvent) -> None:
        QTimer.singleShot(0, self, self._tell_sizes)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._bridge.show_at(f"screen {self.what}", {})
        event.accept()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), Qt.GlobalColor.black)
        for place, area in self.places().items():
            image = self._bridge.picture_of(place)
            if image is not None:
                painter.drawImage(area.topLeft() if image.width() == int(area.width()) else area, image)
            self._over(painter, place, area)

    def _over(self, painter: QPainter, place: str, area: QRectF) -> None:
        """Nothing goes over an output."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F or (event.key() == Qt.Key.Key_Escape and self.isFullScreen()):
            self.showNormal() if self.isFullScreen() else self.showFullScreen()
        elif event.key() == Qt.Key.Key_S:
            self._next_screen()
        else:
            super().keyPressEvent(event)

    def _next_screen(self) -> None:
        screens = QGuiApplication.screens()
        now = screens.index(self.screen()) if self.screen() in screens else 0
        full = self.isFullScreen()
        self.showNormal()
        self.setGeometry(screens[(now + 1) % len(screens)].availableGeometry())
        if full:
            self.showFullScreen()


class AllPictures(Screen):
    """On air and Next above, every camera below, each with its lamps and words."""

    def __init__(self, bridge: Bridge) -> None:
        super().__init__(bridge, "multiview")
        self._cameras: tuple[Camera, ...] = ()
        bridge.changed.connect(self._look)

    def _look(self) -> None:
        if self.isVisible() and self._cameras is not self._bridge.state.show.cameras:
            self._tell_sizes()

    def places(self) -> dict[str, QRectF]:
        self._cameras = self._bridge.state.show.cameras
        cameras = sorted(self._cameras, key=lambda c: c.number)
        wide = (self.width() - 3 * GAP) / 2
        tall = min(wide * 9 / 16, self.height() * 0.56)
        wide = tall * 16 / 9
        left = (self.width() - 2 * wide - GAP) / 2
        found = {
            "program@many": QRectF(left, GAP, int(wide), int(tall)),
            "next@many": QRectF(left + wide + GAP, GAP, int(wide), int(tall)),
        }
        if not cameras:
            return found
        columns = max(3, -(-len(cameras) // 2)) if len(cameras) > 4 else max(1, len(cameras))
        rows = -(-len(cameras) // columns)
        top, room = tall + 3 * GAP, self.height() - tall - 4 * GAP
        each = min((self.width() - (columns + 1) * GAP) / columns, (room / rows - GAP) * 16 / 9)
        start = (self.width() - columns * (each + GAP) + GAP) / 2
        for k, camera in enumerate(cameras):
            x, y = start + (k % columns) * (each + GAP), top + (k // columns) * (each * 9 / 16 + GAP)
            found[f"{camera.id}@many"] = QRectF(int(x), int(y), int(each), int(each * 9 / 16))
        return found

    def _over(self, painter: QPainter, place: str, area: QRectF) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        what = place.partition("@")[0]
        if what in ("program", "next"):
            shot = state.program.on_air if what == "program" else state.program.next
            tally = footlights.Tally.ON_AIR if what == "program" else footlights.Tally.NEXT
            words = ("On air" if what == "program" else "Next") + (f"  {state.shot_words(shot)}" if shot else "")
            lights = (
                footlights.of_shot(state, shot, tally, now_s)
                if shot is not None
                else footlights.Footlights(footlights.Tally.NONE, LandingState.SET)
            )
        else:
            camera = state.show.camera(what)
            words = f"{camera.number}  {camera.name}" if camera is not None else ""
            lights = footlights.of_camera(state, what, now_s)
        painter.setFont(look.font(15, look.MEDIUM))
        said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(area.width()) - 16)
        box = QRectF(area.left(), area.top(), painter.fontMetrics().horizontalAdvance(said) + 12, 24)
        painter.fillRect(box, look.INK)
        painter.setPen(look.TEXT)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)
        row = QRectF(area.left(), area.bottom() - 10, area.width(), 9)
        footlights.paint(painter, row, lights, footlights.lamps_for(area.width()))
        footlights.paint_words(painter, area.adjusted(0, 0, 0, -12), lights, 14)


def open_screen(bridge: Bridge, what: str) -> Screen:
    return AllPictures(bridge) if what == "multiview" else Screen(bridge, what)
