"""A session without threads or devices: what the desk needs, over a hand-wound hall."""

from collections.abc import Callable, Sequence
from types import SimpleNamespace

import numpy as np

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.controls import Controls
from ribalta.core.ports.causes import BY_HAND
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.profiles import SHIPPED, Profile, all_profiles
from ribalta.core.sound.levels import Level
from ribalta.core.survey.job import Job, Kind
from tests.core.hand_wound import Hall

WORK = (
    "begin",
    "cancel",
    "find",
    "keep_password",
    "take_sight",
    "forget_sights",
    "solve_place",
    "bring_in_plan",
    "write_out_plan",
    "write_out_framings",
    "bring_in_framings",
    "bring_in_media",
    "bring_in_title",
    "bring_in_rows",
)


class HandWoundWorkshop:
    """Work that is only asked for; what it has come to is put into `jobs` by hand."""

    def __init__(self, say: Callable[[Notice], None]) -> None:
        self._say = say
        self.jobs: dict[tuple[Kind, str], Job] = {}
        self.asked: list[tuple[object, ...]] = []

    def profiles(self) -> Sequence[Profile]:
        return all_profiles(SHIPPED)[0]

    def sound_devices(self) -> tuple[list[str], list[str]]:
        return [], []

    def sight_words(self, camera_id: str) -> str:
        return "Aimed at Kiln."

    def write(self, work: Callable[[], str]) -> None:
        try:
            self._say(Notice(work()))
        except LocalFault as fault:
            self._say(Notice(str(fault), Severity.FAULT))

    def __getattr__(self, name: str) -> Callable[..., None]:
        if name not in WORK:
            raise AttributeError(name)
        return lambda *arguments: self.asked.append((name, *arguments))


class HandWoundSession:
    """What the desk needs of a session, over a hand-wound hall; every camera shows one grey."""

    def __init__(self, show: Show | None = None) -> None:
        self.hall = Hall(show)
        self.clock = self.hall.clock
        self.path = None
        self.recovery = None
        self.unsaved = False
        self.asks: tuple[str, ...] = ()
        self.saves = 0
        self.sizes: dict[str, tuple[int, int]] = {}
        self.workshop = HandWoundWorkshop(self._say)
        self.heard = SimpleNamespace(
            levels={}, gains={}, troubles={}, master=Level(), loudness=-70.0, reduced_db=0.0, gates={}
        )
        self.recordings = []
        self.stream = SimpleNamespace(word="off", since_s=0.0, kbit_s=0.0, dropped=0, again=0, trouble="")
        self.troubles = {}
        self.previewed = (None, None)
        self.pictures = SimpleNamespace(shown={}, captured_s={})
        self._listeners: list[object] = []
        self.controls = Controls(lambda: self.state, self._call)
        self.learning = False
        self.messages = SimpleNamespace(
            lines=(), midi_names=((), ()), midi_trouble="", troubles={}, token=lambda: "a token"
        )

    @property
    def state(self):
        return self.hall.state

    def framing_picture(self, name: str) -> None:
        return None

    @property
    def why(self):
        return self.hall.engine.why

    @property
    def shortcuts(self):
        return self.controls.shortcuts

    def work(self, control: str, down: bool) -> None:
        (self.controls.down if down else self.controls.up)(control, self.clock.now_s())

    def lost(self, device: str) -> None:
        self.controls.lost(device, self.clock.now_s())

    def learn(self, on: bool) -> None:
        self.learning = on

    def _call(self, call, cause) -> None:
        self._heard(lambda: self.hall.engine.call(call, self.clock.now_s(), cause))

    def act(self, action_id: str, arguments, recall_only=False, cause=BY_HAND) -> None:
        now_s = self.clock.now_s()
        self._heard(lambda: self.hall.engine.act(action_id, dict(arguments), now_s, recall_only, cause))

    def _heard(self, work) -> None:
        before = len(self.hall.events)
        work()
        self.hall._serve()
        for event in self.hall.events[before:]:
            self._say(event)

    def _say(self, event) -> None:
        for listener in self._listeners:
            listener(event)

    def give_way(self) -> None: ...

    def preview(self, shot, dress) -> None:
        self.previewed = (shot, dress)

    def listen(self, listener) -> None:
        self._listeners.append(listener)

    def show_at(self, sizes) -> None:
        self.sizes = dict(sizes)
        self.pictures.shown = {place: np.full((h, w, 4), 90, np.uint8) for place, (w, h) in sizes.items()}

    def save(self, path=None) -> None:
        self.saves += 1

    def answer_recovery(self, keep: bool) -> None: ...

    def answer_deeds(self, yes: bool) -> None:
        self.asks = () if yes else self.asks
