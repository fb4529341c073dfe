"""What is said of the last check wherever it is asked for: in Check, on the strip, on Air."""

from datetime import datetime

from ribalta.core.readiness.lines import Rating, summary, worst
from ribalta.desk.bridge import Bridge

NEVER = "Not checked yet"


def is_older(bridge: Bridge) -> bool:
    """The show was changed since it was checked."""
    now = bridge.readiness.now
    return bool(now.at_s) and now.edits != bridge.state.edits.count


def check_words(bridge: Bridge) -> str:
    """A short line: when the show was checked, and what came of it. What is wrong has a mark in front."""
    now = bridge.readiness.now
    if now.running:
        return f"Checking, {now.share:.0%}"
    if not now.at_s:
        return NEVER
    at = f"Checked {datetime.fromtimestamp(now.at_s):%H:%M}"
    if is_older(bridge):
        return f"! Changed since {at[-5:]}"
    bad = sum(line.rating is not Rating.PASS for line in now.lines)
    return f"! {at}: {bad} to look at" if bad else f"{at}: all is well"


def check_state(bridge: Bridge) -> str:
    """ "wrong" something would fail or is not known any more, "" it is well or was never asked."""
    now = bridge.readiness.now
    return "wrong" if now.at_s and (is_older(bridge) or worst(now.lines) is not Rating.PASS) else ""


def summary_words(bridge: Bridge) -> str:
    """What the last check came to, in a sentence or two."""
    now = bridge.readiness.now
    if not now.at_s:
        return "Nothing has been checked yet. It takes about half a minute, and nothing on air is moved by it."
    said = f"{datetime.fromtimestamp(now.at_s):%H:%M}: {summary(now.lines)}"
    return f"{said} The show was changed since: check it again." if is_older(bridge) else said
