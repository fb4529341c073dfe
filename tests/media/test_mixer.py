"""The program picture: what goes out, at once and whatever fails."""

import sys
import threading
import time

import numpy as np
import pytest

from ribalta.core.base.frames import RATES
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.messages import PictureStalled
from ribalta.core.ports.shots import Shot
from ribalta.media.program.composer import ProgramPlan
from ribalta.media.program.mixer import Mixer
from ribalta.media.sources.shared_picture import SharedPicture
from ribalta.standins.frames import SIZES, FrameFile, sweep
from ribalta.standins.head import Stand
from ribalta.workers.interpreter import SOON_S, USUAL_S
from tests.pictures import grey, level

pytestmark = pytest.mark.alone


class Source:
    """A writer of plain pictures of one grey."""

    def __init__(self, name: str, grey: int) -> None:
        self.file = FrameFile(name)
        self.grey = grey

    def show(self, captured_s: float, stream: int = 0) -> None:
        self.file.begin(stream)[:] = grey(self.grey, *SIZES[stream]).in_one_piece()
        self.file.publish(stream, captured_s, Stand(0, 0, 0))


@pytest.fixture
def pair(tmp_path, monkeypatch):
    monkeypatch.setattr("ribalta.standins.frames.FOLDER", tmp_path)
    monkeypatch.setattr("ribalta.media.sources.shared_picture.FOLDER", tmp_path)
    sources = [Source("a", 40), Source("b", 200)]
    yield sources
    for source in sources:
        source.file.close()


def test_a_reader_sees_the_latest_whole_frame(pair):
    reader = SharedPicture("a")
    assert not reader.arrives(100.0)
    for k in range(5):
        pair[0].grey = 10 * k
        pair[0].show(100.0 + k)
    reader.arrives(100.6)
    frame = reader.best()
    assert (frame.number, frame.captured_s, level(frame.picture)) == (5, 104.0, 40)


def test_when_the_writer_goes_the_last_picture_stays_and_a_new_writer_is_found(pair):
    reader = SharedPicture("a")
    pair[0].show(100.0)
    reader.arrives(100.1)
    assert reader.arrives(100.2)
    pair[0].file.close()
    assert not reader.arrives(101.0)
    assert level(reader.best().picture) == 40
    pair[0] = Source("a", 90)
    pair[0].show(102.0)
    assert [reader.arrives(101.6), reader.arrives(102.1)] == [False, True]
    assert level(reader.best().picture) == 90


def test_files_of_killed_writers_are_swept_away_and_those_of_living_ones_stay(pair, tmp_path):
    living = FrameFile("ribalta-living-1")
    (tmp_path / "ribalta-killed-1").write_bytes(b"RIBALTA2")
    (tmp_path / "other-1").write_bytes(b"not ours")
    sweep()
    assert {p.name for p in tmp_path.iterdir()} == {"a", "b", "other-1", "ribalta-living-1"}
    living.close()


@pytest.mark.parametrize("name", ["", "..", "../etc/passwd", "nothing-here"])
def test_a_name_that_is_no_picture_reads_as_no_picture(name):
    reader = SharedPicture(name)
    assert not reader.arrives(1.0)
    assert reader.best() is None


def test_a_file_that_is_something_else_reads_as_no_picture(pair, tmp_path):
    (tmp_path / "junk").write_bytes(b"RIBALTA2" + b"\xff" * 9000)
    assert not SharedPicture("junk").arrives(1.0)


def test_a_picture_that_is_late_is_told_with_the_time_of_its_newest_frame_and_again_when_it_goes_on(pair):
    told: dict[str, list[float | None]] = {"a": [], "b": []}
    news = threading.Condition()

    def hear(report) -> None:
        if isinstance(report, PictureStalled):
            with news:
                told[report.camera_id].append(report.captured_s)
                news.notify()

    mixer = Mixer({name: SharedPicture(name) for name in "ab"}, hear)
    now_s = time.monotonic()
    pair[0].show(now_s - 0.5)  # b has not sent anything yet, which is no lateness
    mixer.start()
    try:
        with news:
            assert news.wait_for(lambda: told["a"] == [now_s - 0.5], 3)
        stopping = threading.Event()

        def go_on() -> None:
            while not stopping.wait(0.01):
                pair[0].show(time.monotonic())

        writer = threading.Thread(target=go_on)
        writer.start()
        try:
            with news:
                assert news.wait_for(lambda: told["a"][1:2] == [None], 3)
        finally:
            stopping.set()
            writer.join()
        with news:
            assert news.wait_for(lambda: len(told["a"]) >= 3, 3)
        assert told["a"][-1] > now_s
        count = len(told["a"])
        mixer.follow_sources({"b": SharedPicture("b")})
        with news:
            assert news.wait_for(lambda: len(told["a"]) > count, 3)
        assert told["a"][-1] is None  # a camera without a picture is not waited for
        assert told["b"] == []
    finally:
        mixer.stop()


def test_the_program_follows_a_plan_at_once_and_survives_a_source_that_goes(pair):
    composed = threading.Event()
    wanted: list[str] = []

    def on_composed(frame):
        if wanted and frame.plan.program == Shot(wanted[0]):
            composed.set()

    for source in pair:
        source.show(0.0)
    sources = {name: SharedPicture(name) for name in "ab"}
    for reader in sources.values():
        reader.arrives(10.0)
    mixer = Mixer(sources, lambda _: None, on_composed)
    mixer.start()
    try:
        for name, shown in (("a", 40), ("b", 200)):
            wanted[:] = [name]
            composed.clear()
            mixer.follow(ProgramPlan(program=Shot(name)))
            assert composed.wait(2)
            assert np.ptp(mixer.program.y) == 0
            assert level(mixer.program) == shown
        pair.pop().file.close()
        composed.clear()
        assert composed.wait(2)
        assert np.ptp(mixer.program.y) == 0
        assert level(mixer.program) == 200
    finally:
        mixer.stop()


def test_a_small_source_fills_the_program(pair):
    done = threading.Event()
    pair[0].show(0.0, stream=1)
    reader = SharedPicture("a")
    reader.arrives(10.0)
    mixer = Mixer({"a": reader}, lambda _: None, lambda frame: done.set() if frame.plan.program else None)
    mixer.start()
    try:
        mixer.follow(ProgramPlan(program=Shot("a")))
        assert done.wait(2)
        assert np.ptp(mixer.program.y) == 0
        assert level(mixer.program) == 40
        assert SIZES[1] == (480, 270)
        assert mixer.jpeg("a")[:2] == b"\xff\xd8"
        assert mixer.jpeg("none") is None
    finally:
        mixer.stop()


def test_whoever_paints_waits_while_a_frame_is_composed_and_not_longer(pair):
    """A source that is slow in giving its picture stands for a long composing."""
    reader = SharedPicture("a")
    pair[0].show(0.0)
    reader.arrives(0.1)
    inside, go_on = threading.Event(), threading.Event()
    give = reader.best

    def slow():
        inside.set()
        go_on.wait(5)
        return give()

    reader.best = slow
    mixer = Mixer({"a": reader}, lambda _: None)
    mixer.give_way()  # nothing is composed: nothing to wait for
    mixer.follow(ProgramPlan(Shot("a")))
    mixer.start()
    try:
        assert inside.wait(5)
        assert not mixer._free.is_set()
        assert sys.getswitchinterval() == pytest.approx(SOON_S)  # it gets the interpreter from others soon
        threading.Timer(0.002, go_on.set).start()
        mixer.give_way()
        assert go_on.is_set()  # it was waited for
    finally:
        go_on.set()
        mixer.stop()
    assert mixer._free.is_set()
    assert sys.getswitchinterval() == pytest.approx(USUAL_S)


def test_a_clip_that_is_cut_to_while_it_is_opened_is_no_black_flash():
    shown: list[Picture] = []

    class Opening:
        """A bin whose clip is there after a while."""

        def picture(self, medium_id, at_s=None):
            return shown[0] if shown else None

        def file(self, name):
            return None

        def drawing(self, name, size):
            return None

    mixer = Mixer({}, lambda _: None, bin_of_media=Opening(), size=(64, 36))
    mixer.desk_pictures.show_at({"next": (32, 18)})
    mixer._program[mixer._turn].take(grey(90, 64, 36))  # what went out before
    mixer.follow(ProgramPlan(program=Shot("", None, "b1"), next=Shot("", None, "b1")))
    for tick in range(3):
        mixer.round(tick, 0.0)
        mixer.desk_pictures.round()
        assert level(mixer.program) == 90
        assert level(mixer.desk_pictures.latest.shown["next"]) == 0  # only program stands in
    shown.append(grey(200, 64, 36))
    mixer.round(4, 0.0)
    assert level(mixer.program) == 200


@pytest.mark.parametrize("name", ["59.94", "50"])
def test_program_becomes_another_size_and_rate_without_a_restart(pair, name):
    pair[0].show(0.0)
    reader, made = SharedPicture("a"), []
    reader.arrives(10.0)
    mixer = Mixer({"a": reader}, lambda _: None, made.append)
    mixer.follow(ProgramPlan(program=Shot("a")))
    mixer.start()
    try:
        wait(lambda: len(made) > 5)
        mixer.change((1920, 1080), RATES[name])
        wait(lambda: mixer.program.size == (1920, 1080) and level(mixer.program, 1919, 1079) == 40)
        count = len(made)
        wait(lambda: len(made) > count + 60)
    finally:
        mixer.stop()
    gaps = np.diff([one.at_s for one in made[count + 5 :] if one.on_clock])
    assert float(np.median(gaps)) == pytest.approx(float(1 / RATES[name]), rel=0.1)


def wait(true) -> None:
    nap, end_s = threading.Event(), time.monotonic() + 10
    while not true():
        assert time.monotonic() < end_s
        nap.wait(0.005)
