"""How a camera is reached and where its picture comes from. Nothing changes before “Use this” or Enter."""

from pathlib import Path
from urllib.parse import urlsplit

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from ribalta.core.engine.actions.cameras.cameras import OWN_PORTS
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.troubles import REFUSED_LOGIN
from ribalta.core.show.document.model import Camera, Control, PictureKind, PictureSource, Protocol
from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.rig.cameras import PROTOCOLS
from ribalta.desk.widgets.fields import Choice, Field, Form, button, label

FIXED = "fixed"
PICTURES: dict[str, str] = {
    PictureKind.STREAM: "an address (rtsp, http, udp)",
    PictureKind.SHARED_MEMORY: "a program on this machine",
    PictureKind.DEVICE: "a video device",
    PictureKind.FILE: "a file, played over and over",
}
EXAMPLES = {
    PictureKind.STREAM: "rtsp://192.168.1.20:554/1",
    PictureKind.SHARED_MEMORY: "name of the shared picture",
    PictureKind.DEVICE: "/dev/video0",
    PictureKind.FILE: "/home/me/clip.mp4",
}


class ReachPage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self._camera: str | None = None
        self._shown: tuple[object, ...] = ()
        none = {"": "choose a model …"}
        self.model = Choice("Model", none | {p.name: p.name for p in bridge.camera_jobs.profiles()}, self._choose_model)
        self.protocol = Choice("Reached by", {FIXED: "nothing: it is fixed"} | PROTOCOLS, self._protocol_chosen)
        self.host, self.port = Field("Address"), Field("Port")
        self.line = Field("Serial line", tip="such as /dev/ttyUSB0")
        self.user, self.password = Field("User"), Field("Password")
        self.kind = Choice("Picture from", PICTURES, lambda _: self._arrange())
        self.picture = Field("Picture address")
        self.picture.textEdited.connect(lambda _: self._arrange())
        self.picture_user, self.picture_password = Field("User for the picture"), Field("Password for the picture")
        for field in (self.password, self.picture_password):
            field.setEchoMode(QLineEdit.EchoMode.Password)
            field.setPlaceholderText("kept in the keyring")
        self.host.setPlaceholderText("192.168.1.20")
        self.port.setMaximumWidth(look.scaled(90))
        self.for_all = QCheckBox("")
        self.for_all.setToolTip("The same user and password for every camera that refuses the one it was given")
        self.use = button("Use this", self.apply, "Connect as it says here (Enter)")
        self.web = button("Its web page", self._open_web, "In this machine's browser")
        self.trouble = label("", wrap=True)
        for field in (self.host, self.port, self.line, self.user, self.password, self.picture):
            field.returnPressed.connect(self.apply)
        form = Form(self)
        form.add("Model", self.model)
        form.add("Reached by", self.protocol)
        form.add("Address", self.host, "Port", self.port)
        form.add("Serial line", self.line)
        form.add("User", self.user, "Password", self.password)
        form.add_whole(self.for_all)
        self.for_all.hide()
        form.add("Picture from", self.kind)
        form.add("Where", self.picture)
        form.add("User", self.picture_user, "Password", self.picture_password)
        foot = QWidget()
        line = QHBoxLayout(foot)
        line.setContentsMargins(0, 2, 0, 0)
        line.addWidget(self.trouble, 1)
        line.addWidget(self.web)
        line.addWidget(self.use)
        form.add_whole(foot)
        form.end()
        self._form = form

    def show_camera(self, camera: Camera | None) -> None:
        """What is stored of a camera; fields that somebody is changing are left alone until they are used."""
        if camera is None:
            return
        shown = (camera.id, camera.control, camera.picture, camera.profile)
        if shown != self._shown:
            self._shown, self._camera = shown, camera.id
            self._fill(camera)
        live = self._bridge.state.live(camera.id)
        self.trouble.setText(f"It is out of reach: {live.trouble}." if live.trouble else "")
        others = self._refusing(camera)
        offered = bool(others) and live.trouble == REFUSED_LOGIN
        self.for_all.setText(f"For {len(others)} more that refuse theirs, too")
        if offered != self.for_all.isVisibleTo(self):
            self.for_all.setVisible(offered)
            self.for_all.setChecked(offered)

    def _refusing(self, camera: Camera) -> list[Camera]:
        """Other cameras that are reached like this one and refuse the user or password that they were given."""
        state = self._bridge.state
        return [
            other
            for other in state.show.cameras
            if other.id != camera.id
            and other.control is not None
            and other.control.protocol is Protocol.ONVIF
            and state.live(other.id).trouble == REFUSED_LOGIN
        ]

    def _fill(self, camera: Camera) -> None:
        control, picture = camera.control or Control(host=""), camera.picture
        self.model.show_value(camera.profile)
        self.protocol.show_value(control.protocol if camera.control is not None else FIXED)
        for field, text in (
            (self.host, control.host),
            (self.port, str(control.port) if camera.control is not None else ""),
            (self.line, control.line),
            (self.user, control.user),
            (self.password, ""),
            (self.picture, picture.name),
            (self.picture_user, picture.user),
            (self.picture_password, ""),
        ):
            field.setModified(False)
            field.show_text(text)
        self.kind.show_value(picture.kind if picture.name else PictureKind.STREAM)
        self._arrange()

    def _protocol_chosen(self, value: str) -> None:
        self.port.setText(str(OWN_PORTS.get(Protocol(value), "")) if value != FIXED else "")
        if value == Protocol.VISCA_SERIAL and not self.line.text():
            self.line.setText(next(iter(serial_lines()), ""))
        self._arrange()

    def _arrange(self) -> None:
        """Only what this way of reaching needs is asked for."""
        protocol, kind = self.protocol.value(), PictureKind(self.kind.value())
        serial, fixed = protocol == Protocol.VISCA_SERIAL, protocol == FIXED
        self._form.show_row(self.host, not serial and not fixed)
        self._form.show_row(self.line, serial)
        self._form.show_row(self.user, protocol == Protocol.ONVIF)
        self._form.show_row(self.picture_user, kind is PictureKind.STREAM and not self._is_one_device())
        self.picture.setPlaceholderText(EXAMPLES[kind])
        self.web.setVisible(self.web_page() is not None)

    def web_page(self) -> QUrl | None:
        """The camera's own page, at its address or that of its picture; None without one."""
        control, picture = self.host.text().strip(), self.picture.text().strip()
        over_network = self.protocol.value() not in (FIXED, Protocol.VISCA_SERIAL)
        parts = urlsplit(picture) if self.kind.value() == PictureKind.STREAM else None
        host = control.partition(":")[0] if over_network and control else (parts.hostname or "") if parts else ""
        url = QUrl()
        url.setScheme("http")
        url.setHost(host)
        url.setPath("/")
        return url if host and url.isValid() and url.host() else None

    def _open_web(self) -> None:
        url = self.web_page()
        if url is not None and not QDesktopServices.openUrl(url):
            said = f"This machine has no browser to show {url.toString()} in. Type it into one elsewhere."
            self._bridge.noticed.emit(Notice(said, Severity.REFUSED))

    def _is_one_device(self) -> bool:
        """Do control and picture come from one device, with one user and password for both?"""
        if self.protocol.value() != Protocol.ONVIF or self.kind.value() != PictureKind.STREAM:
            return False
        host = urlsplit(self.picture.text().strip()).hostname or ""
        return bool(host) and host == self.host.text().strip().partition(":")[0]

    def _choose_model(self, name: str) -> None:
        camera = self._bridge.state.show.camera(self._camera or "")
        profile = next((p for p in self._bridge.camera_jobs.profiles() if p.name == name), None)
        if camera is None or profile is None:
            return
        head = profile.head.model_dump() if camera.steered else None
        self._bridge.act("camera.model", camera=camera.number, profile=name, head=head, zoom_table=profile.zoom_table)

    def apply(self) -> None:
        """Everything on the page becomes the camera's."""
        camera = self._bridge.state.show.camera(self._camera or "")
        if camera is None:
            return
        protocol = self.protocol.value()
        if protocol == FIXED:
            if camera.steered:
                self._bridge.act("camera.fix", camera=camera.number)
        else:
            self._connect(camera, Protocol(protocol))
        if self.for_all.isVisibleTo(self) and self.for_all.isChecked() and self.password.text():
            for other in self._refusing(camera):
                self._give_login(other)
        one = self._is_one_device()
        user = (self.user if one else self.picture_user).text().strip()
        password = (self.password if one else self.picture_password).text()
        if password:
            self._bridge.passwords.keep(self.picture.text().strip(), user, password)
        source = PictureSource(
            kind=PictureKind(self.kind.value()),
            name=self.picture.text().strip(),
            user=user,
            delay_s=camera.picture.delay_s,
        )
        if source != camera.picture or password:
            self._bridge.act(
                "camera.picture", camera=camera.number, kind=source.kind.value, name=source.name, user=source.user
            )
        self._shown = ()

    def _give_login(self, camera: Camera) -> None:
        """The user and password on the page become another camera's."""
        control = camera.control
        assert control is not None
        user = self.user.text().strip()
        self._bridge.passwords.keep(f"{control.host}:{control.port}", user, self.password.text())
        where: dict[str, object] = {"host": control.host, "port": control.port, "user": user}
        self._bridge.act("camera.connect", camera=camera.number, protocol=control.protocol.value, **where)

    def _connect(self, camera: Camera, protocol: Protocol) -> None:
        arguments: dict[str, object] = {"host": self.host.text(), "line": self.line.text(), "user": self.user.text()}
        if self.port.text().strip():
            text = self.port.text().strip()
            arguments["port"] = int(text) if text.isascii() and text.isdigit() else text
        control = camera.control
        same = control is not None and (
            (control.protocol, control.host, str(control.port), control.line, control.user)
            == (protocol, self.host.text(), self.port.text(), self.line.text(), self.user.text())
        )
        if self.password.text():
            where = f"{self.host.text().strip()}:{self.port.text().strip()}"
            self._bridge.passwords.keep(where, self.user.text().strip(), self.password.text())
        if not same or self.password.text():
            self._bridge.act("camera.connect", camera=camera.number, protocol=protocol.value, **arguments)
        profile = next((p for p in self._bridge.camera_jobs.profiles() if p.name == camera.profile), None)
        if not camera.steered and profile is not None:
            self._choose_model(profile.name)


def serial_lines() -> list[str]:
    """The serial adapters that are plugged in."""
    return sorted(str(path) for pattern in ("ttyUSB*", "ttyACM*") for path in Path("/dev").glob(pattern))
