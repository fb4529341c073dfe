"""The end of an evening, on a thread of its own: one thing after the other, each with what really happened."""

import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import replace

from ribalta.core.base.spans import span_words
from ribalta.core.engine.actions.automation.stopping import runs
from ribalta.core.engine.removing import listed
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import Cause
from ribalta.core.ports.crew import Ending, EndingStep, EndWanted, EveningEnd, EveningEnded
from ribalta.core.ports.messages import Event
from ribalta.core.show.document.model import Camera
from ribalta.media.outputs.recorder import Status, last_picture
from ribalta.server.engine_host import EngineHost
from ribalta.server.outputs_host import OutputsHost
from ribalta.server.part import Part
from ribalta.workers.crew import Crew

WORDS: Mapping[str, str] = {
    "runs": "Macros, playlist and voice follow",
    "stream": "Stream",
    "recording": "Recording",
    "cameras": "Cameras to home and standby",
    "clear": "Titles and insets",
    "tally": "Tally",
}
STOPS_WITHIN_S, CLOSES_WITHIN_S, HOME_WITHIN_S, SLEEPS_WITHIN_S = 4.0, 30.0, 25.0, 6.0
ASK_S, SETTLES_S = 0.1, 0.6
BY = Cause(words="the end of the evening")


class NotEnded(Exception):
    """A part of it could not be ended; the reason is a phrase."""


class ClosingHost(Part):
    """`now` may be read from any thread. What failed can be tried again, and only that is."""

    def __init__(self, host: EngineHost, outputs: OutputsHost, crew: Crew) -> None:
        self._host, self._outputs, self._crew = host, outputs, crew
        self._cancelled = threading.Event()
        self.now = EveningEnd()
        self._does: Mapping[str, Callable[[], str]] = {
            "runs": self._stop_what_runs,
            "stream": self._end_stream,
            "recording": self._end_recording,
            "cameras": self._send_home,
            "clear": self._clear,
            "tally": self._tally_off,
        }

    def hear(self, event: Event, state: LiveState) -> None:
        """See `Part`."""
        if not isinstance(event, EndWanted) or self.now.running:
            return
        steps = tuple(EndingStep(key, words) for key, words in WORDS.items())
        if event.again and self.now.steps:
            steps = tuple(replace(s, ending=Ending.WAITS) if s.ending is Ending.FAILED else s for s in self.now.steps)
        self.now = EveningEnd(True, steps)
        self._crew.begin("the end of the evening", self._run, lambda _: self._over())

    def stop(self) -> None:
        self._cancelled.set()

    def _over(self) -> None:
        self.now = replace(self.now, running=False, at_s=time.time())

    def _run(self) -> None:
        for step in self.now.steps:
            if step.ending is Ending.WAITS and not self._cancelled.is_set():
                self._tell(replace(step, ending=Ending.DOES, said=""))
                try:
                    self._tell(replace(step, ending=Ending.DONE, said=self._does[step.key]()))
                except NotEnded as error:
                    self._tell(replace(step, ending=Ending.FAILED, said=str(error)))
                except Exception as error:
                    self._crew.failed(f"ending: {step.words}", error, "The rest is ended all the same.")
                    self._tell(replace(step, ending=Ending.FAILED, said=f"failed ({type(error).__name__})"))
        self._over()

    def _tell(self, step: EndingStep) -> None:
        self.now = replace(self.now, steps=tuple(step if one.key == step.key else one for one in self.now.steps))

    def _until(self, true: Callable[[], bool], seconds: float) -> bool:
        end_s = time.monotonic() + seconds
        while not true() and time.monotonic() < end_s and not self._cancelled.is_set():
            self._cancelled.wait(ASK_S)
        return true()

    def _act(self, action: str, **arguments: object) -> None:
        self._host.act(action, arguments, cause=BY)

    # Each part

    def _stop_what_runs(self) -> str:
        running = runs(self._host.state)
        if not running:
            return "nothing ran"
        self._act("stop.running")
        if not self._until(lambda: not runs(self._host.state), STOPS_WITHIN_S):
            raise NotEnded(f"{listed(runs(self._host.state))} still runs")
        return f"stopped {listed(running)}"

    def _end_stream(self) -> str:
        if not self._host.state.output("stream").on:
            return "was not on"
        self._act("stream", on=False)
        if not self._until(lambda: not self._host.state.output("stream").on, STOPS_WITHIN_S):
            raise NotEnded("it does not end")
        return "ended"

    def _end_recording(self) -> str:
        before = self._outputs.recordings
        if self._host.state.output("recording").on:
            self._act("record", on=False)
            if not self._until(lambda: not any(r.running for r in self._outputs.recordings), CLOSES_WITHIN_S):
                raise NotEnded("its files do not close: leave this machine on, and try again")
        files = self._outputs.recordings or before
        if not files:
            return "nothing was recorded"
        broken = [file.path.name for file in files if not _proved(file)]
        if broken:
            raise NotEnded(f"no picture can be read back from {listed(tuple(broken))}")
        many = "one file" if len(files) == 1 else f"{len(files)} files"
        longest = span_words(max(file.seconds for file in files))
        lost = sum(file.lost for file in files)
        said = f"{many} of {longest} in {files[0].path.parent}; the last picture of each was read back"
        return f"{said}; {lost} frames were lost" if lost else said

    def _send_home(self) -> str:
        state = self._host.state
        self._bring_cover(state)
        steered = [c for c in state.show.cameras if c.steered]
        if not steered:
            return "no camera is steered"
        there = [c for c in steered if state.live(c.id).answers and not self._host.state.on_air(c.id)]
        awake = [camera for camera in there if not self._sleeps(camera)]
        for camera in awake:
            self._act("camera.home", camera=camera.number)
        self._cancelled.wait(SETTLES_S)  # so that they have begun to move
        self._until(lambda: all(self._still(camera) for camera in awake), HOME_WITHIN_S)
        sleepers = [c for c in awake if c.head is not None and "power" in c.head.settings]
        for camera in sleepers:
            self._act("camera.set", camera=camera.number, setting="power", value="standby")
        self._until(lambda: all(self._sleeps(camera) for camera in sleepers), SLEEPS_WITHIN_S)
        left = [f"camera {c.number} does not answer" for c in steered if not state.live(c.id).answers]
        left += [f"camera {c.number} is on air and stays" for c in steered if self._host.state.on_air(c.id)]
        left += [f"camera {c.number} is not in standby" for c in sleepers if not self._sleeps(c)]
        if left:
            raise NotEnded(", ".join(left))
        others = [c for c in awake if c not in sleepers]
        asleep = sum(map(self._sleeps, there))
        said = f"{len(there)} at home, {asleep} in standby"
        return f"{said}; {listed(tuple(f'camera {c.number}' for c in others))} has no standby" if others else said

    def _bring_cover(self, state: LiveState) -> None:
        """A steered camera on air cannot sleep: the fixed cover shot, if there is one, takes its place."""
        cover = state.show.camera(state.show.settings.cover_camera_id or "")
        if cover is not None and not cover.steered and any(state.on_air(c.id) for c in state.show.cameras if c.steered):
            self._act("cover")
            self._until(lambda: not any(self._host.state.on_air(c.id) for c in state.show.cameras if c.steered), 2.0)

    def _still(self, camera: Camera) -> bool:
        live = self._host.state.live(camera.id)
        return not live.answers or live.still_since_s is not None

    def _sleeps(self, camera: Camera) -> bool:
        power = self._host.state.live(camera.id).settings.get("power")
        return power is not None and power.reported == "standby"

    def _clear(self) -> str:
        def over() -> bool:
            return self._host.state.has_overlays

        if not over():
            return "nothing was on"
        self._act("clear")
        if not self._until(lambda: not over(), STOPS_WITHIN_S):
            raise NotEnded("something still lies over the picture")
        return "cleared"

    def _tally_off(self) -> str:
        receivers = self._host.state.show.outputs.tally
        self._host.report(EveningEnded())
        troubles = self._outputs.tally.troubles
        if troubles:
            raise NotEnded(listed(tuple(f"{host}: {said}" for (host, _), said in troubles.items())))
        return (
            f"off for {len(receivers)} receiver{'' if len(receivers) == 1 else 's'}" if receivers else "nobody is told"
        )


def _proved(file: Status) -> bool:
    return not file.trouble and last_picture(file.path) is not None
