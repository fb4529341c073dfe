"""Handing over when something is wrong: recordings that were moved or are gone, a full disk in the middle, a clock that
jumps, and an evening of twelve hours."""

import csv
import errno
import io
import json
import os
from dataclasses import replace
from pathlib import Path

import opentimelineio as otio
import pytest

from ribalta.app.handover import command
from ribalta.app.handover.command import write_all
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.journal.replaying import opening_of
from ribalta.core.handover import tables
from ribalta.core.handover.edit_list import edit_list
from ribalta.core.handover.evening import Sitting, evening_of
from ribalta.core.handover.landings import by_evening, landings_of
from ribalta.core.ports.as_run import Aired, AsRunLine, Landing, RecordingBegan, TakeShown
from ribalta.core.show.files.journal import journal_path, line_of
from ribalta.core.show.files.storage import StoredShow, save
from tests.core.hand_wound import Hall

pytestmark = pytest.mark.usefixtures("app")  # else the papers make one that has no windows, for all that come after
QUIET = lambda *_: None  # noqa: E731


@pytest.fixture
def show(tmp_path) -> Path:
    """A show with a journal beside it: three takes, recorded into files that are there."""
    hall, tapes = Hall(), tmp_path / "tapes"
    tapes.mkdir()
    names = {"program": tapes / "show.mkv", "c1": tapes / "show camera 1.mkv", "c2": tapes / "show camera 2.mkv"}
    for path in names.values():
        path.write_bytes(b"matroska")
    hall.turn(1.0)
    hall.act("record", on=True)
    files = tuple((what, str(path)) for what, path in names.items())
    hall.engine.report(RecordingBegan(files, "19:30:00:00", hall.clock.now_s()), hall.clock.now_s())
    for camera in (1, 2, 1):
        hall.act("ready.framing", camera=camera, letter="Q" if camera == 2 else "W")
        hall.turn(3.0)
        hall.act("take")
        hall.engine.report(TakeShown(hall.state.program.takes, hall.clock.now_s()), hall.clock.now_s())
        hall.turn(2.0)
    hall.act("record", on=False)
    path = tmp_path / "show.ribalta"
    save(path, StoredShow(hall.state.show))
    lines = [line_of(opening_of(hall.opening, 100.0)), *(line_of(entry) for entry in hall.entries)]
    journal_path(path).write_bytes(b"".join(lines))
    return path


def urls(folder: Path) -> set[str]:
    timeline = otio.adapters.read_from_file(str(folder / "timeline.otio"))
    references = (clip.media_reference for clip in timeline.find_clips())
    return {Path(ref.target_url).as_posix().removeprefix("file:") for ref in references if hasattr(ref, "target_url")}


def test_recordings_that_were_moved_are_pointed_at_and_those_that_are_gone_are_named(show, tmp_path):
    made = write_all(show, tmp_path / "out", None, QUIET)
    assert made.troubles == []
    moved = tmp_path / "elsewhere"
    (tmp_path / "tapes").rename(moved)
    made = write_all(show, tmp_path / "again", None, QUIET)
    assert len(made.troubles) == 3
    assert "show camera 1.mkv is not at" in " ".join(made.troubles)
    (moved / "show camera 2.mkv").unlink()
    made = write_all(show, tmp_path / "pointed", moved, QUIET)
    assert [said for said in made.troubles if "camera 2" in said] == made.troubles
    named = " ".join(urls(tmp_path / "pointed"))
    assert "elsewhere/show%20camera%201.mkv" in named or "elsewhere/show camera 1.mkv" in named
    assert "camera 1" in (tmp_path / "pointed" / "edit list.edl").read_text()


def test_a_disk_that_is_full_in_the_middle_is_said_and_what_was_written_stays(show, tmp_path, monkeypatch):
    before, count = command._write, 0

    def write(path: Path, data: bytes) -> Path:
        nonlocal count
        count += 1
        if count == 3:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return before(path, data)

    monkeypatch.setattr(command, "_write", write)
    with pytest.raises(LocalFault, match=r"No space left on device\. What is there already stays"):
        write_all(show, tmp_path / "out", None, QUIET)
    assert len(list((tmp_path / "out").iterdir())) == 2
    monkeypatch.setattr(command, "_write", before)
    assert len(write_all(show, tmp_path / "out", None, QUIET).files) > 8


def long_evening(cuts: int) -> tuple[AsRunLine, ...]:
    """Twelve hours of cuts between three cameras, recorded; the clock of the wall goes back two hours in the middle."""
    files = AsRunLine(1, 100.0, 1.8e9, Aired.FILES, "files", files=(("program", "/t/p.mkv"), ("c1", "/t/1.mkv"),
                      ("c2", "/t/2.mkv"), ("c3", "/t/3.mkv")), timecode="09:00:00:00")  # fmt: skip
    lines = [replace(files, number=1), AsRunLine(2, 100.0, 1.8e9, Aired.RECORDING, "began")]
    each_s = 12 * 3600.0 / cuts
    for k in range(cuts):
        at_s = 101.0 + round(k * each_s / 0.04) * 0.04
        jump_s = 7200.0 if k > cuts // 2 else 0.0
        camera = 1 + k % 3
        lines.append(
            AsRunLine(
                k + 3,
                at_s,
                1.8e9 + at_s - jump_s,
                Aired.SHOT,
                f"{camera} Q",
                f"c{camera}",
                camera,
                "Q",
                transition="Cut",
                landing=Landing(True, 0.1, 0.0, False, False),
                take=k + 1,
            )
        )
    lines.append(AsRunLine(cuts + 3, 101.0 + 12 * 3600.0, 1.8e9, Aired.RECORDING, "ended"))
    return tuple(lines)


def test_twelve_hours_of_five_thousand_cuts_and_a_clock_that_jumps_are_in_order():
    evening = evening_of([Sitting(long_evening(5000))], "Long")
    (recorded,) = evening.recorded
    assert len(recorded.pieces) >= 5000
    begins = [piece.begin for piece in recorded.pieces]
    assert begins == sorted(begins)
    events = [line for line in edit_list(recorded, "Long").splitlines() if line[:3].isdigit()]
    assert len(events) >= 999  # as many as the format's numbers allow are counted, the others go on
    rows = list(csv.reader(io.StringIO(tables.as_csv(evening, 0.0))))
    assert len(rows) == len(evening.lines) + 1
    told = json.loads(tables.as_json(evening, 0.0))["lines"]
    assert [line["number"] for line in told] == sorted(line["number"] for line in told)
    assert landings_of(evening).whole.takes == 5000
    assert sum(tally.takes for _, tally in by_evening(evening.lines, 0.0)) == 5000
