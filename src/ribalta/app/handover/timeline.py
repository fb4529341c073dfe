"""Recordings as timelines of OpenTimelineIO, for editors: what was on air from the cameras' own files, with
transitions and markers."""

from pathlib import Path

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

from ribalta.core.handover.edit_list import frames_into, source_of
from ribalta.core.handover.evening import Piece, Recorded
from ribalta.core.handover.timecodes import frames_of


def timeline_of(recorded: Recorded, title: str) -> str:
    """The whole as JSON. The time of its first frame is the recording's timecode."""
    start = frames_of(recorded.timecode, recorded.rate)
    rate = float(recorded.rate)
    timeline = otio.schema.Timeline(title, global_start_time=RationalTime(start, rate))
    track = otio.schema.Track("Program", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    for before, piece in zip((None, *recorded.pieces), recorded.pieces, strict=False):
        frames = frames_into(recorded, before, piece)
        if frames:
            track.append(_transition(piece, frames, rate))
        track.append(_clip(recorded, piece, start))
    for marked in recorded.markers:
        at = TimeRange(RationalTime(start + marked.frame, rate), RationalTime(0, rate))
        track.markers.append(otio.schema.Marker(marked.words, at, otio.schema.MarkerColor.RED))
    return str(timeline.to_json_string(indent=1))


def _clip(recorded: Recorded, piece: Piece, start: int) -> otio.schema.Clip | otio.schema.Gap:
    rate = float(recorded.rate)
    seen = TimeRange(RationalTime(start + piece.begin, rate), RationalTime(piece.end - piece.begin, rate))
    file = source_of(recorded, piece)
    if file is None:
        return otio.schema.Gap(name=piece.words, source_range=TimeRange(RationalTime(0, rate), seen.duration))
    whole = TimeRange(RationalTime(start, rate), RationalTime(recorded.frames, rate))
    path = Path(file)  # by its name alone where it is not there: programs then ask for a folder
    url = path.absolute().as_uri() if path.is_file() else path.name
    there = otio.schema.ExternalReference(target_url=url, available_range=whole)
    clip = otio.schema.Clip(piece.words, there, seen)
    clip.metadata["ribalta"] = {
        "line": piece.line.number,
        "camera": piece.camera,
        "landed": piece.line.landing.landed if piece.line.landing is not None else None,
    }
    return clip


def _transition(piece: Piece, frames: int, rate: float) -> otio.schema.Transition:
    """It begins where the next picture begins to come."""
    mixes = not piece.transition.startswith("Wipe")
    kind = otio.schema.TransitionTypes.SMPTE_Dissolve if mixes else otio.schema.TransitionTypes.Custom
    made = otio.schema.Transition(piece.transition, kind, RationalTime(0, rate), RationalTime(frames, rate))
    made.metadata["ribalta"] = {"transition": piece.transition}
    return made
