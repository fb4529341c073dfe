"""Gates: into which microphones somebody speaks."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.sound.conversation import BLOCK_S, Conversation, Turn, blocks
from ribalta.core.sound.gates import Gates, Gating
from tests.depth import examples


def gated(conversation: Conversation, mics: tuple[int, ...]) -> list[tuple[float, tuple[int, ...]]]:
    """When gates move, and which microphones are open from then on."""
    gates, found = Gates(len(mics)), []
    for at_s, power in blocks(conversation, mics):
        if gates.feed(power, BLOCK_S):
            found.append((at_s, tuple(m for m, on in zip(mics, gates.open, strict=True) if on)))
    return found


@given(st.integers(0, 999), st.floats(-20, -9), st.floats(-70, -48))
@examples(10)
def test_a_voice_opens_its_own_gate_and_nobody_elses(seed, bleed_db, noise_db):
    turns = (Turn(from_s=2, to_s=9, who=(2,)), Turn(from_s=10, to_s=18, who=(3,)))
    talk = Conversation(name="Two", seconds=20, turns=turns, seed=seed, bleed_db=bleed_db, noise_db=noise_db)
    moves = gated(talk, (1, 2, 3))
    assert all(1 not in who for _, who in moves)
    first = {n: next(at for at, who in moves if n in who) for n in (2, 3)}
    assert 2.0 < first[2] < 2.6
    assert 10.0 < first[3] < 10.6
    wrong = [who for at, who in moves if (2.5 < at < 9 and 3 in who) or (10.5 < at < 18 and 2 in who)]
    assert not wrong


def test_two_equal_voices_open_both_gates_and_applause_opens_all():
    turns = (
        Turn(from_s=2, to_s=8, who=(1,)),
        Turn(from_s=8, to_s=14, who=(1, 2)),
        Turn(from_s=16, to_s=22, applause=True),
    )
    moves = gated(Conversation(name="Both", seconds=24, turns=turns), (1, 2, 3))
    open_s = dict.fromkeys(range(4), 0.0)
    for (at, who), (until, _) in zip(moves, [*moves[1:], (24.0, ())], strict=True):
        open_s[len(who)] += max(0.0, min(until, 14.0) - max(at, 8.2))
    assert open_s[2] > 4 * open_s[1]
    assert any(len(who) == 3 for at, who in moves if 16 < at < 18)
    assert moves[-1][1] == ()


def test_the_floor_follows_a_louder_room_and_not_the_speech():
    gates = Gates(1, Gating())
    chance = np.random.default_rng(1)

    def hear(db: float, seconds: float) -> None:
        for _ in range(round(seconds / BLOCK_S)):
            gates.feed(10 ** (db / 10) * chance.gamma(8, 1 / 8, 1), BLOCK_S)

    hear(-65, 4)
    assert gates.floor_db[0] == pytest.approx(-65, abs=3)
    for _ in range(12):
        hear(-22, 1.6)
        hear(-65, 0.4)
    assert gates.floor_db[0] == pytest.approx(-65, abs=7)
    hear(-45, 14)
    assert gates.floor_db[0] == pytest.approx(-45, abs=2)
    assert not gates.open[0]


@given(
    st.lists(st.tuples(st.integers(1, 40), st.sampled_from([-70.0, -50.0, -30.0, -15.0])), min_size=2, max_size=20),
    st.sampled_from([0.0, 0.06, 0.2]),
    st.sampled_from([0.0, 0.15, 0.5]),
)
@examples(40)
def test_a_gate_waits_for_its_attack_and_stays_for_its_hold_and_release(levels, attack_s, hold_s):
    gating = Gating(attack_s=attack_s, hold_s=hold_s, release_s=0.1)
    gates = Gates(1, gating)
    for _ in range(150):
        gates.feed(np.array([1e-7]), BLOCK_S)  # the room: -70
    was, loud_s, opened_at, at = False, 0.0, None, 0
    for blocks_long, db in levels:
        for _ in range(blocks_long):
            gates.feed(np.array([10 ** (db / 10)]), BLOCK_S)
            at += 1
            heard = gates.level_db[0] > gates.floor_db[0] + gating.threshold_db
            loud_s = loud_s + BLOCK_S if heard else 0.0
            if gates.open[0] and not was:
                assert loud_s >= attack_s - 1e-6
                opened_at = at
            if was and not gates.open[0]:
                assert opened_at is not None
                assert (at - opened_at) * BLOCK_S >= hold_s + 0.1 - BLOCK_S - 1e-6
            was = bool(gates.open[0])


def test_a_microphone_that_sent_nothing_does_not_take_the_rooms_noise_for_a_voice():
    gates, chance = Gates(2), np.random.default_rng(3)
    for _ in range(200):
        gates.feed(np.zeros(2), BLOCK_S)
    for _ in range(400):
        gates.feed(10**-6.4 * chance.gamma(8, 1 / 8, 2), BLOCK_S)
        assert not gates.open.any()


@given(
    st.lists(st.tuples(st.integers(1, 60), st.integers(1, 40)), min_size=1, max_size=12),
    st.floats(-70, -45),
    st.integers(0, 99),
)
@examples(20)
def test_a_sound_that_drops_out_neither_opens_a_gate_on_noise_nor_cuts_a_voice_short(drops, room_db, seed):
    """Blocks that come, then blocks that do not: of the room alone, and then of somebody who speaks."""
    gates, chance = Gates(1), np.random.default_rng(seed)

    def hear(db: float) -> None:
        gates.feed(10 ** (db / 10) * chance.gamma(12, 1 / 12, 1), BLOCK_S)

    for _ in range(100):
        hear(room_db)
    for come, gone in drops:
        for _ in range(come):
            hear(room_db)
            assert not gates.open[0]
        for _ in range(gone):
            gates.feed(np.zeros(1), BLOCK_S)
            assert not gates.open[0]
    assert gates.floor_db[0] == pytest.approx(room_db, abs=3.5)
    for _ in range(10):
        hear(room_db + 30)
    assert gates.open[0]
    shortest = gates.gating.hold_s + gates.gating.release_s
    for come, gone in drops:
        for _ in range(min(gone, int(shortest / BLOCK_S) - 4)):
            gates.feed(np.zeros(1), BLOCK_S)
            assert gates.open[0]  # what is missing is shorter than a breath
        for _ in range(come):
            hear(room_db + 30)
            assert gates.open[0]
