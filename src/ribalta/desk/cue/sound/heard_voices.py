"""The last minute of what the microphones heard, and a drawing of what voice follow would have made of it."""

import itertools
from collections import deque

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ribalta.core.engine.dryrun.voice_rehearsal import FollowedVoices, follow_heard
from ribalta.core.show.document.model import Show
from ribalta.core.sound.gates import GateView
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.parts import Part

MINUTE_S = 60.0
ANEW_EVERY_S = 1.5
READ_S = 1.5  # a shorter shot is over before it has been looked at
ROW, STRIP, FOOT, HEAD = 20, 34, 24, 120  # pixels
SILENT = "When somebody speaks, the last minute is drawn here, with what voice follow would show of it."
Powers = NDArray[np.float64]


class HeardVoices:
    """A block at each tick of the desk, for the last minute: (since when, the power in each microphone)."""

    def __init__(self, bridge: Bridge) -> None:
        self._bridge = bridge
        self.blocks: deque[tuple[float, tuple[str, ...], Powers]] = deque()
        bridge.tick.connect(self._tick)

    def _tick(self) -> None:
        state, gates, now_s = self._bridge.state, self._bridge.media.heard.gates, self._bridge.now_s
        mics = sorted(state.show.microphones, key=lambda m: m.number)
        if self.blocks and now_s < self.blocks[-1][0]:
            self.blocks.clear()  # another server, and its clock
        if not mics:
            return
        levels = np.array([gates.get(mic.id, GateView()).level_db for mic in mics])
        self.blocks.append((now_s, tuple(mic.id for mic in mics), 10.0 ** (levels / 10.0)))
        while self.blocks and self.blocks[0][0] < now_s - MINUTE_S:
            self.blocks.popleft()

    def of_show(self, show: Show) -> tuple[list[tuple[float, Powers, float]], float]:
        """What was heard since these microphones have been the show's, from its beginning; and for how long."""
        ids = tuple(mic.id for mic in sorted(show.microphones, key=lambda m: m.number))
        mine = [(at_s, power) for at_s, known, power in self.blocks if known == ids]
        if len(mine) < 2:
            return [], 0.0
        first_s = mine[0][0]
        lengths = [b[0] - a[0] for a, b in itertools.pairwise(mine)]
        heard = [
            (at_s - first_s, power, min(0.2, length))
            for (at_s, power), length in zip(mine, [*lengths, lengths[-1]], strict=True)
        ]
        return heard, mine[-1][0] - first_s


class VoiceDrawing(QWidget):
    """A row for each voice, when it spoke; below them what would have been shown, with what is too short to be read.

    It is reckoned anew on a thread of its own while it is seen, at most every ANEW_EVERY_S (`reckoned` comes from it).
    """

    reckoned = Signal(object)

    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge, self.heard = bridge, HeardVoices(bridge)
        self.followed = FollowedVoices(0.0)
        self._at_work, self._last_s = False, -ANEW_EVERY_S
        self.setAccessibleName("What voice follow makes of the last minute")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(look.scaled(2 * ROW + STRIP + FOOT))
        self.reckoned.connect(self._show)

    @property
    def short(self) -> list[tuple[float, float, str]]:
        """The shots that are too short, but for the last one, which is not over."""
        return [shot for shot in self.followed.shots[:-1] if shot[1] < READ_S]

    def refresh(self) -> None:
        """While it is seen, now and then."""
        now_s = self._bridge.now_s
        if self._at_work or abs(now_s - self._last_s) < ANEW_EVERY_S:
            return
        show = self._bridge.state.show
        heard, seconds = self.heard.of_show(show)
        if not heard:
            return
        self._at_work, self._last_s = True, now_s
        work = lambda: self.reckoned.emit(follow_heard(show, heard, seconds))  # noqa: E731
        self._bridge.crew.begin("voices", work, lambda said: self.reckoned.emit(FollowedVoices(0.0)))

    def _show(self, followed: FollowedVoices) -> None:
        self._at_work = False
        self.followed = followed
        self.update()

    def said(self) -> str:
        """What it comes to, in a sentence."""
        followed = self.followed
        if not followed.spans:
            return ""
        short, cuts = len(self.short), len(followed.shots)
        much = f"{cuts} {'cut' if cuts == 1 else 'cuts'} in the last {followed.seconds:.0f} s"
        if not short:
            return f"{much}; none is too short to be read."
        return f"{much}; {short} {'is' if short == 1 else 'are'} shorter than {READ_S:g} s: let shots stay longer."

    # Painting

    def _rows(self) -> list[tuple[str, str]]:
        """(id, name) of the microphones that somebody spoke into; those with the most words, if not all have room."""
        spoke: dict[str, float] = {}
        for mic_id, from_s, to_s in self.followed.spans:
            spoke[mic_id] = spoke.get(mic_id, 0.0) + to_s - from_s
        room = int((self.height() - look.scaled(STRIP + FOOT)) / look.scaled(ROW))
        most = sorted(spoke, key=lambda mic_id: -spoke[mic_id])[: max(1, room)]
        mics = sorted(self._bridge.state.show.microphones, key=lambda m: m.number)
        return [(mic.id, f"{mic.number}  {mic.name}") for mic in mics if mic.id in most]

    def _x(self, seconds: float) -> float:
        """The last minute ends at the right."""
        room = self.width() - look.scaled(HEAD) - 6
        return look.scaled(HEAD) + room * (1 - (self.followed.seconds - seconds) / MINUTE_S)

    def _shot_area(self, since_s: float, seconds: float) -> QRectF:
        top = float(look.scaled(ROW) * len(self._rows()) + 4)
        left = self._x(since_s)
        return QRectF(left, top, max(2.0, self._x(since_s + seconds) - left - 1), look.scaled(STRIP))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if not self.followed.spans:
            painter.setPen(look.SOFT)
            painter.setFont(look.font(14))
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, SILENT)
            return
        rows, tall = self._rows(), float(look.scaled(ROW))
        painter.setFont(look.font(13, narrow=True))
        for k, (_, name) in enumerate(rows):
            painter.setPen(look.SOFT)
            box = QRectF(0, k * tall, look.scaled(HEAD) - 8, tall)
            said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, said)
            painter.setPen(look.LINE)
            painter.drawLine(int(look.scaled(HEAD)), int((k + 0.5) * tall), self.width() - 6, int((k + 0.5) * tall))
        places = {mic_id: k for k, (mic_id, _) in enumerate(rows)}
        for mic_id, from_s, to_s in self.followed.spans:
            if mic_id in places:
                left = self._x(from_s)
                bar = QRectF(left, places[mic_id] * tall + 3, max(2.0, self._x(to_s) - left), tall - 6)
                painter.fillRect(bar, look.LAMP_WARM)
        self._shots(painter)

    def _shots(self, painter: QPainter) -> None:
        short, foot = self.short, self._shot_area(0.0, 0.0)
        painter.setPen(look.SOFT)
        head = QRectF(0, foot.top(), look.scaled(HEAD) - 8, foot.height())
        painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, "would be shown")
        for shot in self.followed.shots:
            area = self._shot_area(shot[0], shot[1])
            painter.fillRect(area, look.RAIL)
            painter.setPen(QPen(look.WRONG if shot in short else look.EDGE, 2 if shot in short else 1))
            painter.drawRect(area.adjusted(1, 1, -1, -1))
            words = f"! {shot[1]:.1f} s" if shot in short else shot[2]
            painter.setPen(look.WRONG if shot in short else look.TEXT)
            box = area.adjusted(4, 0, -2, 0)
            if painter.fontMetrics().horizontalAdvance(words) > box.width() and box.width() < look.scaled(70):
                words = words[:3]  # its camera and letter, or the mark of what is wrong
            if box.width() > 12:
                said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, said)
        painter.setPen(look.SOFT)
        for seconds in (60, 45, 30, 15):
            x = self._x(self.followed.seconds - seconds)
            box = QRectF(x, foot.bottom() + 1, 90, look.scaled(16))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, f"{seconds} s ago")

    def accessible_parts(self) -> list[Part]:
        """The shots, how long each is, and which are too short."""
        short, now_s = self.short, self.followed.seconds
        return [
            Part(
                self._shot_area(shot[0], shot[1]),
                f"{shot[2]}, {shot[1]:.1f} s",
                f"{now_s - shot[0]:.0f} s ago{', too short' if shot in short else ''}",
            )
            for shot in self.followed.shots
        ]
