"""Moves in a given time: all axes together, at the time that was asked for, by the real driver and real dynamics."""

import json

import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.motion.gliding import Glide, least_s
from ribalta.core.motion.travel import AxisMotion, HeadMotion
from ribalta.core.ports.messages import GlideTo, GoTo
from ribalta.demo.clay_cup import clay_cup
from ribalta.devices.drivers.glides import Gliding
from ribalta.devices.drivers.onvif.driver import OnvifDriver
from tests.survey.wound import World

HEADS = {c.number: c.head for c in clay_cup().cameras if c.head is not None}
MOVES = ((Aim(-30, 10, 0.1), Aim(25, -12, 0.6)), (Aim(20, -20, 0.8), Aim(10, -10, 0.3)))
FINEST = (0.012, 0.012, 0.0003)


def arrivals(world: World, camera_id: str, start_s: float, seconds: float) -> list[float]:
    """When each axis came to within a quarter of a percent of its way from the end, by where the head truly was."""
    head, seen = world.lines[camera_id].body.head, []
    while world.now_s() < start_s + seconds + 1.5:
        world.wait(0.004)
        stand = head.now(world.now_s())
        seen.append((world.now_s() - start_s, (stand.pan_deg, stand.tilt_deg, stand.zoom)))
    first, last = seen[0][1], seen[-1][1]
    near = [max(0.0025 * abs(b - a), least) for a, b, least in zip(first, last, FINEST, strict=True)]
    return [max(at for at, where in seen if abs(where[k] - last[k]) > near[k]) for k in range(3)]


@pytest.mark.parametrize("number", [1, 4])
@pytest.mark.parametrize("seconds", [2, 4, 8])
def test_all_axes_arrive_together_at_the_asked_time(number, seconds):
    for start, end in MOVES:
        world = World(number, head=HEADS[number])
        driver = world.lines[f"c{number}"].driver
        driver.request(GoTo(f"c{number}", start), world.now_s())
        world.wait(5.0)
        start_s = world.now_s()
        driver.request(GlideTo(f"c{number}", end, seconds), start_s)
        came = arrivals(world, f"c{number}", start_s, seconds)
        assert max(came) - min(came) < 0.15
        assert all(abs(at - seconds) < 0.05 * seconds for at in came), came
        here = world.state.live(f"c{number}").aim
        assert here.pan_deg == pytest.approx(end.pan_deg, abs=0.02)
        assert here.tilt_deg == pytest.approx(end.tilt_deg, abs=0.02)


def test_a_new_end_on_the_way_is_taken_without_a_jolt():
    world = World(1, head=HEADS[1])
    driver = world.lines["c1"].driver
    driver.request(GlideTo("c1", Aim(40, 0, 0.5), 4), world.now_s())
    world.wait(2.0)
    head, speeds, before = world.lines["c1"].body.head, [], None
    driver.request(GlideTo("c1", Aim(60, 10, 0.5), 4), world.now_s())
    for _ in range(100):
        world.wait(0.02)
        here = head.now(world.now_s()).pan_deg
        if before is not None:
            speeds.append((here - before) / 0.02)
        before = here
    assert min(speeds[:50]) > 2  # it never stands still
    world.wait(4.0)
    assert world.state.live("c1").aim.pan_deg == pytest.approx(60, abs=0.02)


def test_a_path_starts_where_it_is_at_the_speed_that_it_has_and_ends_at_rest():
    path = Glide(Aim(0, 0, 0), Aim(10, -4, 0.5), 2.0, Aim(3, 0, 0))
    assert path.at(0) == Aim(0, 0, 0)
    assert (path.at(0.001).pan_deg / 0.001) == pytest.approx(3, abs=0.1)
    assert path.at(9) == Aim(10, -4, 0.5)
    assert abs(path.at(2.06).pan_deg - path.at(2.04).pan_deg) < 0.01


def test_the_shortest_time_goes_by_the_axis_that_needs_longest():
    motion = HeadMotion(AxisMotion(10, 100), AxisMotion(100, 100), AxisMotion(1, 10))
    assert least_s(motion, Aim(0, 0, 0), Aim(20, 0, 0)) == pytest.approx(1.05 * 1.5 * 2)
    assert least_s(motion, Aim(0, 0, 0), Aim(0, 6, 0)) == pytest.approx(1.05 * 0.6)
    assert AxisMotion(10, 1, ((0.5, 2.0),)).pace_for(1.0) == pytest.approx(0.25)
    assert AxisMotion(10, 1, ((0.5, 2.0),)).pace_for(6.0) == pytest.approx(0.75)
    assert AxisMotion(10, 1).pace_for(99) == 1.0


def test_a_fast_axis_is_sent_ahead_by_what_it_needs_to_brake():
    gliding = Gliding(Glide(Aim(0, 0, 0), Aim(80, 0, 0), 2.0), HEADS[1], 0.0, 0.08, 0.03)
    assert gliding.leg(1.0).aim.pan_deg > gliding.path.at(1.0 + 0.08 + 0.03 + 0.15).pan_deg
    assert not gliding.over(1.0)
    assert gliding.over(2.0)


def test_over_onvif_a_glide_is_a_row_of_moves_at_the_speeds_of_its_path():
    driver = OnvifDriver("c1", HEADS[1], 0.0)
    sent: list[dict] = []

    def turn(start: int, end: int) -> None:
        for k in range(start, end):
            driver.tick(k * 0.02)
            for data in driver.drain()[0]:
                call = json.loads(data)
                sent.append(call)
                where = {"x": 0.0, "y": -0.5, "z": 0.0} if call["call"] == "status" else {}
                driver.receive(json.dumps({"id": call["id"], **where}).encode(), k * 0.02)

    turn(0, 60)
    driver.request(GlideTo("c1", Aim(40, 10, 0.5), 2.0), 1.2)
    turn(60, 200)
    moves = [call for call in sent if call["call"] == "move"]
    assert len(moves) > 10
    across = [call["x"] for call in moves]
    assert across == sorted(across)
    assert moves[-1]["x"] == pytest.approx(40 / 170)
    assert max(call["speed"] for call in moves) < 1
    assert moves[0]["speed"] < max(call["speed"] for call in moves)
