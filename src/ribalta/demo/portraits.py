"""Plays the demo by keys, as a director would, and keeps pictures of what the window shows."""

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtCore import QEvent, QKeyCombination, QObject, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QWidget

from ribalta.core.base.faults import LocalFault
from ribalta.desk.shell.start_window import StartWindow
from ribalta.desk.window import Window
from ribalta.desk.wrap.view import WrapView

CAMERA = "c2"


def press(window: Window, name: str, view: QWidget | None = None) -> None:
    """Press and release a key by its portable name ("2", "W", "Alt+R"), on Air if no other view is given."""
    combination: QKeyCombination = QKeySequence(name)[0]  # type: ignore[index]
    key, modifiers = combination.key(), combination.keyboardModifiers()
    text = name if len(name) == 1 else ""
    for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
        QApplication.sendEvent(view or window.air, QKeyEvent(kind, int(key), modifiers, text))


class Portraits(QObject):
    """Each step is a pause in milliseconds and something to do after it."""

    def __init__(self, window: Window, folder: Path) -> None:
        super().__init__(window)
        self._window = window
        self._folder = folder
        self._steps: list[tuple[int, Callable[[], None]]] = [
            (100, lambda: self._keys("2", "W")),
            (4000, lambda: self._keys("Space")),
            (600, lambda: self._keys("1", "A")),
            (4000, lambda: self._keys("Space")),
            (600, lambda: self._keys("3", "W", "4", "Alt+T", "2", "Alt+R")),
            (4200, lambda: self._keep("air")),
            (100, lambda: self._keys("4", "W")),
            (4000, lambda: self._keys("Space")),
            (600, lambda: self._keys("0", "Q")),
            (5000, lambda: self._keys("Space")),
            (600, lambda: self._keys("2", "A", "C", "Ctrl+Alt+1")),
            (4000, lambda: None),
            (100, lambda: self._cue("Scenes")),
            (100, lambda: window.cue.scenes.choose(2)),
            (1500, lambda: self._keep("cue-scenes")),
            (100, lambda: self._cue("Titles")),
            (1200, lambda: self._keep("cue-titles")),
            (100, self._record),
            (100, lambda: self._outside("Outputs")),
            (7000, lambda: self._keep("rig-outputs")),
            (100, lambda: window.bridge.act("record", on=False)),
            *self._prompts(),
            (100, lambda: self._keys("V", "4", "4", "Space")),
            (100, lambda: self._frame("Aim")),
            (4000, lambda: self._frame_keys("W")),
            (4000, lambda: self._frame_keys("Right", "Right", "H")),
            (1500, lambda: self._keep("frame")),
            (100, lambda: self._frame_keys("O", "H")),
            (100, lambda: self._rig("Reach")),
            (1500, lambda: self._keep("rig")),
            (100, QApplication.quit),
        ]

    def _prompts(self) -> list[tuple[int, Callable[[], None]]]:
        """What is pressed and what follows: macros, triggers, shortcuts, pads, messages, and why."""
        window = self._window
        return [
            (100, lambda: window.show_view("Air")),
            (100, lambda: self._keys("V", "Tab", "Y")),
            (100, lambda: self._cue("Macros")),
            (100, lambda: window.cue.macros.choose("a2")),
            (500, window.cue.macros.dry.click),
            (300, lambda: window.bridge.act("macro.run", macro="a2")),
            (3600, lambda: self._keep("cue-macros")),
            (100, lambda: self._cue("Playlists")),
            (300, lambda: window.cue.playlists.choose("l2")),
            (300, lambda: window.cue.playlists.strip.select([2])),
            (500, lambda: self._keep("cue-playlists")),
            (100, lambda: self._cue("Triggers")),
            (300, lambda: window.cue.triggers.show_call(0)),
            (300, lambda: self._keep("cue-triggers")),
            (100, lambda: self._cue("Shortcuts")),
            (300, lambda: window.cue.shortcuts.open_at("key J")),
            (300, lambda: self._keep("cue-shortcuts")),
            (100, self._give_faders),
            (100, lambda: self._cue("Faders")),
            (300, lambda: self._keep("cue-faders")),
            (100, lambda: window.bridge.act("macro.stop")),
            (100, lambda: self._wrap("What landed")),
            (500, lambda: self._keep("wrap")),
            (100, lambda: window.show_view("Air")),
            (100, lambda: window.bridge.act("macro.run", macro="a2")),
            (100, lambda: self._keys("F9")),
            (1500, lambda: self._keep("air-pads")),
            (100, lambda: self._keys("F9")),
            (100, lambda: window.bridge.act("macro.stop")),
            (100, lambda: self._cue("Voices")),
            (100, lambda: window.bridge.act("voice.mode", mode="automatic")),
            (26000, lambda: self._keep("cue-voices")),
            (100, lambda: window.bridge.act("voice.mode", mode="off")),
            (100, lambda: window.show_view("Air")),
            (100, window.guide_line.begin),
            (2500, lambda: self._keep("first-evening")),
            (100, window.guide_line.leave),
            (100, lambda: window.show_view("Check")),
            (100, window.bridge.readiness.begin),
            (1000, lambda: self._keep("check")),
            (100, self._start_page),
        ]

    def start(self) -> None:
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise LocalFault(f"{self._folder} cannot be made: {error.strerror or error}.") from None
        self._next()

    def _next(self) -> None:
        if self._steps:
            pause_ms, step = self._steps.pop(0)
            QTimer.singleShot(pause_ms, self, lambda: self._do(step))

    def _do(self, step: Callable[[], None]) -> None:
        step()
        self._wait_for_work()

    def _wait_for_work(self) -> None:
        """The next step comes when what was begun is done."""
        bridge = self._window.bridge
        if all(job.done for job in bridge.camera_jobs.jobs.values()) and not bridge.readiness.now.running:
            self._next()
        else:
            QTimer.singleShot(200, self, self._wait_for_work)

    def _rig(self, page: str) -> None:
        """Rig with the second camera, which is off air by now."""
        self._window.show_view("Rig")
        self._window.rig.show_page("Cameras")
        self._window.rig.list.choose(CAMERA)
        self._window.rig.card.show_page(page)

    def _outside(self, page: str) -> None:
        self._window.show_view("Rig")
        self._window.rig.show_page(page)

    def _give_faders(self) -> None:
        """Eight microphones in two banks, the master in both, and knobs for the selected camera."""
        act, microphones = self._window.bridge.act, self._window.bridge.state.show.microphones
        for k, mic in enumerate(microphones):
            control = f"midi control 1 {k % 4}"
            act("fader.give", control=control, quantity="level", mic=mic.number, bank=1 + k // 4, motor=True)
        act("fader.give", control="midi bend 9", quantity="master", coding="pitch bend", motor=True)
        for k, quantity in enumerate(("iris", "zoom", "speed")):
            coding = "steps, two's complement"
            act("fader.give", control=f"midi control 1 {16 + k}", quantity=quantity, coding=coding, motor=True)

    def _wrap(self, page: str) -> None:
        self._window.show_view("Wrap")
        wrap = self._window.view("Wrap")
        assert isinstance(wrap, WrapView)
        wrap.show_page(page)

    def _start_page(self) -> None:
        """What `ribalta` opens without a command, while this show runs."""
        page = StartWindow((self._window.bridge.state.show.title,))
        page.resize(900, 560)
        page.show()
        page.grab().save(str(self._folder / "start.png"))
        page.close()
        page.stop()

    def _cue(self, page: str) -> None:
        self._window.show_view("Cue")
        self._window.cue.show_page(page)

    def _record(self) -> None:
        """Into a folder that goes away with the pictures' maker."""
        self._recordings = TemporaryDirectory(prefix="ribalta-portraits-")
        self._window.bridge.act("outputs.change", folder=self._recordings.name)
        self._window.bridge.act("record", on=True)

    def _frame(self, page: str) -> None:
        self._window.show_view("Frame")
        self._window.frame.choose(CAMERA)
        self._window.frame.show_page(page)

    def _frame_keys(self, *names: str) -> None:
        for name in names:
            press(self._window, name, self._window.frame)

    def _keys(self, *names: str) -> None:
        for name in names:
            press(self._window, name)

    def _keep(self, name: str) -> None:
        path = self._folder / f"{name}.png"
        self._window.grab().save(str(path))
        print(path, flush=True)
