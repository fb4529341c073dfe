"""What is handed over says what was on air: read back by others' programs, frame by frame."""

import csv
import io
import json
import random
import re

import opentimelineio as otio
import pytest

from ribalta.app.handover.timeline import timeline_of
from ribalta.core.base.frames import USUAL
from ribalta.core.engine.journal.replaying import opening_of, replay
from ribalta.core.engine.journal.sittings import logs_of
from ribalta.core.engine.journal.thinning import Thinner
from ribalta.core.handover import tables
from ribalta.core.handover.edit_list import edit_list
from ribalta.core.handover.evening import Evening, Sitting, evening_of
from ribalta.core.handover.landings import landings_of
from ribalta.core.handover.timecodes import frames_of
from ribalta.core.ports.as_run import Aired, RecordingBegan, TakeShown
from ribalta.core.show.files.journal import line_of
from tests.core.hand_wound import Hall

FRAME_S = 0.04
TIMECODE = "19:30:00:05"


class Recorder:
    """Looks at program in each frame, as a recording does, and tells the engine which frame has a take first."""

    def __init__(self, hall: Hall) -> None:
        self.hall, self.frames, self._take = hall, list[tuple[str, float]](), hall.state.program.takes
        began_s = hall.clock.now_s() + FRAME_S
        self.due_s = began_s
        files = [("program", "/tapes/show.mkv"), *((f"c{k}", f"/tapes/show camera {k}.mkv") for k in (1, 2, 3, 4))]
        hall.act("record", on=True)
        hall.engine.report(RecordingBegan(tuple(files), TIMECODE, began_s), hall.clock.now_s())

    def turn(self, seconds: float) -> None:
        end_s = self.hall.clock.now_s() + seconds
        while self.hall.clock.now_s() < end_s - 1e-6:
            self.hall.turn(0.02)
            if self.hall.clock.now_s() < self.due_s - 1e-6:
                continue
            program = self.hall.state.program
            if program.takes != self._take:
                self._take = program.takes
                self.hall.engine.report(TakeShown(program.takes, self.due_s), self.hall.clock.now_s())
            mixes = program.in_transition is not None
            self.frames.append(("" if mixes else program.on_air.camera_id, self.due_s))
            self.due_s += FRAME_S


@pytest.fixture(scope="module")
def evening() -> tuple[Hall, Recorder, Evening]:
    """200 takes, some of them mixes and wipes, some of which wait; titles, markers, a correction, black."""
    chance, hall = random.Random(5), Hall()
    hall.turn(2.0)
    hall.act("title.add", template="lower third", name="Potter", fields={"name": "Ada -> Lum"})
    title = hall.state.show.titles[0].id
    recorder = Recorder(hall)
    first, k = hall.state.program.takes, 0
    while hall.state.program.takes < first + 200:
        k += 1
        hall.act("ready.framing", camera=chance.choice((1, 2, 3)), letter=chance.choice("QWE"))
        recorder.turn(chance.choice((0.06, 0.6)))
        if chance.random() < 0.5:
            hall.act("take")
        else:
            hall.act("take.transition", kind=chance.choice(("mix", "wipe")), seconds=chance.choice((0.4, 1.0)))
        if k % 20 == 7:
            hall.act("log.mark", note=f"round {k}")
            hall.act("title.switch", title=title)
        recorder.turn(chance.choice((0.04, 0.5, 1.1)))
    hall.act("log.correct", line=3, words="=what it was")
    hall.act("black", black=True)
    hall.act("record", on=False)
    return hall, recorder, evening_of([Sitting(hall.engine.as_run.lines, hall.engine.as_run.shown_at_s)], "Clay & Cup")


def test_a_journal_gives_the_log_byte_for_byte_and_so_does_running_it_again(evening):
    hall, _, _ = evening
    lines = hall.engine.as_run.lines
    assert replay(hall.opening, hall.entries).as_run.lines == lines
    thinner = Thinner()
    written = [line_of(opening_of(hall.opening, 100.0))]
    written += [line_of(one) for entry in hall.entries for one in thinner.passed(entry)]
    read = [json.loads(one) for one in written]
    (log,) = logs_of(lambda: read)
    assert log.log.lines == lines
    shown = hall.engine.as_run.shown_at_s
    assert log.log.shown_at_s.keys() == shown.keys()
    torn = read[: len(read) // 2]
    assert logs_of(lambda: torn)[0].log.lines == lines[: len(logs_of(lambda: torn)[0].log.lines)]
    before = [{k: v for k, v in one.items() if k != "log"} for one in read if "log" not in one]
    assert [x.words for x in logs_of(lambda: before)[0].log.lines] == [x.words for x in lines]


def cameras_of(edl: str) -> list[str]:
    """What an editor has in each frame, by an own reading of the list; “” within a transition."""
    start, found = frames_of(TIMECODE, USUAL), list[str]()
    for line in edl.splitlines():
        event = re.match(r"(\d{3})  (\S+)\s+V\s+(C|D|W001)\s+(\d{3})?\s*(\S+) (\S+) (\S+) (\S+)$", line)
        if event is None:
            continue
        _, reel, _, long, from_, to, begin, end = event.groups()
        assert (from_, to) == (begin, end), "all files begin with the same frame"
        count = frames_of(end, USUAL) - frames_of(begin, USUAL)
        assert len(found) == frames_of(begin, USUAL) - start
        mixes = min(int(long or 0), count)
        found += [""] * mixes + [f"c{reel.removeprefix('CAM')}"] * (count - mixes)
    return found


def test_the_edit_list_has_the_right_camera_in_every_frame_and_others_can_read_it(evening):
    _, recorder, made = evening
    (recorded,) = made.recorded
    edl = edit_list(recorded, made.title)
    assert all(len(line) < 160 and line.isprintable() for line in edl.splitlines())
    listed, seen = cameras_of(edl), [camera for camera, _ in recorder.frames]
    assert abs(len(listed) - len(seen)) <= 1
    wrong = [k for k, (a, b) in enumerate(zip(listed, seen, strict=False)) if a and b and a != b]
    assert not wrong
    unsure = sum((a == "") != (b == "") for a, b in zip(listed, seen, strict=False))
    transitions = sum(1 for x in recorded.pieces if x.frames)
    assert unsure <= 2 * transitions  # a frame at each end
    assert len(recorded.pieces) > 150
    read = otio.adapters.read_from_string(edl, "cmx_3600", rate=25)
    assert len([x for x in read.video_tracks()[0] if isinstance(x, otio.schema.Clip)]) == len(recorded.pieces)


def test_the_timeline_says_the_same_and_has_its_markers(evening):
    _, recorder, made = evening
    (recorded,) = made.recorded
    timeline = otio.adapters.read_from_string(timeline_of(recorded, made.title), "otio_json")
    track = timeline.video_tracks()[0]
    seen = [camera for camera, _ in recorder.frames]
    clips = [x for x in track if isinstance(x, otio.schema.Clip)]
    at = 0
    for clip, piece in zip(clips, recorded.pieces, strict=True):
        assert track.range_of_child(clip).start_time.value == at == piece.begin
        assert clip.media_reference.target_url == f"show camera {piece.camera}.mkv"
        middle = piece.begin + min(piece.frames, piece.end - piece.begin)
        assert all(one in ("", piece.camera_id) for one in seen[middle : piece.end])
        at += int(clip.duration().value)
    assert len([x for x in track if isinstance(x, otio.schema.Transition)]) == sum(
        p.frames > 0 for p in recorded.pieces[1:]
    )
    assert [m.name for m in track.markers] == [m.words for m in recorded.markers]
    assert len(recorded.markers) >= 10


def test_tables_captions_and_counts_agree_with_the_log(evening):
    hall, _, made = evening
    (recorded,) = made.recorded
    rows = list(csv.DictReader(io.StringIO(tables.as_csv(made, 3600.0))))
    assert [int(r["number"]) for r in rows] == [line.number for line in hall.engine.as_run.lines]
    assert next(r for r in rows if r["number"] == "3")["words"] == "'=what it was"  # no formula
    assert all(r["time"].endswith("+01:00") for r in rows)
    told = json.loads(tables.as_json(made, 0.0))
    assert set(told) == set(tables.SCHEMA["required"])
    for line in told["lines"]:
        assert set(line) == set(tables.COLUMNS)
        for name, rule in tables.SCHEMA["properties"]["lines"]["items"]["properties"].items():
            if "enum" in rule:
                assert line[name] in rule["enum"]
    takes = [line for line in made.lines if line.landing is not None]
    counted = landings_of(made)
    assert counted.whole.takes == len(takes) == len(hall.records)
    assert sum(t.takes for _, t in counted.by_camera) == sum(counted.lengths) == len(takes)
    assert sum(t.held_s for _, t in counted.by_framing) == pytest.approx(counted.whole.held_s, abs=0.2)
    assert counted.whole.held == sum(x.landing.held_s > 0.05 for x in takes) > 20
    chapters = tables.chapters_vtt(recorded)
    assert chapters.startswith("WEBVTT\n")
    assert re.findall(r"^\d\d:\d\d:\d\d\.\d{3} --> ", chapters, re.M)
    assert tables.chapters_list(recorded).startswith("00:00 ")
    titles = tables.titles_vtt(recorded)
    assert titles.count("Ada -&gt; Lum") == len(recorded.titles) > 4
    assert [line.kind for line in made.lines[-3:]] == [Aired.CORRECTION, Aired.BLACK, Aired.RECORDING]


def test_two_sittings_are_one_evening_with_two_recordings(evening):
    hall, _, one = evening
    log = hall.engine.as_run
    two = evening_of([Sitting(log.lines, log.shown_at_s)] * 2, "Twice")
    assert len(two.lines) == 2 * len(one.lines)
    assert [line.number for line in two.lines] == list(range(1, len(two.lines) + 1))
    assert two.recorded[1].pieces[0].begin == 0
    assert [p.end for p in two.recorded[0].pieces] == [p.end for p in two.recorded[1].pieces]
    assert evening_of([], "Nothing").recorded == ()
