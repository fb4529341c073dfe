"""How much cameras travelled: from framing to framing of the same camera, by what is known of its head."""

import pytest

from ribalta.core.handover.travel import Travelled, travelled
from ribalta.core.ports.as_run import Aired, AsRunLine
from tests.core.hand_wound import small_show


def shot(number: int, framing_id: str) -> AsRunLine:
    return AsRunLine(number, float(number), float(number), Aired.SHOT, "", framing_id=framing_id)


def test_moves_are_counted_between_framings_of_one_camera_and_nothing_else_counts():
    show = small_show()
    lines = [shot(k, f) for k, f in enumerate(("f3", "f6", "f4", "f4", "", "gone", "f3"), 1)]
    (only,) = travelled(show, lines)
    head = show.camera("c1").head
    one, other = show.framing("f3").aim, show.framing("f4").aim
    there_s, back_s = head.motion.travel_s(one, other), head.motion.travel_s(other, one)
    assert (only.camera, only.moves) == (1, 2)
    assert only.seconds == pytest.approx(there_s + back_s, abs=0.06)
    assert only.degrees == pytest.approx(2 * ((30.0**2 + 5.0**2) ** 0.5), abs=0.1)


def test_those_that_travelled_longest_come_first_and_nobody_travels_nowhere():
    show = small_show()
    lines = [shot(k, f) for k, f in enumerate(("f6", "f7", "f3", "f4", "f3", "f4"), 1)]
    assert [one.camera for one in travelled(show, lines)] == [1, 2]
    assert travelled(show, []) == ()
    assert isinstance(travelled(show, lines)[0], Travelled)
