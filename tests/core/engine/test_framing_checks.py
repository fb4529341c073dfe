"""Is a framing still true: what comparisons mean, and what mends it."""

import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.framing_checks import comparable, off_by
from ribalta.core.ports.messages import (
    PictureWanted,
)
from ribalta.core.ports.shots import Judgement
from tests.core.engine.test_framings import compared, settle
from tests.core.engine.test_framings import hall as hall


def test_a_framing_is_comparable_only_when_its_camera_is_set_there_untrimmed(hall):
    now = hall.clock.now_s
    assert comparable(hall.state, "c1", now()) is None
    settle(hall, 1, "W")
    assert comparable(hall.state, "c1", now()).id == "f4"
    hall.act("trim", camera=1, right=0.05)
    hall.turn(2)
    assert comparable(hall.state, "c1", now()) is None


def test_what_a_comparison_means(hall):
    for numbers, judgement in (
        ({}, Judgement.HOLDS),
        ({"sure": 0.5}, Judgement.HOLDS),
        ({"sure": 0.5, "right": 9}, Judgement.UNCLEAR),
        ({"right": 9}, Judgement.OFF),
        ({"alike": 0.3}, Judgement.CHANGED),
        ({"sure": 0.1}, Judgement.UNCLEAR),
    ):
        compared(hall, "f4", **numbers)
        assert hall.state.verdicts["f4"].judgement is judgement


def test_nudging_brings_the_stored_middle_back_and_the_verdict_is_gone(hall):
    settle(hall, 1, "W")
    compared(hall, "f4", right=10.0, down=-5.0)
    before = hall.state.show.framing("f4")
    verdict, camera = hall.state.verdicts["f4"], hall.state.show.camera("c1")
    assert off_by(camera, before, verdict) == (10.0, -5.0)
    hall.act("framing.nudge", camera=1, letter="W")
    after = hall.state.show.framing("f4")
    hfov = camera.lens.hfov_deg(before.zoom)
    assert after.pan_deg - before.pan_deg == pytest.approx(0.1 * hfov, rel=0.1)
    assert after.tilt_deg - before.tilt_deg == pytest.approx(0.05 * hfov, rel=0.1)
    assert "f4" not in hall.state.verdicts
    assert hall.cameras["c1"].goal == after.aim
    hall.act("framing.nudge", camera=1, letter="W")
    assert "compare it first" in hall.sentences[-1]


def test_an_offset_that_was_measured_elsewhere_is_told_from_the_framing(hall):
    framing, camera = hall.state.show.framing("f4"), hall.state.show.camera("c1")
    looked = framing.aim + Aim(3.0, 0.0, 0.0)
    compared(hall, "f4", looked=looked)
    right, _ = off_by(camera, framing, hall.state.verdicts["f4"])
    assert right == pytest.approx(100 * 3.0 / camera.lens.hfov_deg(framing.zoom), rel=0.1)
    assert hall.state.verdicts["f4"].judgement is Judgement.OFF


def test_a_new_picture_is_taken_only_where_the_framing_is(hall):
    hall.act("framing.retake", camera=1, letter="W")
    assert "send it there first" in hall.sentences[-1]
    settle(hall, 1, "W")
    hall.act("framing.retake", camera=1, letter="W")
    framing = hall.state.show.framing("f4")
    assert framing.pictured_at_s == pytest.approx(hall.clock.now_s())
    assert any(isinstance(e, PictureWanted) and e.name == framing.picture for e in hall.events)


def test_relevelling_mends_all_framings_of_a_camera_in_one_edit(hall):
    hall.act("camera.relevel", camera=1)
    assert "two compared framings" in hall.sentences[-1]
    lens = hall.state.show.camera("c1").lens
    for framing_id in ("f3", "f4", "f5"):  # the mount turned 1° to the right: everything is that far to the left
        framing = hall.state.show.framing(framing_id)
        compared(hall, framing_id, right=-100 * 1.0 / lens.hfov_deg(framing.zoom))
    before = hall.state.show
    hall.act("camera.relevel", camera=1)
    for framing_id in ("f3", "f4", "f5"):
        way = hall.state.show.framing(framing_id).pan_deg - before.framing(framing_id).pan_deg
        assert way == pytest.approx(-1.0, abs=0.1)
    assert hall.state.show.camera("c1").place.heading_deg == pytest.approx(1.0, abs=0.1)
    assert hall.state.show.framing("f6") == before.framing("f6")
    hall.press("Ctrl+Z")
    assert hall.state.show.framing("f3") == before.framing("f3")
    assert hall.state.show.camera("c1").place == before.camera("c1").place
