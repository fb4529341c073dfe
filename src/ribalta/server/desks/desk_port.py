"""Where desks attach to a running show: a socket, and one thread that hears and tells them all.

A desk that is slow gets fewer updates, one that asks too much is not listened to for a while, one that talks nonsense
is sent away; none of them makes the show wait.
"""

import contextlib
import os
import selectors
import time
from collections import deque
from collections.abc import Callable

from ribalta.attach.line import Damaged, Line
from ribalta.attach.pictures import PicturesOut
from ribalta.attach.protocol import Said, Sizes, Who
from ribalta.attach.runtime_folder import Meeting, is_same_user, listen_at
from ribalta.core.ports.guests import OUT
from ribalta.core.ports.messages import (
    DeskAsked,
    DeskShortcuts,
    Event,
    InUse,
    Learned,
    Notice,
    OutputWanted,
    PictureWanted,
    Readied,
    Send,
    Severity,
)
from ribalta.core.ports.saving import SaveWanted
from ribalta.server.desks.attached_desk import AttachedDesk, SaidForms
from ribalta.server.desks.values import Values
from ribalta.server.session import Session
from ribalta.workers.crew import Crew
from ribalta.workers.priorities import go_soon

TICK_S, SOON_S, IDLE_S = 0.04, 0.005, 0.5
MOST_DESKS = 20
LATELY_S, MOST_LATELY = 20.0, 50
GIVE_WAY_S, LOOK_AGAIN_S = 0.02, 0.006
MOST_ASKED = 200  # actions of one desk that were asked for and not done yet
NOT_FOR_DESKS = (Send, DeskShortcuts, OutputWanted, PictureWanted, SaveWanted, Readied)
FOR_ONE = (DeskAsked, InUse, Learned)  # asked of whoever acted last


class DeskPort:
    """Raises LocalFault when nobody can attach here. `ends` is called when a desk ends the show."""

    def __init__(self, session: Session, meeting: Meeting, ends: Callable[[], None] = lambda: None) -> None:
        self.meeting = meeting
        self._session, self._ends = session, ends
        crew = self._crew = Crew(lambda said: session.host.say(Notice(said, Severity.FAULT)))
        self._listening = listen_at(meeting.path)
        self._said = SaidForms()
        self._values = Values(session, self._said.forms)
        self._desks: list[AttachedDesk] = []
        self._greeting: list[AttachedDesk] = []
        self._paused: set[AttachedDesk] = set()
        self._sizes: dict[AttachedDesk, Sizes] = {}
        self._last: AttachedDesk | None = None
        self._heard: deque[Event] = deque()  # put in on the engine's thread
        self._lately: deque[tuple[float, Notice]] = deque(maxlen=MOST_LATELY)
        self._wake_file = os.eventfd(0, os.EFD_CLOEXEC | os.EFD_NONBLOCK)
        self._selector = selectors.DefaultSelector()
        self._selector.register(self._listening, selectors.EVENT_READ)
        self._selector.register(self._wake_file, selectors.EVENT_READ)
        self._stopping = False
        self._put_off_s: float | None = None  # since when desks are told nothing, so that program comes first
        self._pictured: object = None
        self._worker = crew.worker("desks", self._run, limit_s=3.0)
        session.listen(self._hear)
        session.media.on_pictures(self._wake)

    @property
    def attached(self) -> int:
        """How many desks there are."""
        return sum(desk.who is Who.DESK for desk in self._desks)

    def start(self) -> None:
        self._worker.start()
        self._crew.watch()
        self._session.outside.guests.attach_at(self.meeting.path)

    def stop(self) -> None:
        """All desks are let go of, and none can come any more."""
        self._stopping = True
        self._crew.end()
        self._wake()
        self._worker.stop()
        self._worker.join()
        for desk in (*self._desks, *self._greeting):
            desk.close()
        self._desks, self._greeting = [], []
        self._selector.close()
        self._listening.close()
        with contextlib.suppress(OSError):
            self.meeting.path.unlink()
        os.close(self._wake_file)

    def _wake(self) -> None:
        """From any thread."""
        with contextlib.suppress(OSError):
            os.eventfd_write(self._wake_file, 1)

    def _hear(self, event: Event) -> None:
        """On the engine's thread."""
        if isinstance(event, Notice):
            self._lately.append((time.monotonic(), event))
        if self._desks and not isinstance(event, NOT_FOR_DESKS):
            self._heard.append(event)
            self._wake()

    # The thread

    def _run(self) -> None:
        go_soon()
        while not self._stopping:
            self.round()
            self._worker.beat()

    def round(self) -> None:
        """What has come, and what is to be told by now."""
        now_s = time.monotonic()
        due_s = min((desk.updated_s + TICK_S for desk in self._desks), default=now_s + IDLE_S)
        if self._put_off_s is not None:
            due_s = now_s + LOOK_AGAIN_S
        for key, _ in self._selector.select(max(0.0, due_s - now_s)):
            if key.fileobj is self._listening:
                with self._crew.guarded("a desk that attaches"):
                    self._accept()
            elif key.fileobj == self._wake_file:
                with contextlib.suppress(BlockingIOError):
                    os.eventfd_read(self._wake_file)
            else:
                self._read(key.data)
        self._pause_and_go_on()
        if self._waits_for_program():
            return
        self._pass_events()
        now_s = time.monotonic()
        with self._crew.guarded("what desks are told"):
            if any(now_s >= desk.updated_s + TICK_S for desk in self._desks):
                self._values.look(now_s)
            self._follow_pictures()
        here = self._session.state.guests.here
        for desk in list(self._desks):
            if desk.who is Who.STATION and desk.guest not in here:
                self._send_away(desk, OUT, to_all=False)
                continue
            self._update(desk, now_s)

    def _waits_for_program(self) -> bool:
        """Telling desks takes a while: it comes after the frame that is being composed. What they ask for does not."""
        now_s = time.monotonic()
        began_s = now_s if self._put_off_s is None else self._put_off_s
        waits = self._session.media.mixer.composing and now_s - began_s < GIVE_WAY_S
        self._put_off_s = began_s if waits else None
        return waits

    def _accept(self) -> None:
        made, _ = self._listening.accept()
        if not is_same_user(made) or len(self._desks) + len(self._greeting) >= MOST_DESKS:
            made.close()
            return
        desk = AttachedDesk(Line(made), self._session, self._crew, self._said, self._shows, self._ends, self._wake)
        self._greeting.append(desk)
        self._selector.register(desk.line, selectors.EVENT_READ, desk)

    def _pause_and_go_on(self) -> None:
        """Who has asked for more than is done yet is not listened to until it is."""
        for desk in self._desks:
            asks_too_much = desk.asked > (MOST_ASKED // 2 if desk in self._paused else MOST_ASKED)
            if asks_too_much and desk not in self._paused:
                self._paused.add(desk)
                self._selector.unregister(desk.line)
            elif desk in self._paused and not asks_too_much:
                self._paused.discard(desk)
                self._selector.register(desk.line, selectors.EVENT_READ, desk)

    def _read(self, desk: AttachedDesk) -> None:
        try:
            for message in desk.line.receive():
                if desk in self._greeting:
                    self._greet(desk, message)
                else:
                    if desk.who is not Who.DOOR:
                        self._last = desk
                    desk.hear(message)
        except Damaged as error:
            self._send_away(desk, f"A desk was sent away: it said what cannot be understood ({error}).")
        except OSError:
            self._let_go(desk)
        except Exception as error:
            self._crew.failed("what a desk asked for", error, "It was not done.")

    def _greet(self, desk: AttachedDesk, message: object) -> None:
        taken = {other.number for other in self._desks}
        number = next(str(k) for k in range(1, MOST_DESKS + 2) if str(k) not in taken)
        self._pass_events()  # what happened before is in the lines that it is given
        refused = desk.greet(message, number)
        if refused:
            self._send_away(desk, refused, to_all=False)
            return
        self._greeting.remove(desk)
        for other in [other for other in self._desks if other.number == desk.number]:
            self._let_go(other)  # a station that comes back is sooner than the end of its old line
        for at_s, notice in list(self._lately):
            if time.monotonic() - at_s < LATELY_S:  # what was said while it was on its way
                desk.tell(notice)
        self._desks.append(desk)
        if desk.who is Who.STATION:
            self._session.outside.guests.station(desk.guest, True)
        if desk.who is Who.DESK and sum(other.who is Who.DESK for other in self._desks) > 1:
            self._session.host.say(Notice(f"Another window is open on this show: desk {number}."))

    def _send_away(self, desk: AttachedDesk, sentence: str, to_all: bool = True) -> None:
        with contextlib.suppress(OSError):
            desk.line.put([Said.REFUSED, sentence])
            desk.line.send()
        self._let_go(desk)
        if to_all:
            self._session.host.say(Notice(sentence, Severity.FAULT))

    def _let_go(self, desk: AttachedDesk) -> None:
        with contextlib.suppress(KeyError, ValueError):
            self._selector.unregister(desk.line)
        desk.close()
        self._paused.discard(desk)
        if desk in self._greeting:
            self._greeting.remove(desk)
        if desk in self._desks:
            self._desks.remove(desk)
            self._session.controls.left(desk.number)
            if desk.who is Who.DOOR:
                self._session.outside.guests.lost()
            if desk.who is Who.STATION:
                self._session.outside.guests.station(desk.guest, False)
        if self._last is desk:
            self._last = None
        if self._sizes.pop(desk, None) is not None:
            self._show_all()

    def _pass_events(self) -> None:
        while self._heard:
            event = self._heard.popleft()
            first = next((desk for desk in self._desks if desk.who is Who.DESK), None)
            one = self._last if self._last is not None else first
            for desk in self._desks if not isinstance(event, FOR_ONE) else [one] if one is not None else []:
                desk.tell(event)

    def _update(self, desk: AttachedDesk, now_s: float) -> None:
        soon = desk.has_news() and now_s >= desk.updated_s + SOON_S
        try:
            if soon or now_s >= desk.updated_s + TICK_S:
                desk.update(self._values, now_s)
            desk.line.send()
        except OSError:
            self._hear_the_rest(desk)
        except Exception as error:
            desk.updated_s = now_s
            self._crew.failed("what a desk is told", error, "It is told the rest.")

    def _hear_the_rest(self, desk: AttachedDesk) -> None:
        """It has hung up; what it asked for before that still lies in its line."""
        before = -1
        while desk in self._desks and desk.line.bytes_in != before:
            before = desk.line.bytes_in
            self._read(desk)
        if desk in self._desks:
            self._let_go(desk)

    # Pictures

    def _suffix(self, desk: AttachedDesk) -> str:
        return f"@desk {desk.number}"

    def _shows(self, desk: AttachedDesk, sizes: Sizes) -> None:
        try:
            pictures = PicturesOut(sizes)
        except OSError as error:
            said = f"Desk {desk.number} has no live pictures: there is no memory for them ({error.strerror or error})."
            self._session.host.say(Notice(said, Severity.FAULT))
            return
        self._sizes[desk] = sizes
        desk.show(pictures)
        self._show_all()

    def _show_all(self) -> None:
        every = [(desk, f"{p}{self._suffix(desk)}", size) for desk, s in self._sizes.items() for p, size in s.items()]
        often = {place for desk, place, _ in every if desk.who is Who.DOOR}  # each wait more is delay at a guest's
        self._session.media.show_at({place: size for _, place, size in every}, often)

    def _follow_pictures(self) -> None:
        pictures = self._session.media.pictures
        if pictures is not self._pictured:
            self._pictured = pictures
            for desk in self._desks:
                desk.picture(pictures, self._suffix(desk))
