"""Everything outside the engine with every part of it poisoned: cameras' drivers and lines, receivers of tally,
microphones, headphones and what takes the sound away. Its rounds are made by hand."""

import contextlib
import socket
from typing import Any

import numpy as np

from ribalta.core.base.aim import Aim
from ribalta.core.base.clock import HandClock
from ribalta.core.engine.program.tally import rows
from ribalta.core.ports.messages import GoTo
from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.devices import rig as rig_module
from ribalta.devices.drivers.index import driver_for
from ribalta.devices.drivers.tsl.wire import Display
from ribalta.devices.links.udp import UdpLink
from ribalta.devices.rig import Rig
from ribalta.devices.tally import TallySender
from ribalta.media.sound import sound_desk as sound_module
from ribalta.media.sound.sound_desk import BLOCK, SoundDesk, SoundPlan
from ribalta.workers.crew import Crew
from tests.abuse.poison import Poisoner


class Hum:
    """A microphone that gives one level."""

    trouble = ""

    def read(self, count: int) -> Any:
        return np.full((count, 1), 0.1, np.float32)

    def stop(self) -> None: ...

    def join(self) -> None: ...


class Ear:
    """Counts the blocks of sound that it is given."""

    def __init__(self, *_: Any) -> None:
        self.blocks = 0

    def hear(self, at_s: float, block: Any) -> None:
        assert block.shape == (BLOCK, 2)
        self.blocks += 1

    def play(self, block: Any) -> None:
        self.blocks += 1

    def stop(self) -> None: ...

    def join(self) -> None: ...


class Outside:
    """`turn` makes one round of each. `said` is what people were told."""

    def __init__(self, poison: Poisoner, show: Any, monkeypatch: Any) -> None:
        self.said: list[str] = []
        self._turns = 0
        crew, self.clock = Crew(self.said.append), HandClock(10.0)
        self.ends = [socket.socket(socket.AF_INET, socket.SOCK_DGRAM) for _ in range(3)]
        for end in self.ends:
            end.bind(("127.0.0.1", 0))
            end.setblocking(False)
        camera_port, *self._ports = [end.getsockname()[1] for end in self.ends]
        monkeypatch.setattr(rig_module, "driver_for", self._driver_of(poison))
        self._links: list[UdpLink] = []

        def link(*_: Any) -> Any:
            self._links.append(UdpLink("127.0.0.1", camera_port))
            return poison.of(self._links[-1], "link")

        monkeypatch.setattr(rig_module, "LINKS", dict.fromkeys(rig_module.LINKS, link))
        self.rig = Rig(show.cameras, self.clock, lambda _: None, crew=crew)
        self.tally = TallySender(crew)
        self.tally._sockets[socket.AF_INET] = poison.of(self.ends[0], "receiver", ("sendto",))
        monkeypatch.setattr(
            sound_module, "open_source", lambda *_: poison.call("opening", poison.of, Hum(), "microphone")
        )
        monkeypatch.setattr(sound_module, "Headphones", lambda *_: poison.call("plug", poison.of, Ear(), "headphones"))
        self.sound = SoundDesk(crew=crew)
        self.ear = Ear()
        self.sound.taps = (poison.of(Ear(), "ear"), self.ear)

    @staticmethod
    def _driver_of(poison: Poisoner) -> Any:
        return lambda *given: poison.of(driver_for(*given), "driver")

    def turn(self, state: Any, requests: Any, now_s: float, channels: Any) -> None:
        self.clock.advance(now_s - self.clock.now_s())
        self._turns += 1
        for request in requests:
            self.rig.send(request)
        for camera in state.show.cameras:
            self.rig.send(GoTo(camera.id, Aim(self._turns % 90, 0.0, 0.5)))
        self._answer()
        self.rig._wake()
        self.rig.round()
        self.tally.follow(
            [TallyReceiver(host="127.0.0.1", port=port) for port in self._ports],
            tuple(Display(*row) for row in rows(state)),
        )
        self.tally._tell_all(self.tally._displays, now_s)
        heard, some = self.sound.heard, channels[: 1 + self._turns % 2]  # microphones come and go
        self.sound.follow(SoundPlan(some, headphones=f"phones {int(now_s)}"))
        self.sound.round(now_s)
        assert self.sound.heard is not heard
        assert list(self.sound.heard.levels) == [channel.id for channel in some]

    def _answer(self) -> None:
        """As a camera that acknowledges whatever it hears."""
        with contextlib.suppress(BlockingIOError):
            while True:
                _, asker = self.ends[0].recvfrom(2048)
                self.ends[0].sendto(bytes.fromhex("9041ff"), asker)

    def told(self) -> list[int]:
        """How many datagrams wait at each receiver of tally."""
        counts = []
        for end in self.ends[1:]:
            count = 0
            while True:
                try:
                    end.recv(2048)
                except BlockingIOError:
                    break
                count += 1
            counts.append(count)
        return counts

    def close(self) -> None:
        self.rig.stop()
        self.tally.stop()
        self.sound.stop()
        for end in (*self.ends, *self._links):
            end.close()
