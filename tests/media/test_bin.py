"""Titles, stills and clips as pictures: drawn in time, within bounds, and what cannot be drawn is said."""

import random
import threading
import time

import av
import cv2
import numpy as np
import pytest

from ribalta.core.base.clock import HandClock
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.program.in_use import media_in_use
from ribalta.core.engine.state.live import opening_state
from ribalta.core.picture.colours import ink
from ribalta.core.ports.shots import MediumLive, Shot
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import Inset, Medium, Scene, Source, Title
from ribalta.media.library import drawings, open_clips
from ribalta.media.library.clips import AHEAD, Clip
from ribalta.media.library.library import KEPT_PICTURES, MediaLibrary
from tests.core.hand_wound import small_show
from tests.pictures import level

FULL = (1280, 720)


@pytest.fixture
def opened(app):
    """Bins that are stopped at the end."""
    made: list[MediaLibrary] = []
    lengths: dict[str, float] = {}

    def open_bin(show: Show, files: dict[str, bytes] | None = None, live=None) -> MediaLibrary:
        made.append(MediaLibrary((files or {}).get, time.time() - time.monotonic(), lengths.__setitem__))
        made[-1].follow(show, live or {})
        made[-1].start()
        return made[-1]

    open_bin.lengths = lengths
    yield open_bin
    for one in made:
        one.stop()


def until(true) -> None:
    event, end_s = threading.Event(), time.monotonic() + 10
    while not true():
        assert time.monotonic() < end_s
        event.wait(0.005)


def png(level: int, size=(64, 36), alpha: int | None = None) -> bytes:
    picture = np.full((size[1], size[0], 4 if alpha is not None else 3), level, np.uint8)
    if alpha is not None:
        picture[..., 3] = alpha
    return cv2.imencode(".png", picture)[1].tobytes()


def test_a_title_is_drawn_again_when_its_words_change(opened):
    title = Title(id="t1", name="Potter", template="lower third", fields=(("name", "Ines"),))
    made = opened(Show(titles=(title,)))
    until(lambda: made.drawing("t1", FULL) is not None)
    before = made.drawing("t1", FULL)
    assert before.top > 500  # a lower third
    assert before.picture.y.max() > 200
    made.follow(Show(titles=(title.model_copy(update={"fields": (("name", "Bram"),)}),)), {})
    until(lambda: made.drawing("t1", FULL) is not before)
    until(lambda: made.drawing("t1", (320, 180)) is not None)
    assert made.drawing("t1", (320, 180)).top > 125


def test_words_that_are_too_long_are_made_smaller_and_at_last_said(opened):
    long, longer = "A rather long name for a potter", "A name that goes on " * 12
    titles = tuple(
        Title(id=i, name=i, template="lower third", fields=(("name", words), ("what", "")))
        for i, words in (("t1", long), ("t2", longer))
    )
    made = opened(Show(titles=titles))
    until(lambda: made.drawing("t1", FULL) is not None and made.drawing("t2", FULL) is not None)
    until(lambda: "t2" in made.troubles)
    assert "too long" in made.troubles["t2"]
    assert "t1" not in made.troubles


def test_letters_that_no_face_has_are_said(opened):
    made = opened(Show(titles=(Title(id="t1", name="x", template="corner", fields=(("text", "\U000e0041\ue123"),)),)))
    until(lambda: "t1" in made.troubles)
    assert "lacks" in made.troubles["t1"]


def test_a_missing_drawing_is_said_and_a_picture_can_be_a_title(opened):
    titles = (Title(id="t1", name="Gone", template="gone.svg"), Title(id="t2", name="Bug", template="bug.png"))
    made = opened(Show(titles=titles), {"bug.png": png(200, alpha=255)})
    until(lambda: "t1" in made.troubles and made.drawing("t2", FULL) is not None)
    assert made.drawing("t1", FULL) is None


def test_stills_decks_and_colours_are_ready_and_bad_ones_are_black_and_said(opened):
    media = (
        Medium(id="b1", name="Still", files=("a.png",)),
        Medium(id="b2", name="Deck", kind="deck", files=("b.png", "c.png")),
        Medium(id="b3", name="Red", kind="colour", colour="#ff0000"),
        Medium(id="b4", name="Bad", files=("d.png",)),
        Medium(id="b5", name="Lost", files=("e.png",)),
    )
    files = {"a.png": png(90), "b.png": png(10), "c.png": png(20), "d.png": b"not a picture"}
    made = opened(Show(media=media), files)
    until(lambda: all(made.picture(f"b{n}") is not None for n in (1, 2, 3, 4)))
    assert level(made.picture("b1"), 640, 360) == 90
    assert tuple(int(plane[0, 0]) for plane in made.picture("b3").planes) == ink(0, 0, 255)
    made.follow(Show(media=media), {"b2": MediumLive(slide=1)})
    assert level(made.picture("b2"), 640, 360) == 20
    until(lambda: {"b4", "b5"} <= made.troubles.keys())
    assert "not a PNG" in made.troubles["b4"]
    assert "not in the show file" in made.troubles["b5"]


def test_a_picture_of_a_bomb_is_refused_before_it_is_unpacked():
    header = png(0, (8, 8))
    bomb = header[:16] + (60000).to_bytes(4, "big") * 2 + header[24:]
    with pytest.raises(LocalFault):
        drawings.still(bomb, FULL)
    with pytest.raises(LocalFault, match="damaged"):
        drawings.still(b"<svg>", FULL)


def write_clip(path, frames: int, sound_only: bool = False) -> None:
    with av.open(str(path), "w") as container:
        if sound_only:
            stream = container.add_stream("aac", rate=48000)
            sound = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), "fltp", "mono")
            sound.rate = 48000
            container.mux(stream.encode(sound))
        else:
            stream = container.add_stream("mjpeg", rate=25)
            stream.width, stream.height, stream.pix_fmt = 64, 36, "yuvj420p"
            for k in range(frames):
                picture = np.full((36, 64, 3), 10 + 20 * k, np.uint8)
                container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, "bgr24")))
        container.mux(stream.encode(None))


def test_a_clip_waits_at_its_first_frame_plays_in_time_and_stays_at_its_last(opened, tmp_path):
    path = tmp_path / "a.mkv"
    write_clip(path, 10)
    show = Show(media=(Medium(id="b1", name="Film", kind="clip", path=str(path)),))
    made = opened(show)
    until(lambda: made.picture("b1") is not None)
    assert abs(level(made.picture("b1"), 10, 10) - 10) < 6
    until(lambda: "b1" in opened.lengths)
    assert opened.lengths["b1"] == pytest.approx(0.4, abs=0.05)
    made.follow(show, {"b1": MediumLive(started_s=time.monotonic())})
    until(lambda: level(made.picture("b1"), 10, 10) > 180)
    made.follow(show, {"b1": MediumLive()})
    until(lambda: level(made.picture("b1"), 10, 10) < 16)


def test_a_clip_is_heard_at_the_place_that_it_has_reached_and_ends_without_a_click(opened, tmp_path):
    """Silence for half a second, then a tone: by the clock of who asks, not by how fast it is read."""
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as container:
        picture = container.add_stream("mjpeg", rate=25)
        picture.width, picture.height, picture.pix_fmt = 64, 36, "yuvj420p"
        sound = container.add_stream("pcm_s16le", rate=48000, layout="mono")
        tone = np.where(np.arange(48000) < 24000, 0, 9000 * np.sin(np.arange(48000) * 0.1)).astype(np.int16)
        frame = av.AudioFrame.from_ndarray(tone[None], "s16", "mono")
        frame.rate = 48000
        for _ in range(25):
            still = av.VideoFrame.from_ndarray(np.zeros((36, 64, 3), np.uint8), "bgr24")
            container.mux(picture.encode(still))
        container.mux(picture.encode(None))
        container.mux(sound.encode(frame))
        container.mux(sound.encode(None))
    show = Show(media=(Medium(id="b1", name="Film", kind="clip", path=str(path)),))
    made = opened(show)
    until(lambda: made.picture("b1") is not None)
    assert made.sound(0.0, 960) is None
    start_s = time.monotonic()
    made.follow(show, {"b1": MediumLive(started_s=start_s)})
    until(lambda: np.abs(made.sound(start_s + 0.49, 960)).max() > 0.2)  # what has been read waits
    block = made.sound(start_s + 0.49, 960)
    assert np.abs(block[:480]).max() < 0.01
    assert np.abs(block[480:]).max() > 0.2
    quiet = show.model_copy(update={"media": (show.media[0].model_copy(update={"heard": False}),)})
    made.follow(quiet, {"b1": MediumLive(started_s=start_s)})
    assert made.sound(start_s + 0.6, 960) is None
    made.follow(show, {"b1": MediumLive()})
    last = made.sound(start_s + 0.7, 960)
    assert np.abs(last[:200]).max() > 0.15
    assert np.abs(last[-20:]).max() < 0.01
    assert made.sound(start_s + 0.72, 960) is None


@pytest.mark.parametrize(
    ("content", "said"), [(None, "not at its place"), (b"junk", "damaged"), ("sound", "no picture")]
)
def test_a_clip_that_cannot_play_says_why(opened, tmp_path, content, said):
    path = tmp_path / "a.mkv"
    if content == "sound":
        write_clip(path, 0, sound_only=True)
    elif content is not None:
        path.write_bytes(content)
    made = opened(Show(media=(Medium(id="b1", name="Film", kind="clip", path=str(path)),)))
    if content is not None:
        made.picture("b1")  # only what is wanted is opened; that it is gone is seen without
    until(lambda: "b1" in made.troubles)
    assert said in made.troubles["b1"]


def test_clips_are_open_while_they_are_wanted_and_not_before(opened, tmp_path, monkeypatch):
    """All of a show's were opened with it."""
    made_of: list[str] = []
    monkeypatch.setattr(open_clips, "Clip", lambda path, crew: made_of.append(path) or Clip(path, crew))
    monkeypatch.setattr(open_clips, "CLOSED_AFTER_S", 0.0)
    paths = [tmp_path / f"{n}.mkv" for n in range(4)]
    for path in paths:
        write_clip(path, 5)
    show = Show(media=tuple(Medium(id=f"b{n}", name="Film", kind="clip", path=str(paths[n])) for n in range(4)))
    made = opened(show)
    until(lambda: made._drawn)  # all was looked at once
    assert made_of == []
    made.follow(show, made._live, frozenset({"b2"}))
    until(lambda: made.picture("b2") is not None)
    assert made_of == [str(paths[2])]
    made.follow(show, made._live, frozenset({"b3"}))
    until(lambda: made._clips._open.keys() == {"b3"})
    made.follow(show, {"b3": MediumLive(started_s=time.monotonic())}, frozenset({"b1"}))
    until(lambda: made._clips._open.keys() == {"b1", "b3"})  # one is used, and one plays
    made.follow(show, {}, frozenset())
    until(lambda: not made._clips._open)


def test_what_is_on_air_stays_however_many_stills_there_are(opened):
    """From the forty-first on, the one on air blinked black and half a core was at work."""
    media = tuple(Medium(id=f"b{n}", name=f"Still {n}", files=(f"s{n}.png",)) for n in range(200))
    made = opened(Show(media=media), {f"s{n}.png": png(n + 20) for n in range(200)})
    made.follow(made._show, made._live, frozenset({"b7", "b150"}))
    until(lambda: made.picture("b7") is not None and made.picture("b150") is not None)
    shown = made.picture("b7")
    for n in range(200):
        until(lambda n=n: made.picture(f"b{n}") is not None)
        assert made.picture("b7") is shown
        assert made.picture("b150") is not None
    assert len(made._pictures) <= KEPT_PICTURES + 2
    before, keeps = time.thread_time(), dict(made._pictures)
    for _ in range(20):
        made._look()
    assert made._pictures == keeps or made._pictures.keys() == keeps.keys()  # nothing is decoded again
    assert time.thread_time() - before < 1.0


def test_a_show_says_which_media_must_be_there():
    show = small_show()
    media = tuple(Medium(id=f"b{n}", name=f"Still {n}", files=(f"s{n}.png",)) for n in range(6))
    inset = Inset(slot=1, source=Source(medium_id="b3"))
    scene = Scene(id="s1", number=1, name="Scene", base=Source(medium_id="b1"), insets=(inset,))
    state = opening_state(show.model_copy(update={"media": media, "scenes": (scene,)}))
    state = state.with_program(
        next=Shot("", None, "b1", "s1"), then=(Shot("", None, "b2"),), on_air=Shot("", None, "b0")
    )
    assert media_in_use(state) == {"b0", "b1", "b2", "b3"}


def test_a_clip_of_programs_rate_shows_each_of_its_frames_once(app, tmp_path):
    """Seven of five hundred came twice, and six did not come."""
    path = tmp_path / "film.mp4"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "1", "preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
        for k in range(100):
            picture = np.repeat([255 * (k >> bit & 1) for bit in range(8)], 8).astype(np.uint8)
            picture = np.broadcast_to(picture[None, :, None], (64, 64, 3)).copy()  # its number, in bars
            out.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        out.mux(stream.encode(None))
    steps = np.diff(shown(path)).tolist()
    assert steps == [1] * len(steps)


def shown(path) -> list[int]:
    """The numbers of the frames of a clip that are shown as it plays, at program's rate, its clock wound by hand."""
    clock = HandClock(100.0)
    clip = Clip(str(path), now_s=clock.now_s)
    until(lambda: len(clip._frames) == AHEAD)
    chance, seen = random.Random(1), []
    clip.play(clock.now_s() + 0.013)
    for tick in range(1, 100):
        due_s = 100.0 + 0.04 * tick
        clock.advance(max(0.0, due_s - 0.024 + chance.uniform(-0.01, 0.01) - clock.now_s()))
        until(lambda t=tick: len(clip._frames) >= min(AHEAD, 101 - t))
        bars = clip.picture(due_s).y[30, 4::8] > 128
        seen.append(sum(1 << bit for bit, on in enumerate(bars) if on))
    clip.stop()
    clip.join()
    return seen
