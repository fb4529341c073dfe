"""Timecode of 25 frames a second, without dropped numbers, within a day; and times as captions have them."""

from ribalta.core.base.frames import RATE_25

RATE = int(RATE_25)
DAY = 24 * 3600 * RATE


def frames_of(timecode: str) -> int:
    """“10:00:01:12” in frames since midnight. Raises ValueError for what is none."""
    parts = [int(part) for part in timecode.replace(";", ":").split(":")]
    if len(parts) != 4:
        raise ValueError(timecode)
    hours, minutes, seconds, frames = parts
    return ((hours * 60 + minutes) * 60 + seconds) * RATE + frames


def timecode_of(frames: int) -> str:
    """Frames since midnight; behind it, the day begins anew."""
    seconds, frame = divmod(frames % DAY, RATE)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{frame:02d}"


def caption_time(frames: int) -> str:
    """Hours, minutes, seconds and thousandths, as WebVTT wants them."""
    thousandths = frames * 1000 // RATE
    seconds, rest = divmod(thousandths, 1000)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}.{rest:03d}"
