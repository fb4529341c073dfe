"""A macro, run dry and then truly, on a desk or on a hand-wound world: what ran, and when, beside what was foretold."""

from collections.abc import Callable
from typing import Any, Protocol

from ribalta.core.engine.dryrun.rehearsal import dry_run
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.history import History
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import Macro, StepKind

CAMERAS = ("c1", "c2", "c3", "c4")


class Stage(Protocol):
    @property
    def state(self) -> LiveState: ...
    @property
    def why(self) -> History: ...
    def now_s(self) -> float: ...
    def act(self, action_id: str, **arguments: Any) -> None: ...
    def until(self, true: Callable[[], bool], limit_s: float = 20) -> None: ...


def is_set(stage: Stage, camera_id: str) -> bool:
    shot = Shot(camera_id, stage.state.live(camera_id).goal_framing_id)
    return landing_state(stage.state, shot, stage.now_s()) is LandingState.SET


def framing_id(state: LiveState, camera: int, letter: str) -> str:
    show = state.show
    found = show.framing_at(show.camera_numbered(camera).id, "QWERTASDFG".index(letter))
    assert found is not None
    return found.id


def _played(stage: Stage, before: int) -> bool:
    """Is the macro over? A key that it waits for is pressed at once."""
    waits = [s.waiting.kind for r in stage.state.automation.runs for s in r.strands if s.waiting is not None]
    if StepKind.UNTIL_KEY in waits:
        stage.act("macro.continue")
    return not stage.state.automation.runs and stage.state.run.count > before + 1


def _begin(stage: Stage) -> None:
    """The wide on air, everything at rest."""
    for action in ("unready", "cover", "clear"):
        stage.act(action)
    stage.act("black", black=False, seconds=0.0)
    for camera in (1, 2, 3, 4):
        stage.act("framing.restore", camera=camera, letter="Q")

    def rests() -> bool:
        state = stage.state
        return state.program.on_air.camera_id == "c5" and not state.program.fading and not state.program.black.black

    stage.until(rests)
    goals = {c: framing_id(stage.state, int(c[1]), "Q") for c in CAMERAS}
    stage.until(lambda: all(stage.state.live(c).goal_framing_id == goal for c, goal in goals.items()))
    stage.until(lambda: all(is_set(stage, c) for c in CAMERAS))


def off_time(stage: Stage, macro: Macro) -> list[tuple[float, float]]:
    """Runs it dry and then truly; what came at another time than foretold, as (foretold, seen).

    What runs, and in which order, has to be as foretold at once.
    """
    _begin(stage)
    call = Call(action="macro.run", arguments={"macro": macro.id})
    lines = [line for line in dry_run(stage.state, call, stage.now_s()) if line.action]
    before = stage.state.run.count
    stage.act(call.action, **call.arguments)
    stage.until(lambda: _played(stage, before), 60)
    start_s = next(r for r in stage.why.lines if r.number == before + 1).at_s
    real = [r for r in stage.why.lines if r.number > before + 1 and r.action != "macro.continue"]
    assert [r.action for r in real] == [line.action for line in lines], macro.name
    times = [(line.at_s, ran.at_s - start_s) for ran, line in zip(real, lines, strict=True)]
    return [(told, seen) for told, seen in times if abs(seen - told) > max(0.1 * told, 0.15)]
