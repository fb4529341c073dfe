"""One desk that is attached: what it knows by now, and what it is told next. All of it on one thread."""

import operator
import os
from collections import deque
from collections.abc import Callable
from dataclasses import replace
from itertools import islice
from typing import Any

from ribalta.attach.line import Damaged, Line
from ribalta.attach.pictures import PicturesOut, is_sane
from ribalta.attach.protocol import ANSWERS, CALLS, OF_DEPUTIES, OF_STATIONS, VERSION, Said, Sizes, Who
from ribalta.core.base.plain import Form, Forms, NotPlain, Plain
from ribalta.core.engine.program.landing import parts
from ribalta.core.engine.state.changes import StateChanges
from ribalta.core.engine.state.groups import VIEWS
from ribalta.core.engine.state.guests import seat_of_guest
from ribalta.core.engine.state.live import LiveState, sources_of
from ribalta.core.engine.state.seats import seat_of
from ribalta.core.ports.as_run import AsRunLine
from ribalta.core.ports.causes import ActionRan, By, Cause
from ribalta.core.ports.guests import OUT, Role
from ribalta.core.ports.messages import Event, Notice, Severity
from ribalta.core.ports.shots import Overlays, Shot
from ribalta.media.program.shapes import Pictures
from ribalta.server.desks.values import Values
from ribalta.server.session import Session
from ribalta.workers.crew import Crew

LINES_AT_ONCE, ALIVE_EVERY_S = 200, 1.0
MOST_WAITING = 5000  # events that a desk has not taken; older ones are dropped, and that is said
OF_DOOR = ("outside.guests.tell", "outside.guests.listen")
SLOW = ("media.sound_devices",)  # what may take a while is asked beside


class SaidForms:
    """The forms of all that is said, made once for every desk."""

    def __init__(self) -> None:
        self.forms = Forms()
        self.state = StateChanges(self.forms)
        self.calls = {name: tuple(map(self.forms.of, kinds)) for name, kinds in CALLS.items()}
        self.answers = {name: self.forms.of(kind) for name, kind in ANSWERS.items()}
        self.event: Form = self.forms.of(Event)
        self.ran: Form = self.forms.of(ActionRan)
        self.log_line: Form = self.forms.of(AsRunLine)


class AttachedDesk:
    """`number` is its seat. `shows` is told what it shows, `ends` that the show is to end."""

    def __init__(
        self,
        line: Line,
        session: Session,
        crew: Crew,
        said: SaidForms,
        shows: Callable[["AttachedDesk", Sizes], None],
        ends: Callable[[], None],
        wake: Callable[[], None],
    ) -> None:
        self.line, self.number, self.process, self.who, self.guest = line, "", 0, Who.DESK, ""
        self._session, self._crew, self._said = session, crew, said
        self._shows, self._ends, self._wake = shows, ends, wake
        self._state: LiveState | None = None
        self._known: dict[str, int] = {}
        self._events: deque[Event] = deque(maxlen=MOST_WAITING)
        self._missed = 0
        self._acts = self._done = 0
        self._answers: deque[list[Plain]] = deque()
        self._lines: deque[ActionRan] = deque()
        self._log: deque[AsRunLine] = deque()
        self._pictures: PicturesOut | None = None
        self._announced = True
        self._crew_file = -1  # an end of the crew's line that it was not told of yet
        self.updated_s = self._said_s = 0.0

    # What it says

    def greet(self, message: Any, number: str) -> str:
        """Its first message; why it cannot stay, or nothing."""
        if not isinstance(message, list) or len(message) < 2 or message[0] != Said.HELLO:
            return "What attached is no desk of Ribalta."
        if len(message) != 6 or message[1] != VERSION:
            return "This desk is of another version than the show that runs: end the show, or use the same version."
        if message[4] == Who.STATION:
            guest = self._session.state.guests.here.get(message[5])
            if guest is None:
                return OUT
            self.who, self.guest, number = Who.STATION, guest.id, seat_of_guest(guest.id)
        self.number = number
        self.process = message[2] if isinstance(message[2], int) else 0
        if message[4] == Who.DOOR:
            self.who = Who.DOOR
        seat = seat_of(self._session.state, number)
        view = message[3] if message[3] in VIEWS else seat.view
        self.line.put([Said.WELCOME, number])
        self._lines.extend(self._session.log.history.lines)
        self._log.extend(self._session.log.as_run.lines)
        if self.who is not Who.DOOR:  # it has a seat of its own from now on
            self._session.act("view.shown", {"view": view}, cause=Cause(desk=number))
        return ""

    def hear(self, message: Any) -> None:
        """A call. Raises Damaged for what is none."""
        if not isinstance(message, list) or len(message) != 4 or message[0] != Said.CALL:
            raise Damaged("a message that is no call")
        _, number, name, given = message
        forms = self._said.calls.get(name) if isinstance(name, str) else None
        if forms is None or not isinstance(given, list) or len(given) != len(forms) or not isinstance(number, int):
            raise Damaged(f"a call that there is not ({str(name)[:40]})")
        try:
            arguments = [form.back(tree) for form, tree in zip(forms, given, strict=True)]
        except NotPlain as error:
            raise Damaged(f"{name}: {error}") from None
        self._do(number, name, arguments)

    def _do(self, number: int, name: str, arguments: list[Any]) -> None:
        session = self._session
        if self.who is Who.STATION and not self._may(name):
            self.tell(Notice("That is done at the show's own machine.", Severity.REFUSED))
            return
        if name == "act":
            action_id, given, recall_only, cause = arguments
            cause = self._cause(cause)
            self._acts += 1
            session.host.ask(action_id, given, cause, lambda ran: self._acted(number, ran.refused), recall_only)
        elif name in OF_DOOR and self.who is not Who.DOOR:
            raise Damaged("a desk that speaks for the guests' door")
        elif name == "outside.guests.listen":
            self._drop_crew()
            self._crew_file = session.media.hear_guests()
        elif name == "media.show_at":
            if is_sane(arguments[0]):
                self._shows(self, {place: size for place, size in arguments[0].items() if self._may_see(place)})
        elif name == "media.preview" and not self._may_preview(*arguments):
            self.tell(Notice("That camera is not among those of your invitation.", Severity.REFUSED))
        elif name in ("controls.work", "controls.lost"):
            operator.attrgetter(name)(session)(*arguments, self.number)
        elif name == "end_show":
            self._ends()
        elif name in SLOW:
            self._crew.begin(f"{name} for a desk", lambda: self._call(number, name, arguments))
        else:
            self._call(number, name, arguments)

    def _may(self, name: str) -> bool:
        """May a station call that? Who is out may nothing."""
        guest = self._session.state.guests.here.get(self.guest)
        if guest is None:
            return False
        return name in OF_STATIONS or (name in OF_DEPUTIES and guest.role is Role.DEPUTY)

    def _may_see(self, place: str) -> bool:
        """A station sees program, and of the cameras those of its invitation. `place`: a camera's id, or what is shown
        and where, as in "c1@wall"."""
        guest = self._session.state.guests.here.get(self.guest) if self.who is Who.STATION else None
        what = place.partition("@")[0]
        return guest is None or self._session.state.show.camera(what) is None or guest.may_touch(what)

    def _may_preview(self, shot: Shot | None, dress: Overlays) -> bool:
        """A scene or an inset has cameras of its own."""
        shown = [part.camera_id for part in parts(self._session.state, shot)] if shot is not None else []
        shown += [source.camera_id or "" for layer in dress.layers for source in sources_of(layer)]
        return all(map(self._may_see, shown))

    def _cause(self, said: Cause) -> Cause:
        """A desk speaks for itself alone, the guests' door for the guest that it names."""
        if self.who is Who.DOOR:
            return replace(said, by=By.GUEST, desk=seat_of_guest(said.guest) if said.guest else "")
        by = By.HAND if said.by is By.GUEST else said.by
        return replace(said, by=by, desk=self.number, guest="")

    def _call(self, number: int, name: str, arguments: list[Any]) -> None:
        found = operator.attrgetter(name)(self._session)(*arguments)
        form = self._said.answers.get(name)
        if form is not None:
            self._answer(number, form.to(found))

    @property
    def asked(self) -> int:
        """How many actions it has asked for that are not done yet."""
        return self._acts - self._done

    def _acted(self, number: int, refused: str) -> None:
        """On the engine's thread."""
        self._done += 1
        self._answer(number, refused)

    def _answer(self, number: int, tree: Plain) -> None:
        """From any thread."""
        self._answers.append([number, tree])
        self._wake()

    # What it is told

    def tell(self, event: Event) -> None:
        """With its next update."""
        if len(self._events) == MOST_WAITING:
            self._missed += 1
        self._events.append(event)

    def show(self, pictures: PicturesOut) -> None:
        """From now on its pictures are here."""
        self._drop_file()
        self._pictures, self._announced = pictures, False

    def _drop_file(self) -> None:
        """Pictures that it was never told of."""
        if self._pictures is not None and not self._announced:
            os.close(self._pictures.file)
            self._announced = True

    def _drop_crew(self) -> None:
        if self._crew_file >= 0:
            os.close(self._crew_file)
            self._crew_file = -1

    def picture(self, pictures: Pictures, suffix: str) -> None:
        """The newest pictures."""
        out = self._pictures
        if out is None:
            return
        for place in out.sizes:
            found = pictures.shown.get(place + suffix)
            if found is None:
                out.clear(place)
            else:
                out.show(place, found, pictures.captured_s.get(place + suffix, 0.0))

    def has_news(self) -> bool:
        """Is there anything that should not wait for the next frame?"""
        return bool(self._events or self._answers)

    def update(self, values: Values, now_s: float) -> None:
        """Say what is new, if it has taken what was said before."""
        self.updated_s = now_s
        if self.line.waits:
            return  # it has not taken what was said before: it is looked at again with the next frame
        said: dict[str, Plain] = {}
        files: tuple[int, ...] = ()
        state = self._session.state
        seat = seat_of(state, self.number)
        if seat is not state.desk:
            before = self._state.desk if self._state is not None else seat
            state = state.with_(desk=before if before == seat else seat)
        changes = self._said.state.between(self._state, state)
        self._state = state
        if changes:
            said["state"] = changes
        told = values.news(self._known)
        if told:
            said["values"] = told
        if self._lines:
            said["lines"] = [self._said.ran.to(ran) for ran in islice(self._lines, LINES_AT_ONCE)]
            for _ in said["lines"]:
                self._lines.popleft()
        if self._log:
            said["log"] = [self._said.log_line.to(line) for line in islice(self._log, LINES_AT_ONCE)]
            for _ in said["log"]:
                self._log.popleft()
        if self._events and not self._lines and not self._log:
            said["events"] = self._take_events()
        if self._answers:
            said["answers"] = [self._answers.popleft() for _ in range(len(self._answers))]
        if not self._announced and self._pictures is not None:
            said["pictures"] = {place: list(size) for place, size in self._pictures.sizes.items()}
            files = (self._pictures.file,)
            self._announced = True
        if self._crew_file >= 0:
            said["crew"] = True
            files, self._crew_file = (*files, self._crew_file), -1
        if said or now_s - self._said_s > ALIVE_EVERY_S:
            self.line.put([Said.UPDATE, said], files)
            self._said_s = now_s

    def _take_events(self) -> list[Plain]:
        events = [self._said.event.to(event) for event in self._events]
        self._events.clear()
        if self._missed:
            words = f"This desk was too slow to be told of everything: {self._missed} lines are not shown here."
            events.append(self._said.event.to(Notice(words, Severity.FAULT)))
            self._missed = 0
        return events

    def close(self) -> None:
        self._drop_file()
        self._drop_crew()
        self.line.close()
