"""The mixer's other pictures, and what takes program away: recordings beside each other, and a stream."""

import struct
import threading
import time
from types import SimpleNamespace

import av
import numpy as np
import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.layering import Drawing
from ribalta.core.ports.shots import NO_OVERLAYS, Shot
from ribalta.core.show.document.outputs import OutputSettings as WhereOut
from ribalta.core.show.document.scenes import Inset, Source
from ribalta.media.outputs import virtual_camera
from ribalta.media.outputs.outputs import ProgramOutputs
from ribalta.media.program.composer import ProgramPlan
from ribalta.media.program.mixer import Mixer
from ribalta.media.sources.source import Frame
from tests import pictures
from tests.core.hand_wound import small_show
from tests.pictures import grey

pytestmark = pytest.mark.alone

LEVELS = {"c1": 40, "c2": 100, "c3": 160, "c4": 220}


class Still:
    """A camera's picture of one grey, at full size only."""

    trouble = None
    newest_s = 0.0

    def __init__(self, level: int) -> None:
        self._frame = Frame(1, 0.0, grey(level, 1280, 720))
        self.wanted = 0

    def arrives(self, now_s: float) -> bool:
        return True

    def step(self, now_s: float, frame_s: float | None) -> None: ...

    def want_main(self, now_s: float) -> None:
        self.wanted += 1

    def best(self) -> Frame:
        return self._frame

    def small(self) -> None:
        return None

    def close(self) -> None: ...


class KeptPictures:
    """A bin with one stored picture and one title along the foot."""

    def picture(self, medium_id: str, at_s=None):
        return None

    def file(self, name: str):
        return grey(250, 1280, 720) if name == "stored.jpg" else None

    def drawing(self, name: str, size: tuple[int, int]):
        whole = np.zeros((size[1], size[0], 4), np.uint8)
        whole[-size[1] // 8 :] = 255
        return Drawing.of(whole)


@pytest.fixture
def mixer():
    made = Mixer({n: Still(level) for n, level in LEVELS.items()}, lambda _: None, bin_of_media=KeptPictures())
    made.start()
    yield made
    made.stop()


def until(true, limit_s: float = 20.0) -> None:
    pause, end_s = threading.Event(), time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end_s
        pause.wait(0.005)


def level(mixer: Mixer, place: str, row: float = 0.5) -> int:
    picture = mixer.desk_pictures.latest.shown.get(place)
    return -1 if picture is None else pictures.level(picture, 4, int(row * picture.height))


def test_every_place_shows_its_picture_at_its_size(mixer):
    titled = NO_OVERLAYS.with_("title1", "t1")
    mixer.desk_pictures.show_at(
        {"program": (160, 90), "clean@screen": (320, 180), "next": (160, 90), "c3@many": (64, 36)}
    )
    mixer.follow(ProgramPlan(Shot("c1"), titled, next=Shot("c2"), next_overlays=NO_OVERLAYS))
    until(lambda: level(mixer, "program") == 40 and level(mixer, "next") == 100 and level(mixer, "c3@many") == 160)
    until(lambda: level(mixer, "clean@screen", 0.95) == 40)
    assert level(mixer, "program", 0.95) == 255
    assert mixer.desk_pictures.latest.shown["clean@screen"].size == (320, 180)
    mixer.follow(ProgramPlan(Shot("c1")))
    until(lambda: "next" not in mixer.desk_pictures.latest.shown)
    mixer.desk_pictures.show_at({"c3@many": (64, 36)})
    until(lambda: mixer.desk_pictures.latest.shown.keys() == {"c3@many"})


def test_the_auxiliary_output_has_its_own_choice(mixer):
    mixer.desk_pictures.show_at({"aux@screen": (160, 90)})
    for aux, wanted in (("program", 40), ("next", 100), ("c3", 160), ("clean", 40)):
        mixer.follow(ProgramPlan(Shot("c1"), next=Shot("c2"), aux=aux))
        until(lambda wanted=wanted: level(mixer, "aux@screen") == wanted)


def test_what_is_being_made_is_seen_with_stored_pictures_where_cameras_are_elsewhere(mixer):
    inset = Inset(slot=1, source=Source(camera_id="c2", framing_id="f7"), left=0.0, top=0.0, wide=0.5, border=0)
    mixer.desk_pictures.show_at({"preview": (160, 90)})
    mixer.desk_pictures.preview(Shot("c3", "f9", None, "s1"), NO_OVERLAYS.with_("inset1", inset), {"f7": "stored.jpg"})
    until(lambda: level(mixer, "preview", 0.9) == 160)
    assert level(mixer, "preview", 0.2) == 250
    mixer.desk_pictures.preview(Shot("c3", "f9", None, "s1"), NO_OVERLAYS.with_("inset1", inset), {"f7": "lost.jpg"})
    until(lambda: level(mixer, "preview", 0.2) == 100)
    mixer.desk_pictures.preview(None, NO_OVERLAYS, {})
    until(lambda: "preview" not in mixer.desk_pictures.latest.shown)


def test_program_and_cameras_are_recorded_beside_each_other_from_the_same_frame(mixer, tmp_path):
    show = small_show()
    outputs = show.outputs.model_copy(update={"folder": str(tmp_path / "new folder"), "record_camera_ids": ("c2",)})
    show = show.model_copy(update={"outputs": outputs})
    ended: list[tuple[str, str]] = []
    sound = SimpleNamespace(taps=())
    made = ProgramOutputs(mixer, sound, lambda name, why: ended.append((name, why)))
    mixer.follow(ProgramPlan(Shot("c1")))
    until(lambda: pictures.level(mixer.program) == 40)
    made.begin_recording(show, "Opening")
    assert [s.what for s in made.recordings] == ["program", "c2"]
    assert [tap.what for tap in sound.taps] == ["program", "c2"]
    until(lambda: all(s.seconds > 1 for s in made.recordings))
    made.chapter(time.monotonic(), "Second")
    made.end_recording()
    assert mixer.taps == sound.taps == ()
    paths = [s.path for s in made.recordings]
    silent = show.model_copy(update={"outputs": outputs.model_copy(update={"camera_sound": False})})
    made.begin_recording(silent, "Again")
    assert [tap.what for tap in sound.taps] == ["program"]
    made.stop()
    assert [len(av.open(str(path)).streams.audio) for path in paths] == [1, 1]
    assert ended == []
    found = {}
    for what, path in zip(("program", "c2"), paths, strict=True):
        with av.open(str(path)) as container:
            tags = {name.lower(): value for name, value in container.metadata.items()}
            frames = [f.to_ndarray(format="gray") for f in container.decode(video=0)]
            found[what] = (tags["timecode"], len(frames), float(frames[-1].mean()), frames[0].shape)
    assert found["program"][0] == found["c2"][0]
    assert abs(found["program"][1] - found["c2"][1]) <= 1
    assert abs(found["program"][2] - 40) < 4
    assert abs(found["c2"][2] - 100) < 4
    assert (found["program"][3], found["c2"][3]) == ((720, 1280), (360, 640))
    assert mixer._sources["c2"].source.wanted > 0


def test_an_output_that_cannot_begin_says_so_and_takes_nothing(mixer):
    made = ProgramOutputs(mixer, SimpleNamespace(taps=()), lambda *_: None)
    with pytest.raises(LocalFault, match="not an address to stream to"):
        made.begin_stream(WhereOut(stream_to="gopher://x"))
    assert made.stream.word == "off"
    assert made.recordings == ()
    made.end_stream()
    made.end_recording()
    made.stop()
    assert mixer.taps == ()


QUERYCAP, S_FMT = 0x80685600, 0xC0D05605  # of the published V4L2 API, on 64 bits


def test_program_is_written_to_a_virtual_camera_in_its_own_format(mixer, tmp_path, monkeypatch):
    """No such device here: its ioctls are played by the test, its pictures go into a file."""
    known = tmp_path / "known"
    for name in ("video0", "video1"):
        (known / name).mkdir(parents=True)
        (tmp_path / name).touch()
    asked: list[tuple[int, bytes]] = []

    def ioctl(handle: int, request: int, data: bytearray) -> None:
        asked.append((request, bytes(data)))
        if request & 0xFFFFFFFF == QUERYCAP:  # the first one only gives pictures, as a webcam does
            struct.pack_into("<II", data, 84, 0x80000001, 1 if len(asked) == 1 else 2)

    monkeypatch.setattr(virtual_camera, "KNOWN", known)
    monkeypatch.setattr(virtual_camera.fcntl, "ioctl", ioctl)
    opened = virtual_camera.open_device
    monkeypatch.setattr(virtual_camera, "open_device", lambda size: opened(size, tmp_path))
    made = ProgramOutputs(mixer, SimpleNamespace(taps=()), lambda *_: None)
    mixer.follow(ProgramPlan(Shot("c1")))
    until(lambda: pictures.level(mixer.program) == 40)
    made.begin_virtual()
    picture = 1280 * 720 * 3 // 2
    until(lambda: (tmp_path / "video1").stat().st_size >= 3 * picture)
    made.stop()
    assert mixer.taps == ()
    assert (tmp_path / "video0").stat().st_size == 0
    assert (tmp_path / "video1").stat().st_size % picture == 0
    luma = np.fromfile(tmp_path / "video1", np.uint8)[-picture : -picture // 3]
    assert abs(float(luma.mean()) - (16 + 40 * 219 / 255)) < 3
    assert [request & 0xFFFFFFFF for request, _ in asked].count(S_FMT) == 1
    wide, tall, coding = struct.unpack_from("<III", asked[-1][1], 8)
    assert (wide, tall, coding.to_bytes(4, "little")) == (1280, 720, b"YU12")


def test_without_a_virtual_camera_that_is_said(mixer, tmp_path, monkeypatch):
    monkeypatch.setattr(virtual_camera, "KNOWN", tmp_path)
    made = ProgramOutputs(mixer, SimpleNamespace(taps=()), lambda *_: None)
    with pytest.raises(LocalFault, match="v4l2loopback"):
        made.begin_virtual()
    made.stop()


class _SetLate(threading.Event):
    """What is told in the very moment in which the wait for it ends in vain."""

    late = None

    def wait(self, timeout=None):
        told = super().wait(0)
        late, self.late = self.late, None
        if not told and late is not None:
            late()
        return told


def test_a_take_at_the_end_of_a_wait_is_on_air_at_once_and_not_a_frame_later():
    mixer = Mixer({name: Still(level) for name, level in LEVELS.items()}, lambda _: None)
    mixer.follow(ProgramPlan(program=Shot("c1")))
    mixer.round(0, time.monotonic())
    mixer._wake = _SetLate()
    mixer._wake.late = lambda: mixer.follow(ProgramPlan(program=Shot("c2")))
    mixer.record.clear()
    mixer.round(1, time.monotonic() + 0.5)
    assert mixer.record[0].plan.program == Shot("c2")
    assert not mixer.record[0].on_clock, "it went out before the clock's next frame was due"


class _Pressed(Still):
    """While its picture is fetched, something is pressed."""

    press = None

    def best(self) -> Frame:
        press, self.press = self.press, None
        if press is not None:
            press()
        return super().best()


def test_a_take_that_would_make_the_clocks_frame_late_goes_out_right_after_it():
    sources = {"c1": _Pressed(40), "c2": Still(100)}
    mixer = Mixer(sources, lambda _: None)
    mixer.follow(ProgramPlan(program=Shot("c1")))
    mixer.round(0, time.monotonic())
    mixer._wake.clear()
    mixer.record.clear()
    mixer._costs_s.extend([10.0] * 5)  # a frame takes far longer than there is time for another one
    sources["c1"].press = lambda: mixer.follow(ProgramPlan(program=Shot("c2")))
    due_s = time.monotonic() + 0.02
    mixer.round(1, due_s)
    (clocked,) = mixer.record
    assert (clocked.plan.program, clocked.on_clock) == (Shot("c1"), True)
    mixer.round(2, due_s + 0.5)
    assert mixer.record[1].plan.program == Shot("c2")
    assert not mixer.record[1].on_clock, "it did not wait for the clock's next frame"


def test_whoever_can_wait_waits_for_the_frame_that_a_take_asks_for(mixer):
    mixer.follow(ProgramPlan(program=Shot("c1")))
    until(lambda: not mixer.composing)
    for name in ("c2", "c3", "c4") * 5:
        assert mixer.follow(ProgramPlan(program=Shot(name)))
        mixer.give_way()
        if not mixer.composing:  # a machine that is taken away meanwhile waits for at most a moment
            assert mixer.record[-1].plan.program == Shot(name)
    assert not mixer.follow(ProgramPlan(program=Shot("c4"), next=Shot("c1"))), "what goes out is the same"
