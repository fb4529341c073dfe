"""The parts of a running show as a desk has them: what it was told last, and calls that are sent to the server.

They fulfil the Protocols of `desk/running_show.py`. Nothing here waits: what has to be asked first is there a little
later, and whoever shows it is told that something changed.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ribalta.attach.crew_line import CrewLine
from ribalta.attach.pictures import PicturesIn
from ribalta.attach.protocol import (
    DoorSeen,
    HouseSeen,
    LineSeen,
    RecordingSeen,
    Sizes,
    SoundSeen,
    StreamSeen,
)
from ribalta.core.engine.controls import Controls, Shortcuts
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.shots import Overlays, Shot
from ribalta.core.sound.levels import Level

Ask = Callable[..., None]  # a call's name and what it hands over; `answer` is told what came of it
SILENT = SoundSeen({}, {}, {}, Level(), -70.0, 0.0, {})
STREAM_OFF = StreamSeen("off", 0.0, 0.0, 0, 0, "")


@dataclass
class Told:
    """What the server said last, by the name of the value."""

    values: dict[str, Any] = field(default_factory=dict)

    def get(self, name: str, nothing: Any) -> Any:
        """What was said last; `nothing` before that."""
        return self.values.get(name, nothing)


class _CapturedAt(Mapping[str, float]):
    def __init__(self, pictures: PicturesIn) -> None:
        self._pictures = pictures

    def __getitem__(self, place: str) -> float:
        at_s = self._pictures.captured_s(place)
        if at_s is None:
            raise KeyError(place)
        return at_s

    def __iter__(self) -> Any:
        return (place for place in self._pictures if self._pictures.captured_s(place) is not None)

    def __len__(self) -> int:
        return sum(1 for _ in self)


class SeenPictures:
    """Live pictures, in memory that is shared with the server."""

    def __init__(self, shown: PicturesIn) -> None:
        self.shown: PicturesIn = shown
        self.captured_s: Mapping[str, float] = _CapturedAt(shown)


class RemoteMedia:
    """Program and all pictures as they are seen, and the sound as it is heard."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told
        self.pictures = SeenPictures(PicturesIn())
        self._sizes: dict[str, tuple[int, int]] = {}
        self._previewed: tuple[Shot | None, Overlays] | None = None
        self._devices: tuple[list[str], list[str]] = ([], [])

    @property
    def heard(self) -> SoundSeen:
        found: SoundSeen = self._told.get("media.heard", SILENT)
        return found

    @property
    def troubles(self) -> Mapping[str, str]:
        found: Mapping[str, str] = self._told.get("media.troubles", {})
        return found

    def show_at(self, sizes: Sizes) -> None:
        """Asked only when it is another than before."""
        if dict(sizes) != self._sizes:
            self._sizes = dict(sizes)
            self._ask("media.show_at", self._sizes)

    def preview(self, shot: Shot | None, dress: Overlays) -> None:
        """What the place "preview" shows."""
        if (shot, dress) != self._previewed:
            self._previewed = shot, dress
            self._ask("media.preview", shot, dress)

    def ask_again(self) -> None:
        """A server that has just come up knows nothing of what is shown here."""
        self._ask("media.show_at", self._sizes)
        self._ask("media.sound_devices", answer=self._have_devices)
        if self._previewed is not None:
            self._ask("media.preview", *self._previewed)

    def give_way(self) -> None:
        """Whoever composes is another process: nothing has to wait for it."""

    def sound_devices(self) -> tuple[list[str], list[str]]:
        """As they were when they were asked for last; they are asked for again."""
        self._ask("media.sound_devices", answer=self._have_devices)
        return self._devices

    def _have_devices(self, devices: tuple[list[str], list[str]]) -> None:
        self._devices = devices


class RemoteOutputs:
    """What is recorded and streamed."""

    def __init__(self, told: Told) -> None:
        self._told = told

    @property
    def recordings(self) -> Sequence[RecordingSeen]:
        found: Sequence[RecordingSeen] = self._told.get("outputs.recordings", ())
        return found

    @property
    def stream(self) -> StreamSeen:
        found: StreamSeen = self._told.get("outputs.stream", STREAM_OFF)
        return found


class RemoteGuests:
    """The guests' door."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told
        self.crew: CrewLine | None = None  # once it was asked for

    def listen(self) -> None:
        """The door wants the sound of program, and to be heard by the director."""
        self._ask("outside.guests.listen")

    @property
    def door(self) -> DoorSeen:
        """How it stands."""
        found: DoorSeen = self._told.get("outside.guests.door", DoorSeen())
        return found

    def tell(self, door: DoorSeen) -> None:
        """What the door itself says."""
        self._ask("outside.guests.tell", door)


class RemoteFaders:
    """Faders and knobs of controllers, which are where the show is."""

    def __init__(self, ask: Ask) -> None:
        self._ask = ask

    def learn(self, on: bool) -> None:
        """While on, what is turned is told and does nothing."""
        self._ask("controls.faders.learn", on)


class RemoteControls:
    """What is worked with hands. What a control does is worked out here; it is done where the show is."""

    def __init__(self, ask: Ask, state: Callable[[], LiveState], faders: RemoteFaders) -> None:
        self._ask, self.faders = ask, faders
        self._controls = Controls(state, lambda call, cause: None)

    @property
    def shortcuts(self) -> Shortcuts:
        return self._controls.shortcuts

    def work(self, control: str, down: bool) -> None:
        """A key, button or note is pressed or let go."""
        self._ask("controls.work", control, down)

    def lost(self, device: str) -> None:
        """A gamepad or the like is gone."""
        self._ask("controls.lost", device)

    def learn(self, on: bool) -> None:
        """While on, a control that is worked is told and does nothing."""
        self._ask("controls.learn", on)


class RemoteMessages:
    """What comes and goes between the show and other machines."""

    def __init__(self, ask: Ask, told: Told) -> None:
        self._ask, self._told = ask, told
        self._token = ""

    @property
    def lines(self) -> Sequence[LineSeen]:
        found: Sequence[LineSeen] = self._told.get("outside.messages.lines", ())
        return found

    @property
    def house(self) -> HouseSeen:
        found: HouseSeen = self._told.get("outside.messages.house", HouseSeen())
        return found

    @property
    def midi_names(self) -> tuple[Sequence[str], Sequence[str]]:
        found: tuple[Sequence[str], Sequence[str]] = self._told.get("outside.messages.midi_names", ((), ()))
        return found

    @property
    def midi_trouble(self) -> str:
        return str(self._told.get("outside.messages.midi_trouble", ""))

    @property
    def troubles(self) -> Mapping[str, str]:
        found: Mapping[str, str] = self._told.get("outside.messages.troubles", {})
        return found

    def token(self) -> str:
        """Empty until it has come."""
        if not self._token:
            self._ask("outside.messages.token", answer=self._have_token)
        return self._token

    def _have_token(self, token: str) -> None:
        self._token = token


@dataclass
class RemoteOutside:
    """What comes and goes beyond this machine."""

    messages: RemoteMessages
    guests: RemoteGuests
