"""Sweeps and the watch: which framings still hold, which camera was knocked, and re-levelling it."""

import math

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from ribalta.core.base.aim import Aim
from ribalta.core.optics.projection import Picture, pan_tilt_of, pan_tilt_to_pixel, view_to_mount
from ribalta.core.ports.shots import Judgement, Shot
from ribalta.core.survey.comparing import Watching
from ribalta.core.survey.job import Finding
from ribalta.core.survey.sweeping import Sweeping
from ribalta.demo.clay_cup import clay_cup
from ribalta.standins.cameras import BUILDS
from tests.survey.wound import World

AIMS = (Aim(10, 5, 0.0), Aim(-25, -8, 0.15), Aim(30, 12, 0.3), Aim(0, 0, 0.55))
CAMERAS = {c.number: c for c in clay_cup().cameras}


def world_with_framings(*numbers: int) -> World:
    """Cameras whose heads and lenses are known as in the demo, each with four framings that have pictures."""
    known = CAMERAS[numbers[0]]
    world = World(*numbers, head=known.head, zoom_table=known.zoom_table)
    for number in numbers:
        camera = world.state.show.camera(f"c{number}")
        mine = camera.model_copy(update={"head": CAMERAS[number].head, "zoom_table": CAMERAS[number].zoom_table})
        world.engine.state = world.state.with_(show=world.state.show.with_camera(mine))
        for k, aim in enumerate(AIMS):
            where = {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom}
            world.act("camera.aim", camera=number, **where)
            world.wait(4.0)
            world.act("framing.store", camera=number, letter="QWER"[k])
            world.wait(0.1)
    return world


def sweep(world: World, number: int) -> tuple[str, list[Finding]]:
    world.findings.clear()
    sentence = Sweeping(world, f"c{number}").run()
    return sentence, list(world.findings)


def off_percent(world: World, number: int, bump: tuple[float, float, float]) -> float:
    """The worst of a camera's framings: how far what it was stored with is from the middle of what it shows now."""
    camera = world.state.show.camera(f"c{number}")
    knocked = Rotation.from_rotvec(bump, degrees=True).as_matrix()
    worst = 0.0
    for framing, aim in zip(world.state.show.framings, AIMS, strict=False):
        ray = knocked.T @ view_to_mount(aim, camera.place.hung)[:, 1]
        pan, tilt = pan_tilt_of(np.asarray(ray))
        at = pan_tilt_to_pixel(pan, tilt, framing.aim, camera.lens, camera.place.hung, Picture(1000, 562))
        worst = max(worst, math.hypot(at[0] - 500, at[1] - 281) / 10)
    return worst


@pytest.mark.parametrize("number", [2, 4])
def test_a_knocked_camera_is_found_and_relevelled_until_everything_holds_again(number):
    world = world_with_framings(number)
    sentence, findings = sweep(world, number)
    assert "none of them wrong" in sentence
    assert [f.fine for f in findings] == [True] * 4
    world.fault(number, bump_pan_deg=3.0, bump_tilt_deg=1.5, bump_roll_deg=1.0)
    sentence, findings = sweep(world, number)
    assert sentence == f"Camera {number} was knocked."
    knock = findings[0]
    assert (knock.step, knock.fine, knock.remedy.action) == ("knock", False, "camera.relevel")
    assert "3.0°" in knock.sentence
    world.act(knock.remedy.action, **knock.remedy.arguments)
    assert off_percent(world, number, (1.5, 1.0, -3.0)) < 1.0
    sentence, findings = sweep(world, number)
    assert "none of them wrong" in sentence
    assert BUILDS[number - 1].mount.hung == (number == 4)


def test_a_sweep_leaves_alone_what_is_needed_on_air_and_brings_the_camera_back():
    world = world_with_framings(1)
    here = world.state.live("c1").goal
    sweep(world, 1)
    world.wait(4.0)
    goal = world.state.live("c1").goal
    assert (goal.pan_deg, goal.zoom) == (here.pan_deg, pytest.approx(here.zoom))
    world.act("ready.camera", camera=1)
    sentence, findings = sweep(world, 1)
    assert (sentence, findings[0].fine) == ("Left alone.", None)
    world.act("unready")
    steps = world.wait

    def needed(seconds, until=lambda _: False):
        if not world.state.is_next("c1"):
            world.act("ready.framing", camera=1, letter="W")
        return steps(seconds, until)

    world.wait = needed
    sentence, _ = sweep(world, 1)
    assert sentence == "Ended early."
    assert world.state.program.next == Shot("c1", world.state.show.framings[1].id)


def test_the_watch_looks_once_in_each_visit_and_takes_the_pictures_that_are_missing():
    world = world_with_framings(1)
    framing = world.state.show.framings[1]
    watching = Watching(world)

    def watch(seconds: float) -> None:
        for _ in range(round(seconds / 0.25)):
            world.wait(0.25)
            watching.look()

    world.act("framing.restore", camera=1, letter="W")
    watch(4.0)
    first = world.state.verdicts[framing.id]
    assert first.judgement is Judgement.HOLDS
    watch(2.0)
    assert world.state.verdicts[framing.id] is first
    world.fault(1, bump_pan_deg=1.0)
    world.act("framing.restore", camera=1, letter="Q")
    watch(4.0)
    world.act("framing.restore", camera=1, letter="W")
    watch(4.0)
    assert world.state.verdicts[framing.id].judgement is Judgement.OFF
    world.act("framing.nudge", camera=1, letter="W")
    watch(4.0)
    assert world.state.verdicts[framing.id].judgement is Judgement.HOLDS
    bare = {"camera": 1, "slot": 5, "name": "Bare", "pan_deg": 3.0, "tilt_deg": 0.0, "zoom": 0.1}
    world.act("framings.import", framings=[bare])
    world.act("framing.restore", camera=1, letter="A")
    watch(4.0)
    assert world.state.show.framing_at("c1", 5).picture in world.pictures
