"""Macros and triggers of the demo with the real engine, the real driver and the stand-ins' bodies, on a wound clock."""

from collections.abc import Callable

import pytest

from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.dry_runs import framing_id, off_time
from tests.survey.wound import World


class Stage:
    """A world as a stage for `dry_runs`."""

    def __init__(self, world: World) -> None:
        self._world = world
        self.act, self.now_s, self.why = world.act, world.now_s, world.engine.history

    @property
    def state(self):
        return self._world.state

    def until(self, true: Callable[[], bool], limit_s: float = 20) -> None:
        assert self._world.wait(limit_s, lambda _: true())


@pytest.fixture
def stage() -> Stage:
    return Stage(World.of(load(SHIPPED).show))


def test_the_dry_run_of_every_demo_macro_is_its_real_run(stage):
    for macro in stage.state.show.macros:
        assert off_time(stage, macro) == [], macro.name


def test_a_scene_trigger_sends_two_cameras_each_time_of_ten(stage):
    trigger = stage.state.show.triggers[0]  # the demo's: two close-ups wait for the jury
    goals = {"c4": framing_id(stage.state, 4, "A"), "c3": framing_id(stage.state, 3, "R")}
    for count in range(1, 11):
        for camera, letter in ((4, "Q"), (3, "Q")):
            stage.act("framing.restore", camera=camera, letter=letter)
        stage.until(lambda: all(stage.state.live(c).goal_framing_id != g for c, g in goals.items()))
        stage.act("scene.ready", scene=2)
        stage.until(
            lambda n=count: (
                stage.state.automation.fired.get(trigger.id) and stage.state.automation.fired[trigger.id].count == n
            )
        )
        stage.until(lambda: all(stage.state.live(c).goal_framing_id == g for c, g in goals.items()))
