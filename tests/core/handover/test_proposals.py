"""What is proposed after an evening: the changes help as much as was foretold when the evening is directed again, with
cameras that do not move as the desk's own model says."""

import random
from collections.abc import Mapping
from functools import cache

import pytest

from ribalta.core.engine.dryrun.evening import asked_of, rehearse_evening
from ribalta.core.engine.program.landing import time_to_set_s
from ribalta.core.handover.proposals import Proposal, Proposals, proposals_for, with_proposals
from ribalta.core.ports.as_run import AsRunLine
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.core.hand_wound import Hall

SHOW = load(SHIPPED).show.model_copy(update={"triggers": ()})
CUTS, LEADS = 50, (0.3, 0.6, 1.0, 2.0)
OFTEN = ("f11", "f24", "f19", "f2", "f14", "f22")


def directed(
    show: Show, cuts: int, also: Mapping[str, tuple[str, ...]], earlier: Mapping[str, float]
) -> tuple[tuple[AsRunLine, ...], float]:
    """An evening of so many cuts as somebody directs it, always the same: its log, and how long it waited in all."""
    hall, chance = Hall(show), random.Random(5)
    names = [f.id for f in SHOW.framings]
    hall.turn(1.0)
    at_s = hall.clock.now_s() + 1.0
    for _ in range(cuts):
        wanted = chance.choice(OFTEN) if chance.random() < 0.75 else chance.choice(names)
        lead_s, length_s = chance.choice(LEADS), chance.choice((2.5, 3.5, 5.0))
        hall.turn(max(0.0, at_s - earlier.get(wanted, 0.0) - hall.clock.now_s()))
        state, now_s = hall.state, hall.clock.now_s()
        choices = [f for key in (wanted, *also.get(wanted, ())) if (f := show.framing(key)) is not None]
        free = [f for f in choices if not state.on_air(f.camera_id)] or choices
        framing = min(free, key=lambda f: time_to_set_s(state, Shot(f.camera_id, f.id), now_s) or 0.0)
        camera = show.camera(framing.camera_id)
        assert camera is not None
        hall.act("ready.framing", camera=camera.number, letter=framing.letter, page=framing.page)
        hall.turn(max(0.0, at_s + lead_s - hall.clock.now_s()))
        hall.act("take")
        for _ in range(200):
            if hall.state.program.held is None:
                break
            hall.turn(0.05)
        at_s += lead_s + length_s
    return hall.engine.as_run.lines, sum(record.held_s for record in hall.records)


@cache
def evening() -> tuple[tuple[AsRunLine, ...], float, Proposals]:
    lines, held_s = directed(SHOW, CUTS, {}, {})
    return lines, held_s, proposals_for(SHOW, asked_of(lines))


def test_a_log_knows_when_each_shot_was_readied():
    lines, _, _ = evening()
    landings = [line.landing for line in lines if line.landing is not None]
    assert len(landings) > CUTS * 0.7
    usual = [x for x in landings if x.lead_s is not None and min(abs(x.lead_s - lead) for lead in LEADS) < 0.06]
    assert len(usual) > 0.8 * len(landings)  # the others had been readied before and were called off
    assert sum(x.lead_s is not None for x in landings) == len(landings)


def test_what_is_proposed_helps_when_the_evening_is_directed_again():
    _, held_s, found = evening()
    assert len(found.found) == 3
    assert found.found == tuple(sorted(found.found, key=lambda one: -one.saves_s))
    foretold_s = found.held_s - found.foretold_s
    show, also, earlier = with_proposals(SHOW, found.found)
    _, after_s = directed(show, CUTS, also, earlier)
    assert held_s - after_s >= foretold_s / 2 > 0


def test_a_proposal_is_what_a_rehearsal_with_it_comes_to():
    lines, _, found = evening()
    show, also, earlier = with_proposals(SHOW, found.found)
    again = rehearse_evening(show, asked_of(lines), also, earlier)
    assert sum(one.held_s for one in again) == pytest.approx(found.foretold_s, abs=0.02)
    for one in found.found:
        assert isinstance(one, Proposal)
        name = SHOW.framing(one.framing_id).name
        assert f"“{name}”" in one.words
        assert one.words.startswith(f"Store “{name}” on camera {one.camera} too" if one.camera else "Ready ")
        assert one.saves_s > 0


def test_an_evening_that_waited_for_nothing_gets_no_proposals():
    assert proposals_for(SHOW, ()) == Proposals(0, 0.0, 0.0, ())
    said = []
    proposals_for(SHOW, asked_of(evening()[0])[:4], lambda words, share: said.append((words, share)))
    assert said[0] == ("Rehearsing the evening as it was", 0.0)
