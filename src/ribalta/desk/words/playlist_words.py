"""Where a playlist is, in a line."""

from ribalta.core.engine.automation.playlist_runner import left_s
from ribalta.core.engine.state.live import LiveState
from ribalta.desk.painting import look


def playlist_words(state: LiveState, now_s: float) -> str:
    """“▶ At the wheels: 3 of 9, 4.4 s left”."""
    playing = state.automation.playlist
    assert playing is not None
    where = f"{playing.at + 1} of {len(playing.plays)}"
    left = left_s(state, now_s)
    if playing.aside_s is not None:
        return f"▶ {playing.name}: aside, Ctrl+F6 rejoins"
    if playing.paused_s is not None:
        return f"▶ {playing.name}: paused at {where}"
    if playing.kept:
        return f"▶ {playing.name}: {where}, held"
    return f"▶ {playing.name}: {where}{f', {look.seconds(left)} s left' if left is not None else ', waits'}"
