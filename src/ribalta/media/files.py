"""Files that a show names, for the decoding library: as files only, whatever their names look like to it."""

import os
import stat
from pathlib import Path

FORMATS = "matroska,webm,mov,mp4,m4a,3gp,3g2,mj2,avi,mpeg,mpegts,mpegvideo,ogg,flv,h264,hevc,wav,mp3,aac,flac"
OPTIONS = {"protocol_whitelist": "file", "format_whitelist": FORMATS}
OPEN_WITHIN_S, READ_WITHIN_S = 5.0, 10.0


def to_read(path: str) -> str:
    """How the library is to be told of it. Raises FileNotFoundError, or ValueError for what is no plain file."""
    whole = os.path.abspath(os.path.expanduser(path))
    if not stat.S_ISREG(os.stat(whole).st_mode):
        raise ValueError("is no file that could be played")
    return f"file:{whole}"


def to_write(path: Path) -> str:
    """A path as the library for media takes it, as a file and nothing else."""
    return f"file:{path.absolute()}"
