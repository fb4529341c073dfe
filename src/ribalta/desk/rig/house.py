"""The house: the broker that is told what is on air, and what other servers there say."""

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ribalta.desk.bridge import Bridge
from ribalta.desk.painting import look
from ribalta.desk.widgets.fields import Field, Form, heading, label
from ribalta.desk.widgets.lists.listing import Listing, ListRow

WORDS = {
    "off": "Off: the house is told nothing.",
    "opening": "The broker is being called …",
    "on": "On: the broker is told what is on air, what is next, tally, framings and health.",
    "lost": "The line is lost; it is tried again.",
}
ABOUT = (
    "Where several halls, displays, signs, lamps or loggers are to know what is on air, a broker (MQTT 5) is told. It"
    " is a program of its own that the house has already; Ribalta brings none. Commands come in with the code of an"
    " invitation, and may do what its role may."
)
ALONE = "Nobody else in the house says anything yet."


class HousePage(QWidget):
    def __init__(self, bridge: Bridge) -> None:
        super().__init__()
        self._bridge = bridge
        self.on = QCheckBox("Tell the house's broker what is on air")
        self.on.clicked.connect(lambda on: self._change(on=on))
        self.name = Field("This server's name in the house", lambda text: self._change(name=text.strip()))
        self.host = Field("Address of the broker", lambda text: self._change(host=text.strip()))
        self.host.setPlaceholderText("broker.local, or 192.168.1.20")
        self.port = Field("Port of the broker", self._port)
        self.tls = QCheckBox("Encrypted (TLS), its certificate is checked")
        self.tls.clicked.connect(self._encrypt)
        self.user = Field("User at the broker", lambda text: self._change(user=text.strip()))
        self.password = Field("Password at the broker", self._keep_password)
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setPlaceholderText("kept by this desk, not in the show")
        self.said = label("", wrap=True)
        self.others = Listing("Other servers of the house", lambda _: None)
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(heading("Broker"))
        left.addWidget(label(ABOUT, soft=True, wrap=True))
        left.addWidget(self.on)
        box = QWidget()
        form = Form(box)
        form.add("Name here", self.name)
        form.add("Address", self.host)
        form.add("Port", self.port)
        form.add_whole(self.tls)
        form.add("User", self.user)
        form.add("Password", self.password)
        left.addWidget(box)
        left.addWidget(self.said)
        left.addStretch(1)
        right = QVBoxLayout()
        right.addWidget(heading("Others in the house"))
        right.addWidget(self.others, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 6, 0, 0)
        whole.setSpacing(24)
        whole.addLayout(left, 1)
        whole.addLayout(right, 1)

    def refresh(self) -> None:
        house, status = self._bridge.state.show.house, self._bridge.messages.house
        self.on.setChecked(house.on)
        self.name.show_text(house.name)
        self.host.show_text(house.host)
        self.port.show_text(str(house.port))
        self.tls.setChecked(house.tls)
        self.user.show_text(house.user)
        self.said.setText(f"▲ {status.trouble}" if status.trouble else WORDS[status.word])
        rows = [ListRow(one.name, self._other(one.name, one.online, one.on_air)) for one in status.others]
        self.others.fill(rows or [ListRow("", ALONE, look.SOFT)], None)

    @staticmethod
    def _other(name: str, online: bool, on_air: str) -> str:
        if not online:
            return f"{name}   is not there"
        return f"{name}   ON AIR  {on_air}" if on_air else f"{name}   nothing is on air"

    def _change(self, **changes: object) -> None:
        self._bridge.act("house.connect", **changes)

    def _port(self, text: str) -> None:
        self._change(port=int(text) if text.strip().isdigit() else text)

    def _encrypt(self, on: bool) -> None:
        """The usual port goes with it."""
        port = self._bridge.state.show.house.port
        usual = {1883: 8883, 8883: 1883}.get(port, port) if (port == 8883) != on else port
        self._change(tls=on, port=usual)

    def _keep_password(self, text: str) -> None:
        house = self._bridge.state.show.house
        if text:
            self._bridge.passwords.keep(house.where, house.user, text)
            self.password.clear()
            if house.on:  # so that it is called with it
                self._change(on=False)
                self._change(on=True)
