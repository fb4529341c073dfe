"""Timecode within a day, and times as captions have them.

At 29.97 and 59.94 frames a second numbers are dropped (the first two, or four, of each minute but every tenth), so that
timecode keeps the time of day (SMPTE 12M).
"""

from fractions import Fraction


def is_dropping(rate: Fraction) -> bool:
    """Are there numbers that no frame has?"""
    return rate.denominator != 1


def frames_of(timecode: str, rate: Fraction) -> int:
    """“10:00:01:12” in frames since midnight. Raises ValueError for what is none."""
    parts = [int(part) for part in timecode.replace(";", ":").split(":")]
    if len(parts) != 4:
        raise ValueError(timecode)
    hours, minutes, seconds, frames = parts
    count, whole = round(rate), hours * 60 + minutes
    dropped = count // 15 * (whole - whole // 10) if is_dropping(rate) else 0
    return (whole * 60 + seconds) * count + frames - dropped


def timecode_of(frames: int, rate: Fraction) -> str:
    """Frames since midnight; behind it, the day begins anew."""
    count = round(rate)
    drops = count // 15 if is_dropping(rate) else 0
    minute, ten = 60 * count - drops, 600 * count - 9 * drops
    frames %= 144 * ten
    tens, rest = divmod(frames, ten)
    frames += drops * (9 * tens + max(0, (rest - drops) // minute))
    seconds, frame = divmod(frames, count)
    mark = ";" if drops else ":"
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{mark}{frame:02d}"


def caption_time(frames: int, rate: Fraction) -> str:
    """Hours, minutes, seconds and thousandths, as WebVTT wants them."""
    thousandths = int(frames * 1000 / rate)
    seconds, rest = divmod(thousandths, 1000)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}.{rest:03d}"
