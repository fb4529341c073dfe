"""An evening as it was run: its log, and what each of its recordings shows, frame by frame.

It may be of several sittings: each time that a show is opened or goes on after a crash its log begins anew.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction

from ribalta.core.base.frames import nearest_frame
from ribalta.core.ports.as_run import Aired, AsRunLine

PROGRAM = "program"


@dataclass(frozen=True)
class Sitting:
    """One run of a show: its lines, and by take when the first frame that had it was due (clock time). Nothing in that
    when no picture was made, as in a rehearsal."""

    lines: tuple[AsRunLine, ...]
    shown_at_s: Mapping[int, float] = field(default_factory=dict)

    def seen_at_s(self, line: AsRunLine) -> float | None:
        """When a shot was first seen; None for one that was gone before."""
        return self.shown_at_s.get(line.take) if self.shown_at_s and line.take else line.at_s


@dataclass(frozen=True)
class Piece:
    """What a recording shows from frame `begin` up to `end`: a camera, or none (a medium or a scene without one).

    `frames` is how long the transition into it is, 0 for a cut, and `transition` what kind, in words.
    """

    begin: int
    end: int
    camera_id: str
    camera: int
    words: str
    frames: int
    transition: str
    line: AsRunLine


@dataclass(frozen=True)
class Marked:
    """A moment in a recording, in frames from its beginning."""

    frame: int
    words: str


@dataclass(frozen=True)
class Recorded:
    """A recording: its files by "program" or a camera's id, how many frames of program, and what they show. `rate` is
    how many come in a second."""

    files: Mapping[str, str]
    timecode: str
    rate: Fraction
    wall_s: float
    frames: int
    pieces: tuple[Piece, ...]
    markers: tuple[Marked, ...]
    titles: tuple[tuple[int, int, str], ...]  # begin, end and words of each title that was on, in frames


@dataclass(frozen=True)
class Evening:
    """All of it, in order; the numbers of lines go on over sittings."""

    title: str
    lines: tuple[AsRunLine, ...]
    recorded: tuple[Recorded, ...]
    lengths_s: Mapping[int, float]  # of shots, by the number of their line


def evening_of(sittings: Sequence[Sitting], title: str) -> Evening:
    """All sittings as one. Corrections and markers keep to the lines that they are about."""
    lines: list[AsRunLine] = []
    recorded: list[Recorded] = []
    lengths: dict[int, float] = {}
    for sitting in sittings:
        first = len(lines)
        numbered = [replace(x, number=x.number + first, of=x.of + first if x.of else 0) for x in sitting.lines]
        shots = [line for line in numbered if line.kind is Aired.SHOT]
        ends = [*(x.at_s for x in shots[1:]), *(x.at_s for x in numbered[-1:])]
        for line, end_s in zip(shots, ends, strict=False):
            lengths[line.number] = max(0.0, round(end_s - line.at_s, 2))
        lines += numbered
        recorded += _recorded(replace(sitting, lines=tuple(numbered)))
    return Evening(title, tuple(lines), tuple(recorded), lengths)


def corrected(lines: Sequence[AsRunLine]) -> dict[int, str]:
    """What is to be read for each line that was corrected, the last correction of it."""
    return {line.of: line.words for line in lines if line.kind is Aired.CORRECTION}


def frame_at(at_s: float, files: AsRunLine) -> int:
    """Which frame of a recording is due at a time."""
    return max(0, nearest_frame(at_s - files.at_s, Fraction(files.rate)))


def _recorded(sitting: Sitting) -> Iterator[Recorded]:
    lines = sitting.lines
    for k, line in enumerate(lines):
        if line.kind is not Aired.FILES:
            continue
        over = (x for x in lines[k + 1 :] if x.kind is Aired.FILES or _ends_recording(x))
        end = next(over, lines[-1])
        frames = max(1, frame_at(end.at_s, line))
        said = corrected(lines)
        markers = [
            Marked(frame_at(x.at_s, line), said.get(x.number, x.words))
            for x in lines
            if x.kind is Aired.MARKER and line.at_s <= x.at_s <= end.at_s
        ]
        pieces = tuple(_pieces(sitting, line, frames))
        titles = tuple(_titles(lines, line, frames))
        rate = Fraction(line.rate)
        yield Recorded(dict(line.files), line.timecode, rate, line.wall_s, frames, pieces, tuple(markers), titles)


def _ends_recording(line: AsRunLine) -> bool:
    return line.kind is Aired.RECORDING and line.words != "began"


def _pieces(sitting: Sitting, files: AsRunLine, frames: int) -> Iterator[Piece]:
    """In order and without a gap, from the first frame to the last."""
    said, rate = corrected(sitting.lines), Fraction(files.rate)
    finished = {x.take: x.at_s for x in sitting.lines if x.kind is Aired.FINISHED}
    found: list[tuple[int, AsRunLine]] = []
    for line in sitting.lines:
        at_s = sitting.seen_at_s(line) if line.kind is Aired.SHOT else None
        if at_s is None:
            continue
        frame = nearest_frame(at_s - files.at_s, rate)
        if frame <= 0:
            over = frame + nearest_frame(line.transition_s, rate) <= 0
            found = [(0, replace(line, transition_s=0.0, transition="Cut") if over else line)]
        elif frame < frames:
            found.append((frame, line))
    if not found or found[0][0] > 0:
        before = replace(files, kind=Aired.SHOT, words="what was on air before", transition_s=0.0, transition="Cut")
        found.insert(0, (0, before))
    for k, (frame, line) in enumerate(found):
        end = found[k + 1][0] if k + 1 < len(found) else frames
        if end > frame:
            words, frames_in = said.get(line.number, line.words), nearest_frame(line.transition_s, rate)
            if line.take in finished:
                frames_in = max(0, frame_at(finished[line.take], files) - frame)
            yield Piece(frame, end, line.camera_id, line.camera, words, frames_in, line.transition, line)


def _titles(lines: Sequence[AsRunLine], files: AsRunLine, frames: int) -> Iterator[tuple[int, int, str]]:
    """Those with words, each as long as it said the same."""
    on: dict[str, tuple[int, str]] = {}
    for line in lines:
        name = line.words.partition(":")[0]
        if line.kind not in (Aired.ON, Aired.OFF, Aired.WORDS) or not name.startswith("title "):
            continue
        frame = min(frames, frame_at(line.at_s, files))
        if name in on:
            begin, words = on.pop(name)
            if frame > begin:
                yield begin, frame, words
        if line.kind is not Aired.OFF and ":" in line.words:
            on[name] = (frame, line.words.partition(": ")[2])
    for begin, words in on.values():
        if frames > begin:
            yield begin, frames, words
