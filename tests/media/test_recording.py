"""Recordings and streams: the right picture in the right frame, whole after a crash, closed when the disk is full."""

import contextlib
import os
import resource
import signal
import subprocess
import sys
import threading
import time

import av
import cv2
import numpy as np
import pytest

from ribalta.core.base.frames import RATES, USUAL, frames_to_s
from ribalta.core.picture.planes import Picture
from ribalta.core.show.document.scenes import Source
from ribalta.core.sound.levels import RATE
from ribalta.media.outputs import encoding as encodings
from ribalta.media.outputs import recorder
from ribalta.media.outputs.encoder import Quality
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.muxer import Muxer
from ribalta.media.outputs.outputs import ProgramOutputs
from ribalta.media.outputs.recorder import OPTIONS, PROGRAM_QUALITY, Recording, last_picture, names_for
from ribalta.media.program.composer import Composer
from ribalta.server.program_host import plan_of
from tests import pictures
from tests.core.hand_wound import Hall, small_show

pytestmark = pytest.mark.real_time

SIZE = (320, 180)
LEVELS = {"c1": 40, "c2": 100, "c3": 160, "c4": 220}


class Greys:
    def full(self, source: Source):
        level = LEVELS.get(source.camera_id or "")
        return None if level is None else grey(level)

    def at_least(self, source: Source, width: int):
        return self.full(source)

    def drawing(self, name: str, size: tuple[int, int]):
        return None


def until(true, limit_s: float = 20.0) -> None:
    pause, end_s = threading.Event(), time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end_s
        pause.wait(0.005)


def encoding_of(what: str, quality: Quality = PROGRAM_QUALITY) -> Encoding:
    return Encoding(what, SIZE, USUAL, quality, sound=True)


def carried(encoding: Encoding, line, file: Muxer) -> None:
    """What has come goes through the encoder and into the file, without any thread."""
    encoding.turn()
    taken_away(line, file)


def taken_away(line, file: Muxer) -> None:
    for piece in line.next(0)[0]:
        file.mux(piece, line.first)


def grey(level: int) -> Picture:
    return pictures.grey(level, *SIZE)


@pytest.mark.parametrize("name", ["25", "59.94"])
def test_two_hundred_cuts_are_in_their_frames_and_each_beep_is_at_its_cut(tmp_path, name):
    """Engine, composer, encoder and file on a hand-wound clock; read by another library than wrote it."""
    path = tmp_path / "a.mkv"
    hall = Hall(small_show(landing_rule="straight"))
    rate = RATES[name]
    composer, encoding = Composer(*SIZE), Encoding("program", SIZE, rate, PROGRAM_QUALITY, sound=True)
    line, file = encoding.open_line(), Muxer(str(path), "matroska", SIZE, rate, encoding.encoder.sound_like, OPTIONS)
    out = Picture.plain(*SIZE)
    shown: list[str] = []
    cuts: list[int] = []
    beep = (0.5 * np.sin(2 * np.pi * 1000 * np.arange(RATE // 50) / RATE)).astype(np.float32)[:, None].repeat(2, axis=1)
    for tick in range(1004):
        cut = tick % 5 == 4
        if cut:
            hall.press(str(1 + (tick // 5) % 3), "Space") if (tick // 5) % 4 else hall.press("4", "Space")
            cuts.append(tick)
        composer.program(plan_of(hall.state), Greys(), hall.clock.now_s(), out)
        at_s = frames_to_s(tick, rate)
        encoding.take(tick, at_s, out)
        next_s = frames_to_s(tick + 1, rate)
        encoding.hear(at_s, (beep if cut else beep * 0)[: round((next_s - at_s) * RATE)])
        if next_s - at_s > 0.02:
            encoding.hear(at_s + 0.02, (beep * 0)[: round((next_s - at_s - 0.02) * RATE)])
        carried(encoding, line, file)
        shown.append(hall.state.program.on_air.camera_id)
        hall.clock.advance(next_s - at_s)
    encoding.close()
    carried(encoding, line, file)
    file.close()
    assert len(cuts) == 200
    assert line.lost == 0
    reader = cv2.VideoCapture(str(path))
    for camera_id in shown:
        there, picture = reader.read()
        assert there
        assert abs(int(picture[90, 160, 0]) - LEVELS[camera_id]) < 8
    assert not reader.read()[0]
    reader.release()
    with av.open(str(path)) as container:
        sound = np.concatenate([f.to_ndarray()[0] for f in container.decode(audio=0)])
        first_s = container.streams.audio[0].start_time * float(container.streams.audio[0].time_base)
    loud = np.flatnonzero(np.abs(sound) > 0.2)
    starts = loud[np.diff(loud, prepend=-RATE) > RATE // 20] / RATE + first_s
    assert len(starts) == 200
    assert np.abs(starts - np.array([frames_to_s(cut, rate) for cut in cuts])).max() < 0.04


def test_a_file_that_begins_later_begins_with_its_own_first_frame_and_sound(tmp_path):
    """Two files of one encoding: the second has the pictures and the beep of its own time, counted from its start."""
    encoding = encoding_of("program")
    beep = (0.5 * np.sin(2 * np.pi * 1000 * np.arange(RATE // 50) / RATE)).astype(np.float32)[:, None].repeat(2, axis=1)
    files = []
    for tick in range(60):
        if tick in (0, 31):
            path = tmp_path / f"{tick}.mkv"
            from_s = 0.0 if tick == 0 else (tick + 2) * 0.04  # at a time that is still to come
            file = Muxer(str(path), "matroska", SIZE, USUAL, encoding.encoder.sound_like, OPTIONS)
            files.append((path, encoding.open_line(from_s), file))
        if tick == 50:
            encoding.end_line(files[0][1])
        encoding.take(tick, tick * 0.04, grey(4 * tick))
        encoding.hear(tick * 0.04, beep if tick == 45 else beep * 0)
        encoding.hear(tick * 0.04 + 0.02, beep * 0)
    encoding.close()
    encoding.turn()
    for _, line, file in files:
        taken_away(line, file)
        file.close()
    for (path, _, _), first, count in zip(files, (0, 33), (50, 27), strict=True):
        with av.open(str(path)) as container:
            frames = [(round(f.time * 25), int(f.to_ndarray(format="gray").mean())) for f in container.decode(video=0)]
        with av.open(str(path)) as container:
            sound = np.concatenate([f.to_ndarray()[0] for f in container.decode(audio=0)])
            first_s = container.streams.audio[0].start_time * float(container.streams.audio[0].time_base)
        assert [at for at, _ in frames] == list(range(count))
        assert all(abs(bright - 4 * (at + first)) < 6 for at, bright in frames)
        assert abs(np.argmax(np.abs(sound) > 0.2) / RATE + first_s - (45 - first) * 0.04) < 0.02


def test_frames_that_were_never_composed_are_closed_up_and_counted(tmp_path):
    path, encoding = tmp_path / "a.mkv", encoding_of("program")
    line, file = encoding.open_line(), Muxer(str(path), "matroska", SIZE, USUAL, encoding.encoder.sound_like, OPTIONS)
    for tick in (7, 8, 9, 14, 15):
        encoding.take(tick, tick * 0.04, grey(10 * tick))
    encoding.close()
    carried(encoding, line, file)
    file.close()
    assert line.lost == 4
    with av.open(str(path)) as container:
        times = [round(f.time * 25) for f in container.decode(video=0)]
    assert times == list(range(9))


def started(what: str, quality: Quality = PROGRAM_QUALITY) -> Encoding:
    encoding = encoding_of(what, quality)
    encoding.start()
    return encoding


def test_an_encoder_that_is_behind_does_not_give_way_until_it_has_caught_up(monkeypatch):
    told, held, encoding = [], threading.Event(), encoding_of("program")
    for name in ("give_way", "catch_up"):
        monkeypatch.setattr(encodings, name, lambda name=name: told.append(name))
    encode = encoding.encoder.picture
    monkeypatch.setattr(encoding.encoder, "picture", lambda *what: (held.wait(20), *encode(*what))[1:])
    line = encoding.open_line()
    encoding.start()
    for tick in range(30):
        encoding.take(tick, tick * 0.04, grey(4 * tick))
    held.set()
    until(lambda: told == ["give_way", "catch_up", "give_way"])
    encoding.close()
    encoding.join()
    assert [p.at for p in line.next(0)[0] if p.picture] == list(range(30))
    assert line.lost == 0


class Clock:
    """Feeds a recording as mixer and sound would, 25 times a second."""

    def __init__(self, *taps) -> None:
        self.taps, self.tick = taps, 0
        self.stopping = threading.Event()
        self.thread = threading.Thread(target=self.run, name="clock")
        self.thread.start()

    def run(self) -> None:
        start_s = time.monotonic()
        picture = Picture.plain(*SIZE)
        while not self.stopping.wait(max(0.0, start_s + self.tick * 0.04 - time.monotonic())):
            picture.y[:] = 60 + self.tick % 100
            for tap in self.taps:
                tap.take(self.tick, start_s + self.tick * 0.04, picture)
                for half in (0, 1):
                    tap.hear(start_s + self.tick * 0.04 + 0.02 * half, np.full((960, 2), 0.1, np.float32))
            self.tick += 1

    def stop(self) -> None:
        self.stopping.set()
        self.thread.join()


def test_a_recording_has_chapters_a_timecode_and_a_picture_read_back_from_it(tmp_path):
    ended: list[str] = []
    encoding = started("program")
    made = Recording(tmp_path / "a.mkv", encoding, "10:00:00:12", lambda r: ended.append(r.status.trouble))
    made.chapter(0.0, "Beginning")
    made.start()
    clock = Clock(encoding)
    try:
        until(lambda: made.status.proof is not None)
        made.chapter(time.monotonic(), "Jury")
        until(lambda: made.status.minutes_left is not None and made.status.seconds > 2)
    finally:
        clock.stop()
        made.stop()
        made.join()
        encoding.close()
        encoding.join()
    assert not made.status.running
    assert ended == []
    assert made.status.lost < 10
    with av.open(str(tmp_path / "a.mkv")) as container:
        assert [c["metadata"]["title"] for c in container.chapters()] == ["Beginning", "Jury"]
        assert {k.lower(): v for k, v in container.metadata.items()}["timecode"] == "10:00:00:12"
    assert 50 < made.status.proof.mean() < 220


WRITER = """
import sys, threading, time, numpy as np
from fractions import Fraction
from pathlib import Path
from ribalta.core.picture.planes import Picture
from ribalta.media.outputs.encoding import Encoding
from ribalta.media.outputs.recorder import PROGRAM_QUALITY, Recording
encoding = Encoding("program", (320, 180), Fraction(25), PROGRAM_QUALITY, True)
made = Recording(Path(sys.argv[1]), encoding, "00:00:00:00", lambda r: None)
made.start()
encoding.start()
start = time.monotonic()
print(start, flush=True)
for tick in range(100000):
    time.sleep(max(0, start + tick * 0.04 - time.monotonic()))
    encoding.take(tick, start + tick * 0.04, Picture.plain(320, 180, (tick % 250, 128, 128)))
    for half in (0, 1):
        encoding.hear(start + tick * 0.04 + 0.02 * half, np.zeros((960, 2), np.float32))
"""


def test_after_kill_9_a_recording_plays_to_within_two_seconds_of_its_end(tmp_path):
    path = tmp_path / "a.mkv"
    command = [sys.executable, "-c", WRITER, str(path)]
    child = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        started_s = float(child.stdout.readline())
        until(lambda: time.monotonic() - started_s > 5)
        os.kill(child.pid, signal.SIGKILL)
        killed_s = time.monotonic()
    finally:
        child.wait()
        child.stdout.close()
    with av.open(str(path)) as container:
        last_s = max(frame.time for frame in container.decode(video=0))
    assert killed_s - started_s - last_s < 2.0
    assert last_picture(path) is not None


@contextlib.contextmanager
def files_at_most(size: int):
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


def test_when_the_disk_is_full_the_recording_ends_by_itself_and_can_be_played(tmp_path):
    ended: list[str] = []
    encoding = started("program")
    made = Recording(tmp_path / "a.mkv", encoding, "0", lambda r: ended.append(r.status.trouble))
    with files_at_most(40_000):
        made.start()
        clock = Clock(encoding)
        try:
            until(lambda: ended)
        finally:
            clock.stop()
            made.join()
            encoding.close()
            encoding.join()
    assert ended == [recorder.FULL_DISK]
    with av.open(str(tmp_path / "a.mkv")) as container:
        assert sum(1 for _ in container.decode(video=0)) > 10


def test_a_recording_is_closed_while_there_is_still_room(tmp_path, monkeypatch):
    ended: list[str] = []
    usage = recorder.shutil.disk_usage(tmp_path)
    monkeypatch.setattr(recorder.shutil, "disk_usage", lambda _: usage._replace(free=1000))
    encoding = started("program")
    made = Recording(tmp_path / "a.mkv", encoding, "0", lambda r: ended.append(r.status.trouble))
    made.start()
    clock = Clock(encoding)
    try:
        until(lambda: ended)
    finally:
        clock.stop()
        made.join()
        encoding.close()
        encoding.join()
    assert ended == [recorder.FULL_DISK]
    with av.open(str(tmp_path / "a.mkv")) as container:
        assert container.duration is not None  # it has its end


def test_names_are_never_used_twice_and_hold_no_path(tmp_path):
    first = names_for(tmp_path, "../A/b: Cup", ["program", "camera 2"])
    assert {p.parent for p in first.values()} == {tmp_path}
    first["camera 2"].touch()
    assert names_for(tmp_path, "../A/b: Cup", ["program", "camera 2"])["program"] != first["program"]


def test_what_is_no_recording_has_no_last_picture(tmp_path):
    assert last_picture(tmp_path / "none") is None
    (tmp_path / "junk").write_bytes(b"\x1f\x43\xb6\x75" * 1000)
    assert last_picture(tmp_path / "junk") is None


# Streams


# What the engine and the outputs make of it


def test_recording_and_streaming_are_wanted_and_ended_through_the_engine():
    hall = Hall(small_show())
    hall.press("Ctrl+R")
    assert hall.state.output("recording").on
    hall.act("outputs.change", folder="/elsewhere")
    assert "the next one will be as you say" in hall.sentences[-1]
    from ribalta.core.ports.messages import OutputEnded

    hall.engine.report(OutputEnded("recording", "the disk is full"), hall.clock.now_s())
    hall._serve()
    assert not hall.state.output("recording").on
    assert "can be played" in hall.sentences[-1]
    hall.act("stream")
    assert "No address" in hall.sentences[-1]
    hall.act("outputs.change", stream_to="rtmp://127.0.0.1/live", cameras=[1, 2], aux="c2")
    assert hall.state.show.outputs.record_camera_ids == ("c1", "c2")
    hall.act("outputs.change", aux="nowhere")
    assert "auxiliary" in hall.sentences[-1]


def test_a_folder_that_cannot_be_used_is_said(tmp_path):
    from ribalta.core.base.faults import LocalFault

    class Taps:
        taps = ()
        size = (1280, 720)

    (tmp_path / "file").touch()
    show = small_show()
    show = show.model_copy(update={"outputs": show.outputs.model_copy(update={"folder": str(tmp_path / "file" / "x")})})
    outputs = ProgramOutputs(Taps(), Taps(), lambda *_: None)
    with pytest.raises(LocalFault, match="Choose another folder"):
        outputs.begin_recording(show, "a")
    outputs.stop()
