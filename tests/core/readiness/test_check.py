"""The check: each defect is found by its own line and nothing else is said; a clean show has none."""

import re
from dataclasses import replace
from pathlib import Path

import pytest

import ribalta.core.readiness as room
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.readiness.check import check_lines
from ribalta.core.readiness.kinds import KINDS
from ribalta.core.readiness.lines import Line, Looked, Rating, summary, worst
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.readiness import Readiness
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.core.readiness.seeds import SEEDS, Lines, Seed, all_well, prepared

NOW_S = 1.796e9
SHOW = prepared(load(SHIPPED).show, NOW_S)
HEARD = tuple(mic.model_copy(update={"address": "rtp://127.0.0.1:5004"}) for mic in SHOW.microphones)
SHOW = SHOW.model_copy(update={"microphones": HEARD})


CUES = ("camera", "cover", "cue", "key", "trigger", "macro", "playlist", "control", "framing.memory")
BARE = SHOW.model_copy(  # for all others: macros and playlists would be tried dry each time
    update=dict.fromkeys(("macros", "triggers", "shortcuts", "pages", "playlists", "opening", "closing"), ())
)
MORE = ("cameras.any", "framings.any", "cover.set", "camera.check", "framing.memory")  # more follows from these


def checked(show: Show, seed: Seed | None = None) -> tuple[Line, ...]:
    state, looked = all_there(show), all_well(show, NOW_S)
    if seed is not None and seed.looked is not None:
        looked = seed.looked(looked)
    if seed is not None and seed.state is not None:
        state = seed.state(state)
    return check_lines(state, looked, lambda error: pytest.fail(repr(error)))


def bad(lines: tuple[Line, ...]) -> Lines:
    return Lines(tuple((line.key, line.subject) for line in lines if line.rating is not Rating.PASS))


def test_a_clean_show_has_nothing_to_look_at():
    lines = checked(SHOW)
    assert bad(lines).bad == ()
    assert worst(lines) is Rating.PASS
    assert summary(lines) == f"All {len(lines)} lines are well."


@pytest.mark.parametrize("seed", SEEDS, ids=lambda seed: seed.name)
def test_each_defect_is_found_by_its_own_line(seed):
    base = SHOW if seed.key.startswith(CUES) else BARE
    show = seed.show(base) if seed.show is not None else base
    found = bad(checked(show, seed))
    assert found.says(seed), found
    alone = {key for key, _ in found.bad} - {seed.key}
    assert not alone or seed.key in MORE, alone


@pytest.mark.parametrize("key", ["sound.silent", "recording.armed"])
def test_a_show_may_leave_a_kind_of_line_out(key):
    seed = next(seed for seed in SEEDS if seed.key == key)
    show = seed.show(SHOW) if seed.show is not None else SHOW
    left_out = show.model_copy(update={"readiness": Readiness(left_out=(*show.readiness.left_out, key))})
    assert bad(checked(show, seed)).says(seed)
    assert not bad(checked(left_out, seed)).says(seed)


def test_every_kind_of_line_has_a_seed_and_words():
    text = "".join(path.read_text() for path in Path(room.__file__).parent.glob("of_*.py"))
    actions = {row.id for row in CATALOGUE.rows}
    kinds = set(re.findall(r'"([a-z]+\.[a-z]+)"', text)) - actions
    assert kinds <= KINDS.keys(), kinds - KINDS.keys()
    seeded = {seed.key for seed in SEEDS}
    assert {k for k in kinds if not k.endswith(".all")} - seeded == {"camera.answers"}
    assert len([seed for seed in SEEDS if seed.real]) >= 40


def test_a_part_that_cannot_be_judged_is_a_line_and_ends_nothing():
    said = []
    lines = check_lines(all_there(SHOW), replace(all_well(SHOW, NOW_S), sound=None), said.append)  # type: ignore[arg-type]
    assert [line.key for line in lines if line.key == "check.failed"] == ["check.failed"]
    assert len(said) == 1
    assert {line.group for line in checked(SHOW)} == {line.group for line in lines}


def test_nothing_measured_is_said_and_not_taken_for_well():
    lines = check_lines(all_there(SHOW), Looked(now_s=NOW_S), lambda error: pytest.fail(repr(error)))
    assert worst(lines) is Rating.STOP
    assert {line.key for line in lines if line.rating is Rating.STOP} >= {"picture.live", "sound.signal"}
