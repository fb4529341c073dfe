"""Messages between this desk and other machines: listening as the show says, sending, lighting controllers."""

import os
from collections.abc import Mapping, Sequence

from ribalta.core.base.codes import new_code
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.pad_state import lights
from ribalta.core.ports.as_run import AsRunAdded
from ribalta.core.ports.messages import Event, Send
from ribalta.core.show.automation.house import House
from ribalta.core.show.automation.triggers_pads_shortcuts import Listening
from ribalta.core.show.document.deeds import is_here
from ribalta.core.show.files.shortcut_file import config_folder
from ribalta.remote.house.status import HouseStatus
from ribalta.remote.log import MessageLine
from ribalta.remote.midi import MachinePorts, Ports
from ribalta.remote.remote_server import RemoteServer
from ribalta.server.controls_io import ControlsIo
from ribalta.server.engine_host import EngineHost
from ribalta.server.foreign_show import ForeignShow
from ribalta.server.part import Part
from ribalta.server.passwords import Passwords
from ribalta.workers.crew import Crew

LIGHTS_EVERY_S = 0.1


def kept_token() -> str:
    """The token of this desk, made at first need. It can be read by its owner alone."""
    path = config_folder() / "token"
    try:
        return path.read_text().strip()
    except OSError:
        token = new_code()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(token)
    except OSError:
        return token  # for as long as this runs
    return token


class MessagesHost(Part):
    """What desks see of it may be asked from any thread."""

    called = "messages and controllers"

    def __init__(
        self,
        host: EngineHost,
        controls: ControlsIo,
        foreign: ForeignShow,
        ports: Ports | None,
        crew: Crew,
        passwords: Passwords,
    ) -> None:
        self._host, self._foreign = host, foreign
        self._token = ""

        def secret(house: House) -> str:
            return passwords.secrets.get(house.where, house.user)

        self.station = RemoteServer(
            host, controls.work, ports or MachinePorts(), self.token, crew, controls.faders, secret
        )
        controls.faders.send = self.station.show_value
        self._lights_s = 0.0
        self._here_only: Listening | None = None

    def token(self) -> str:
        """What messages from other machines must carry."""
        if not self._token:
            self._token = kept_token()
        return self._token

    @property
    def lines(self) -> Sequence[MessageLine]:
        """What came and went lately, the newest last."""
        return self.station.log.lines

    @property
    def midi_names(self) -> tuple[Sequence[str], Sequence[str]]:
        """Inputs and outputs."""
        return self.station.midi.names

    @property
    def midi_trouble(self) -> str:
        return self.station.midi.trouble

    @property
    def troubles(self) -> Mapping[str, str]:
        """Why something is not listened to, a sentence each."""
        return self.station.troubles

    @property
    def house(self) -> HouseStatus:
        """The line to the house's broker, and what others there say."""
        return self.station.house

    def start(self) -> None:
        self.station.start()

    def stop(self) -> None:
        self.station.stop()

    # On the engine's thread

    def follow(self, state: LiveState) -> None:
        listening = state.show.listening
        if self._foreign.deeds and listening.beyond:
            listening = self._here_only = self._here_only or listening.model_copy(update={"beyond": False})
        self.station.follow(listening)
        house = state.show.house
        wanted = house.on and (not self._foreign.deeds or is_here(house.host))
        self.station.follow_house(house if wanted else None)
        now_s = self._host.clock.now_s()
        if now_s - self._lights_s >= LIGHTS_EVERY_S:
            self._lights_s = now_s
            for page in state.show.pages:
                if page.surface is not None and page.surface.port:
                    self.station.light(page.surface.port, page.surface.channel, lights(state, page, now_s))

    def hear(self, event: Event, state: LiveState) -> None:
        if isinstance(event, AsRunAdded):
            self.station.happened(event.line)
        if isinstance(event, Send) and not self._foreign.deeds:
            self.station.send(event)
