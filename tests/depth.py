"""How long properties are searched for what breaks them: `RIBALTA_DEPTH=4` tries four times as many examples as
`1`; what is run at every commit has a little less."""

import os

from hypothesis import settings

DEPTH = float(os.environ.get("RIBALTA_DEPTH", "0.5"))


def examples(count: int) -> settings:
    """For a property: this many examples at the usual depth."""
    return settings(max_examples=max(1, round(count * DEPTH)), deadline=None)
