"""Guests: the door, who is invited and with which link, and who is here and holds what."""

from urllib.parse import quote

from PySide6.QtCore import QDateTime, Qt, QUrl
from PySide6.QtGui import QDesktopServices, QGuiApplication
from PySide6.QtWidgets import QCheckBox, QDateTimeEdit, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ribalta.core.base.codes import hashed, new_code
from ribalta.core.base.spans import span_words
from ribalta.core.engine.actions.guests import LONGEST_MINUTES
from ribalta.core.ports.guests import Guest, Invitation, Role
from ribalta.core.show.automation.calls import Call
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.painting.codes import qr
from ribalta.desk.widgets.fields import Choice, Field, Form, button, heading, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow

ROLES = {
    str(Role.WATCHER): "Watcher: sees",
    str(Role.OPERATOR): "Operator: steers, stores, names",
    str(Role.DEPUTY): "Deputy: may take, too",
}
UNTIL = "until"
LASTS = {
    "": "until the show ends",
    "60": "one hour",
    "180": "three hours",
    "720": "twelve hours",
    "1440": "a day",
    UNTIL: "until a day and time",
}
USES = {"1": "one person", "0": "several people"}
QR_PX = 220
CLOSED = "The door is closed: nobody comes in. Open it to invite somebody to watch, to steer or to stand in for you."
NO_INVITATIONS = "Nobody is invited yet."
NOBODY = "Nobody is here."


class GuestsPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._links: dict[str, str] = {}  # codes by their hash, of invitations that were made here
        self._chosen = self._guest = ""
        self._known: set[str] = set()
        self.open = self._held("Open the guests' door", True)
        self.close_door = self._held("Close the guests' door", False)
        self.port = Field("Port of the guests' door", self._port)
        self.beyond = QCheckBox("From beyond this network, too")
        self.beyond.clicked.connect(lambda on: bridge.act("guests.open", on=bridge.state.guests.open, beyond=on))
        self.where = label("", soft=True, wrap=True)
        self.name = Field("Who is invited")
        self.name.setPlaceholderText("Bram's tablet")
        self.role = Choice("What the guest may do", ROLES, lambda _: None)
        self.cameras = Field("Numbers of cameras, empty for all")
        self.cameras.setPlaceholderText("all; or 1, 3")
        self.lasts = Choice("How long the invitation lasts", LASTS, lambda _: self._show_until())
        self.until = QDateTimeEdit()
        self.until.setAccessibleName("The day and time at which the invitation ends")
        self.until.setDisplayFormat("ddd d MMM yyyy, HH:mm")
        self.until.setCalendarPopup(True)
        self.until.setFont(look.font(14))
        self.hears = QCheckBox("Hears program and the crew")
        self.talks = QCheckBox("May talk to the crew")
        self.uses = Choice("How many may come with it", USES, lambda _: None)
        self.invite = button("Invite", self._invite, "Makes a link with a code")
        self.invitations = Listing("Invitations", self._choose)
        self.withdraw = button("Take back", self._withdraw, "Ends what is open with it, at once")
        self.here = Listing("Who is here", self._choose_guest)
        self.send_out = button("Send out", self._send_out)
        self.take_back = button("Take the camera back", self._take_back)
        self.code = label("")
        self.code.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.link = Field("Link of the invitation")
        self.link.setReadOnly(True)
        self.copy = button("Copy the link", self._copy)
        self.mail = button("Write a mail", self._mail)
        self.said = label("", soft=True, wrap=True)
        self.invitations.offer(self.copy, self.mail, remove=self.withdraw)
        self.here.offer(self.take_back, remove=self.send_out)
        self._lay_out()
        self.refresh()

    def _held(self, text: str, on: bool) -> QPushButton:
        made = button(text, lambda: None)
        call = Call(action="guests.open", arguments={"on": on})
        made.pressed.connect(lambda: self._bridge.begin(call))
        made.released.connect(self._bridge.let_go)
        return made

    def _lay_out(self) -> None:
        inside = QWidget()
        left = QVBoxLayout(inside)
        left.setContentsMargins(0, 0, 8, 0)
        left.addWidget(heading("Door"))
        line = QHBoxLayout()
        line.addWidget(self.open)
        line.addWidget(self.close_door)
        left.addLayout(line)
        box = QWidget()
        form = Form(box)
        form.add("Port", self.port)
        form.add_whole(self.beyond)
        left.addWidget(box)
        left.addWidget(self.where)
        left.addSpacing(10)
        left.addWidget(heading("Invite"))
        self._form = QWidget()
        form = self._rows = Form(self._form)
        form.add("Who", self.name)
        form.add("Role", self.role)
        form.add("Cameras", self.cameras)
        form.add("For", self.lasts)
        form.add("Day, time", self.until)
        form.add("Used by", self.uses)
        form.add_whole(self.hears)
        form.add_whole(self.talks)
        self._show_until()
        left.addWidget(self._form)
        left.addWidget(self.invite)
        left.addStretch(1)
        middle = QVBoxLayout()
        middle.addWidget(heading("Invitations"))
        middle.addWidget(self.invitations, 1)
        middle.addWidget(self.withdraw)
        middle.addWidget(heading("Here"))
        middle.addWidget(self.here, 1)
        line = QHBoxLayout()
        line.addWidget(self.take_back)
        line.addWidget(self.send_out)
        middle.addLayout(line)
        right = QVBoxLayout()
        right.addWidget(heading("Link"))
        right.addWidget(self.code)
        right.addWidget(self.link)
        line = QHBoxLayout()
        line.addWidget(self.copy)
        line.addWidget(self.mail)
        right.addLayout(line)
        right.addWidget(self.said)
        right.addStretch(1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(20)
        scroll = QScrollArea()  # in a small window, or with large text
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(inside)
        whole.addWidget(scroll, 34)
        whole.addLayout(middle, 40)
        whole.addLayout(right, 26)

    # What is shown

    def refresh(self) -> None:
        state, door = self._bridge.state, self._bridge.guests.door
        guests, now_s = state.guests, self._bridge.now_s
        self.open.setEnabled(not guests.open)
        self.close_door.setEnabled(guests.open)
        self.port.show_text(str(guests.port))
        self.beyond.setChecked(guests.beyond)
        for part in (self._form, self.invite):
            part.setEnabled(guests.open)
        if not guests.open:
            words = CLOSED
        elif door.trouble:
            words = f"▲ {door.trouble}"
        elif not door.addresses:
            words = "The door is being opened …"
        else:
            words = f"Open at {' and '.join(door.addresses)}. A browser warns of the certificate once; it is the right"
            words += f" one if its SHA-256 fingerprint is\n{door.fingerprint}"
            if door.tries:
                words += f"\nWrong codes so far: {door.tries}."
        self.where.setText(words)
        fresh = [i for i in guests.invitations if i not in self._known]
        self._known = set(guests.invitations)
        if fresh:
            self._chosen = fresh[-1]
        if self._chosen not in guests.invitations:
            self._chosen = next(iter(guests.invitations), "")
        rows = [ListRow(i.id, self._invited(i, now_s)) for i in guests.invitations.values()]
        self.invitations.fill(rows or [ListRow("", NO_INVITATIONS, look.SOFT)], self._chosen or None)
        if self._guest not in guests.here:
            self._guest = next(iter(guests.here), "")
        rows = [ListRow(g.id, self._present(g, now_s)) for g in guests.here.values()]
        self.here.fill(rows or [ListRow("", NOBODY, look.SOFT)], self._guest or None)
        self.withdraw.setEnabled(bool(self._chosen))
        self.send_out.setEnabled(bool(self._guest))
        self.take_back.setEnabled(any(h.guest == self._guest and now_s < h.until_s for h in guests.holds.values()))
        self._show_link()

    def _invited(self, one: Invitation, now_s: float) -> str:
        numbers = self._numbers(one.cameras)
        ends = f"{span_words(max(0.0, one.ends_at_s - now_s))} left" if one.ends_at_s is not None else "this show"
        used = f"used {one.used}/{one.uses}" if one.uses else f"used by {one.used}"
        sound = {(True, True): ", hears, talks", (True, False): ", hears", (False, True): ", talks"}
        return f"{one.name}   {one.role}   {numbers}   {ends}, {used}{sound.get((one.hears, one.talks), '')}"

    def _numbers(self, camera_ids: tuple[str, ...]) -> str:
        found = [c.number for i in camera_ids if (c := self._bridge.state.show.camera(i)) is not None]
        if not found:
            return "all cameras"
        return f"camera{'s' if len(found) > 1 else ''} {', '.join(map(str, sorted(found)))}"

    def _present(self, guest: Guest, now_s: float) -> str:
        state = self._bridge.state
        delay = self._bridge.guests.door.delays_ms.get(guest.id)
        holds = [i for i, h in state.guests.holds.items() if h.guest == guest.id and now_s < h.until_s]
        held = f"   holds {self._numbers(tuple(holds))}" if holds else ""
        line = (f"{delay:.0f} ms" if delay is not None else "here") if guest.there else "its line is gone"
        return f"{guest.name}   {guest.role}, {guest.by}   {line}{held}"

    def _show_link(self) -> None:
        chosen = self._bridge.state.guests.invitations.get(self._chosen)
        code = self._links.get(chosen.code) if chosen is not None else None
        addresses = self._bridge.guests.door.addresses
        link = f"{addresses[0]}/#{code}" if code is not None and addresses else ""
        if link != self.link.text():
            self.link.setText(link)
            self.link.setCursorPosition(0)
            self.code.setPixmap(qr(link, QR_PX)) if link else self.code.clear()
        for part in (self.copy, self.mail):
            part.setEnabled(bool(link))
        self.said.setText(
            "Whoever has the link comes in with it: give it to nobody else. It is known to this window alone."
            if link
            else "Invite somebody, and the link is here, to be copied, mailed, or read by a phone's camera."
            if chosen is None
            else "The link of this invitation was shown in another window, or before. Take it back and invite anew."
        )

    # What is done

    def _port(self, text: str) -> None:
        try:
            self._bridge.act("guests.open", on=self._bridge.state.guests.open, port=int(text))
        except ValueError:
            self._bridge.act("guests.open", on=self._bridge.state.guests.open, port=text)  # it says what is wrong

    def _show_until(self) -> None:
        """The day and time are only there when they are wanted."""
        wanted = self.lasts.currentData() == UNTIL
        if wanted and not self.until.isVisibleTo(self._form):
            now = QDateTime.currentDateTime()
            self.until.setDateTimeRange(now, now.addSecs(round(60 * LONGEST_MINUTES)))
            self.until.setDateTime(now.addDays(1))
        self._rows.show_row(self.until, wanted)

    def _minutes(self) -> float | None:
        """How long the invitation lasts; None: until the show ends."""
        lasts = self.lasts.currentData()
        if lasts == UNTIL:
            return QDateTime.currentDateTime().secsTo(self.until.dateTime()) / 60.0
        return float(lasts) if lasts else None

    def _invite(self) -> None:
        code = new_code()
        self._links[hashed(code)] = code
        words = self.cameras.text().replace(",", " ").split()
        self._bridge.act(
            "guest.invite",
            name=self.name.text().strip() or "Guest",
            role=self.role.currentData(),
            code=hashed(code),
            cameras=[int(w) if w.isdigit() else w for w in words],
            minutes=self._minutes(),
            uses=int(self.uses.currentData()),
            hears=self.hears.isChecked(),
            talks=self.talks.isChecked(),
        )

    def _choose(self, key: str) -> None:
        self._chosen = key
        self._show_link()

    def _choose_guest(self, key: str) -> None:
        self._guest = key

    def _withdraw(self) -> None:
        if self._chosen:
            self._bridge.act("guest.withdraw", invitation=self._chosen)

    def _send_out(self) -> None:
        if self._guest:
            self._bridge.act("guest.send_out", guest=self._guest)

    def _take_back(self) -> None:
        state = self._bridge.state
        for camera_id, hold in state.guests.holds.items():
            camera = state.show.camera(camera_id)
            if hold.guest == self._guest and camera is not None:
                self._bridge.act("camera.take_back", camera=camera.number)

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.link.text())

    def _mail(self) -> None:
        title = self._bridge.state.show.title
        body = f"You are invited to take part in “{title}”. Open this on the same network:\n\n{self.link.text()}\n"
        QDesktopServices.openUrl(QUrl(f"mailto:?subject={quote(title)}&body={quote(body)}"))
