"""How long something is, as people say it."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.spans import length_words, span_words


@pytest.mark.parametrize(
    ("seconds", "words"),
    [
        (0, "0 s"),
        (-3, "0 s"),
        (89, "89 s"),
        (90, "2 min"),
        (7000, "117 min"),
        (7200, "2 h"),
        (86399, "23 h"),
        (86400, "1 day"),
        (90000, "1 day 1 h"),
        (60 * 5327, "3 days 16 h"),
    ],
)
def test_spans_have_the_units_that_people_use(seconds, words):
    assert span_words(seconds) == words


@given(st.floats(0, 1e7))
def test_no_number_is_larger_than_what_is_read_at_a_glance(seconds):
    numbers = [int(n) for n in re.findall(r"\d+", span_words(seconds))]
    assert len(numbers) <= 2
    assert max(numbers) <= 120


def test_what_somebody_has_set_stays_exact_while_it_is_short():
    assert [length_words(s) for s in (2.5, 90, 120, 150, 9000)] == ["2.5 s", "90 s", "2 min", "2.5 min", "2 h"]
