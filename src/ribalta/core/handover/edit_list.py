"""An edit list in the form that CMX 3600 made common: which file was on air in which frame, to be cut anew elsewhere.

Source and record times are both the recording's timecode: all files of a recording begin with the same frame.
"""

import re
from collections.abc import Iterator
from pathlib import PurePath

from ribalta.core.handover.evening import PROGRAM, Piece, Recorded
from ribalta.core.handover.timecodes import frames_of, is_dropping, timecode_of

REEL = 8  # letters at most
WIPE = "W001"
BLACK = "BL"


def source_of(recorded: Recorded, piece: Piece) -> str | None:
    """The file that has what a piece shows: the camera's own, else program's; None when there is neither."""
    return recorded.files.get(piece.camera_id) or recorded.files.get(PROGRAM)


def frames_into(recorded: Recorded, before: Piece | None, piece: Piece) -> int:
    """How long the transition into a piece is for an editor; 0 where one of its pictures is only in program's file,
    which has the transition in it already."""
    if before is None or not {before.camera_id, piece.camera_id} <= recorded.files.keys():
        return 0
    return min(piece.frames, piece.end - piece.begin)


def edit_list(recorded: Recorded, title: str) -> str:
    """The whole list as text, in lines that end with a line feed."""
    plain = re.sub(r"[^\x20-\x7e]", "_", title) or "show"
    return "\n".join(
        [
            f"TITLE: {plain[:70]}",
            f"FCM: {'' if is_dropping(recorded.rate) else 'NON-'}DROP FRAME",
            "",
            *_events(recorded),
            "",
        ]
    )


def _events(recorded: Recorded) -> Iterator[str]:
    start, rate = frames_of(recorded.timecode, recorded.rate), recorded.rate
    before: Piece | None = None
    for number, piece in enumerate(recorded.pieces, 1):
        begin, end = timecode_of(start + piece.begin, rate), timecode_of(start + piece.end, rate)
        reel, frames = _reel(recorded, piece), frames_into(recorded, before, piece)
        if frames > 0 and before is not None:
            yield f"{number:03d}  {_reel(recorded, before):<8} V     C        {begin} {begin} {begin} {begin}"
            how = WIPE if piece.transition.startswith("Wipe") else "D"
            yield f"{number:03d}  {reel:<8} V     {how:<4} {frames:03d} {begin} {end} {begin} {end}"
            yield from _named("FROM", recorded, before)
            yield from _named("TO", recorded, piece)
            if how == "D" and not piece.transition.startswith("Mix"):
                yield f"* COMMENT: {_plain(piece.transition)}"
        else:
            yield f"{number:03d}  {reel:<8} V     C        {begin} {end} {begin} {end}"
            yield from _named("FROM", recorded, piece)
        for marked in recorded.markers:
            if piece.begin <= marked.frame < piece.end:
                yield f"* LOC: {timecode_of(start + marked.frame, rate)} RED     {_plain(marked.words)}"
        before = piece


def _reel(recorded: Recorded, piece: Piece) -> str:
    if piece.camera_id in recorded.files:
        return f"CAM{piece.camera}"[:REEL]
    return "PROGRAM" if PROGRAM in recorded.files else BLACK


def _named(which: str, recorded: Recorded, piece: Piece) -> Iterator[str]:
    file = source_of(recorded, piece)
    yield f"* {which} CLIP NAME: {_plain(piece.words)}"
    if file is not None:
        yield f"* {which} FILE: {_plain(PurePath(file).name)}"


def _plain(words: str) -> str:
    """On one line."""
    return " ".join(words.split())[:120]
