"""The same colours everywhere."""

from bench.bars import through_every_path


def test_bars_are_the_same_through_every_path(app):
    assert max((found := through_every_path()).values()) <= 3, found
    assert len(found) == 10
