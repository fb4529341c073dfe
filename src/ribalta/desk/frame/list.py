"""The steered camera's framings, ten to a page: picture, letter, name, what it is about, and whether it still holds.

Press to send the camera there; drag to another letter, page or camera. While something is searched for, the list has
the framings of all cameras that match.
"""

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.engine.program.landing import landing_state, time_to_set_s
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Call, Item, Kind, named
from ribalta.core.show.document.model import LETTERS, Framing, Show
from ribalta.desk.bridge import Bridge, one_shot
from ribalta.desk.frame.framing_menu import framing_menu
from ribalta.desk.input.item_buttons import ItemOffers
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part
from ribalta.desk.words.framing_words import about, state_words, wants_care

DRAG_PX, LONG_PRESS_MS, RING_AFTER_MS = 8, 700, 300
THREE_LINES, TWO_LINES = 46, 34  # at the usual size of text
GAP = 4
FOUND_PX = 62


class FramingList(QWidget):
    """`chosen` is a framing's id; `dropped` is a framing's id and where on the screen it was let go."""

    chosen = Signal(str)
    dropped = Signal(str, QPoint)
    dragged = Signal(QPoint)
    rename_wanted = Signal(str)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.camera_id: str | None = None
        self.current: str | None = None  # the framing that N, P, Delete and the rest mean
        self.sought = ""
        self._found: tuple[tuple[Show, str, str | None] | None, list[Framing]] = (None, [])  # for what, and what
        self.picked: set[str] = set()  # framings selected with Ctrl or Shift, beside the one that is sent for
        self._first = 0  # the first row that is shown of what was found
        self._pressed: tuple[int, QPointF] | None = None
        self._drag: QPointF | None = None
        self._stored = False
        self._menu_of: Item | None = None
        self.offers = ItemOffers(bridge, self, lambda: self._menu_of)
        self._timer = one_shot(self, LONG_PRESS_MS, self._long_press)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Framings")
        self.setToolTip(
            "Click: send the camera there · Ctrl or Shift and click: select several · drag: another letter or camera"
            " · held: store here · right click: more"
        )
        bridge.changed.connect(self.update)

    # What is where

    @property
    def rows(self) -> list[tuple[str, Framing | None]]:
        """Letters and what is on them; while searching, all that was found."""
        show, page = self._bridge.state.show, self._bridge.state.desk.page
        if self.sought:
            return [(f.letter, f) for f in self.found()]
        if self.camera_id is None:
            return []
        return [(x, show.framing_at(self.camera_id, page * len(LETTERS) + k)) for k, x in enumerate(LETTERS)]

    def found(self) -> list[Framing]:
        """Framings of all cameras whose name, mark, size, letter or camera has every word that is sought."""
        show = self._bridge.state.show
        asked, found = self._found
        if asked is None or asked[0] is not show or asked[1:] != (self.sought, self.camera_id):
            found = self._look_up(show)
            self._found = ((show, self.sought, self.camera_id), found)
        return found

    def _look_up(self, show: Show) -> list[Framing]:
        numbers = {c.id: (c.number, c.name) for c in show.cameras}
        words = self.sought.casefold().split()

        def text(framing: Framing) -> str:
            number, name = numbers[framing.camera_id]
            return f"{framing.name} {about(self._bridge.state, framing)} {number} {name}".casefold()

        found = [f for f in show.framings if all(word in text(f) for word in words)]
        return sorted(found, key=lambda f: (f.camera_id != self.camera_id, numbers[f.camera_id][0], f.slot))

    def search(self, text: str) -> None:
        self.sought, self._first = text.strip(), 0
        self.update()

    def row_area(self, k: int) -> QRectF:
        if self.sought:
            return QRectF(0, (k - self._first) * look.scaled(FOUND_PX), self.width(), look.scaled(FOUND_PX) - GAP)
        tall = (self.height() + GAP) / len(LETTERS)
        return QRectF(0, round(k * tall), self.width(), round(tall) - GAP)

    def accessible_parts(self) -> list[Part]:
        """Its rows, as they are painted."""
        state, now_s, parts = self._bridge.state, self._bridge.now_s, list[Part]()
        for k, (letter, framing) in enumerate(self.rows):
            if framing is None:
                parts.append(Part(self.row_area(k), f"{letter}, free"))
                continue
            shot = Shot(framing.camera_id, framing.id)
            left = time_to_set_s(state, shot, now_s)
            here = landing_state(state, shot, now_s) is LandingState.SET
            time = "set" if here else "cannot go there" if left is None else f"{look.seconds(left)} s"
            words = (time, about(state, framing), state_words(state, framing, now_s))
            parts.append(Part(self.row_area(k), f"{letter} {framing.name}", ", ".join(w for w in words if w)))
        return parts

    def row_at(self, at: QPointF) -> int | None:
        return next((k for k in range(len(self.rows)) if self.row_area(k).contains(at)), None)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state = self._bridge.state
        camera = state.show.camera(self.camera_id or "")
        if camera is not None and not camera.steered and not self.sought:
            self._say(painter, f"Camera {camera.number} is fixed: it has one view, and no framings.")
            return
        rows = self.rows
        if not rows:
            self._say(painter, f"Nothing found for “{self.sought}”." if self.sought else "No camera is chosen.")
        for k, (letter, framing) in enumerate(rows):
            area = self.row_area(k)
            if area.top() > self.height() or area.bottom() < 0:
                continue
            if framing is None:
                self._paint_empty(painter, area, letter)
            else:
                self._paint_row(painter, area, framing)
        if self._drag is not None and self._pressed is not None:
            self._paint_drag(painter)

    def _say(self, painter: QPainter, words: str) -> None:
        painter.setPen(look.SOFT)
        painter.setFont(look.font(15))
        inside = self.rect().adjusted(20, 0, -20, 0)
        painter.drawText(inside, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words)

    def _paint_empty(self, painter: QPainter, area: QRectF, letter: str) -> None:
        painter.setPen(QPen(look.LINE, 1, Qt.PenStyle.DotLine))
        painter.drawRect(area.adjusted(0.5, 0.5, -0.5, -0.5))
        painter.setPen(look.SOFT)
        painter.setFont(look.font(15, look.MEDIUM))
        painter.drawText(area.adjusted(10, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, letter)
        painter.setFont(look.font(13))
        painter.drawText(
            area.adjusted(look.scaled(34), 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, f"free: Shift+{letter} stores here"
        )

    def _paint_row(self, painter: QPainter, area: QRectF, framing: Framing) -> None:
        state, now_s = self._bridge.state, self._bridge.now_s
        chosen = framing.id == self.current
        painter.fillRect(area, look.RAIL if chosen else look.WOOD)
        if chosen:
            painter.fillRect(QRectF(area.left(), area.top(), 3, area.height()), look.LAMP_WARM)
        picture = QRectF(area.left() + look.scaled(30), area.top(), area.height() * 16 / 9, area.height())
        painter.setPen(look.TEXT)
        painter.setFont(look.font(18, look.BOLD))
        letter = QRectF(area.left() + 3, area.top(), look.scaled(27), area.height())
        camera = state.show.camera(framing.camera_id)
        place = f"{camera.number}{framing.letter}" if self.sought and camera is not None else framing.letter
        painter.drawText(letter, Qt.AlignmentFlag.AlignCenter, place)
        stored = self._bridge.stored_picture(framing.picture, int(picture.width()), int(picture.height()))
        if stored is not None:
            painter.drawPixmap(picture.topLeft(), stored)
        else:
            painter.fillRect(picture, look.INK)
            painter.setPen(look.SOFT)
            painter.setFont(look.font(12, narrow=True))
            painter.drawText(picture, Qt.AlignmentFlag.AlignCenter, "no picture")
        text = QRectF(picture.right() + 8, area.top() + 2, area.right() - picture.right() - 14, area.height() - 4)
        taken = self._paint_time(painter, text, framing)
        self._paint_text(painter, text, framing, taken, now_s)
        if framing.id in self.picked:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.TEXT, 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))

    def _paint_time(self, painter: QPainter, text: QRectF, framing: Framing) -> float:
        """How long the camera needs from here, or the lock of a protected one; returns the width that is taken."""
        state, shot = self._bridge.state, Shot(framing.camera_id, framing.id)
        now_s = self._bridge.now_s
        here = landing_state(state, shot, now_s) is LandingState.SET
        left = time_to_set_s(state, shot, now_s)
        words = "set" if here else "–" if left is None else f"{look.seconds(left)} s"
        painter.setFont(look.font(13, look.BOLD))
        wide = painter.fontMetrics().horizontalAdvance(words) + 10
        box = QRectF(text.right() - wide, text.top(), wide, min(look.scaled(20), text.height()))
        painter.fillRect(box, look.LAMP_WARM if here else look.NIGHT)
        painter.setPen(look.INK if here else look.TEXT)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        return float(wide)

    def _paint_text(self, painter: QPainter, text: QRectF, framing: Framing, taken: float, now_s: float) -> None:
        state = self._bridge.state
        lines = [about(state, framing), state_words(state, framing, now_s)]
        care = wants_care(state, framing)
        if text.height() < look.scaled(THREE_LINES):  # the second is the more pressing one
            lines = [lines[1] if care else lines[0]]
        low = text.height() < look.scaled(TWO_LINES)  # what is said of it stands behind its name then
        third = text.height() / (1 if low else len(lines) + 1)
        painter.setPen(look.TEXT)
        painter.setFont(look.font(15, look.MEDIUM, narrow=True))
        name = ("locked · " if framing.protected else "") + framing.name
        room = text.width() - taken - 6
        said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(text.left(), text.top(), room, third), Qt.AlignmentFlag.AlignVCenter, said)
        behind = painter.fontMetrics().horizontalAdvance(said) + 12 if low else 0
        for k, words in enumerate(lines, 0 if low else 1):
            wrong = words is lines[-1] and care
            painter.setPen(look.WRONG if wrong else look.SOFT)
            painter.setFont(look.font(12, look.MEDIUM if wrong else look.NORMAL, narrow=True))
            line = QRectF(text.left() + behind, text.top() + k * third, (room if low else text.width()) - behind, third)
            said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(line.width()))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, said)

    def _paint_drag(self, painter: QPainter) -> None:
        assert self._drag is not None
        assert self._pressed is not None
        under = self.row_at(self._drag)
        if under is not None and under != self._pressed[0]:
            painter.setPen(QPen(look.LAMP_WARM, 2))
            painter.drawRect(self.row_area(under).adjusted(1, 1, -1, -1))
        framing = self.rows[self._pressed[0]][1]
        box = QRectF(self._drag.x() + 10, self._drag.y() - 12, 200, look.scaled(26))
        painter.fillRect(box, QColor(255, 203, 125, 220))
        painter.setPen(look.INK)
        painter.setFont(look.font(14, look.MEDIUM))
        painter.drawText(box.adjusted(8, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, framing.name if framing else "")

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = self.row_at(event.position())
        self._stored = False
        if k is None:
            return
        framing = self.rows[k][1]
        if event.button() == Qt.MouseButton.LeftButton and self._picks(k, event.modifiers()):
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self.picked = set()
        self._pressed = (k, event.position())
        self.current = framing.id if framing is not None else None
        if not self.sought and event.button() == Qt.MouseButton.LeftButton:
            self._timer.start(RING_AFTER_MS if framing is not None else LONG_PRESS_MS)
        self.update()

    def _picks(self, k: int, held: Qt.KeyboardModifier) -> bool:
        """Ctrl selects one more, Shift all up to there; the camera stays where it is."""
        framing = self.rows[k][1]
        if framing is None or not held & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier):
            return False
        ids = [f.id if f is not None else "" for _, f in self.rows]
        if not self.picked and self.current is not None and self.current in ids:
            self.picked = {self.current}
        if held & Qt.KeyboardModifier.ShiftModifier and self.current in ids:
            first, last = sorted((ids.index(self.current), k))
            self.picked |= {one for one in ids[first : last + 1] if one}
        else:
            self.picked ^= {framing.id}
        self.update()
        return True

    def selected(self) -> list[str]:
        """Ids, in the order of the rows: those selected with Ctrl or Shift, or the one that keys mean."""
        there = [f.id for _, f in self.rows if f is not None]
        return [one for one in there if (one in self.picked if self.picked else one == self.current)]

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None or self.rows[self._pressed[0]][1] is None:
            return
        if self._drag is None and (event.position() - self._pressed[1]).manhattanLength() < DRAG_PX:
            return
        self._let_go()
        self._drag = event.position()
        self.dragged.emit(event.globalPosition().toPoint())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._let_go()
        pressed, self._pressed = self._pressed, None
        dragging, self._drag = self._drag is not None, None
        if pressed is None or self._stored:
            return
        framing = self.rows[pressed[0]][1] if pressed[0] < len(self.rows) else None
        self.update()
        if framing is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            at = event.globalPosition().toPoint()
            chosen = self.selected() if framing.id in self.picked else []
            self._menu_of = named(self._bridge.state.show, Kind.FRAMING, framing.id)
            rename = lambda: self.rename_wanted.emit(framing.id)  # noqa: E731
            framing_menu(self, self._bridge, framing, chosen, rename, at, self.offers)
        elif dragging:
            self._drop(framing, event)
        else:
            self.chosen.emit(framing.id)

    def _drop(self, framing: Framing, event: QMouseEvent) -> None:
        k = self.row_at(event.position())
        camera = self._bridge.state.show.camera(framing.camera_id)
        if k is not None and camera is not None and not self.sought:
            place = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
            self._bridge.act("framing.move", **place, to_letter=LETTERS[k], to_page=self._bridge.state.desk.page)
        else:
            self.dropped.emit(framing.id, event.globalPosition().toPoint())

    def wheelEvent(self, event: QWheelEvent) -> None:
        step = -1 if event.angleDelta().y() > 0 else 1
        if self.sought:
            most = max(0, len(self.rows) - self.height() // FOUND_PX)
            self._first = max(0, min(most, self._first + step))
            self.update()
        else:
            self._bridge.act("board.page", by=step)

    def _long_press(self) -> None:
        """On a free letter too: store what the camera shows. Over what is there it has to be held on."""
        camera = self._bridge.state.show.camera(self.camera_id or "")
        if self._pressed is None or camera is None or not camera.steered:
            return
        self._stored = True
        place = {"camera": camera.number, "letter": LETTERS[self._pressed[0]], "page": self._bridge.state.desk.page}
        call = Call(action="framing.store", arguments=place)
        self._bridge.begin(call)

    def _let_go(self) -> None:
        self._timer.stop()
        self._bridge.let_go()
