"""How long something is, in the words that people use for it."""

MINUTE_S, HOUR_S, DAY_S = 60, 3600, 86400


def span_words(seconds: float) -> str:
    """ "45 s", "12 min", "5 h", "3 days 17 h": seconds below a minute and a half, and no unit in thousands."""
    if seconds < 1.5 * MINUTE_S:
        return f"{max(0.0, seconds):.0f} s"
    minutes = round(seconds / MINUTE_S)
    if minutes < 120:
        return f"{minutes} min"
    hours = int(seconds // HOUR_S)
    if hours < 24:
        return f"{hours} h"
    days, rest = divmod(hours, 24)
    return f"{days} {'day' if days == 1 else 'days'}{f' {rest} h' if rest else ''}"


def length_words(seconds: float) -> str:
    """A length that somebody has set: exact while it is short ("2.5 s", "90 s", "2.5 min"), then as `span_words`."""
    if seconds < 120:
        return f"{seconds:g} s"
    return f"{round(seconds / MINUTE_S, 1):g} min" if seconds < 2 * HOUR_S else span_words(seconds)
