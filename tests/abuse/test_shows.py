"""A show that somebody sends: it opens, or is refused in a sentence, and reaches nothing outside itself."""

import contextlib
import io
import json
import os
import random
import time
import zipfile
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtGui import QImage

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.state.live import opening_state
from ribalta.core.picture.reading import decoded, is_sane, size_of
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Framing, Show, unreachable
from ribalta.core.show.document.templates import Template
from ribalta.core.show.files import storage
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.shipped import SHIPPED
from ribalta.devices.drivers.index import driver_for
from ribalta.media import files
from ribalta.media.library import drawings
from ribalta.media.library.clips import Clip
from ribalta.server.import_export import framing_files
from ribalta.server.program_host import plan_of, sound_plan_of
from tests.abuse.test_threads import until
from tests.core.hand_wound import small_show

COUNT = int(os.environ.get("RIBALTA_DAMAGED", "40"))
ODD = (
    *(None, True, -1, 0, 1e308, float("inf"), "", "x" * 5000, "../../etc/passwd", "http://192.0.2.1/x", [], {}),
    *([[[]]], {"id": "c1"}, "\u0000", "/dev/zero", 10**40, "rtsp://a:b@c/", [1, "a", None], "NaN"),
)


def document() -> dict:
    with zipfile.ZipFile(SHIPPED) as archive:
        return json.loads(archive.read("show.json"))


def changed(value, chance: random.Random, depth: int = 0):
    """One or a few fields changed to anything that their schema does not allow."""
    if isinstance(value, dict) and value:
        name = chance.choice(sorted(value))
        what = chance.random()
        if what < 0.1 and depth:
            return {k: v for k, v in value.items() if k != name}
        if what < 0.2:
            return {**value, "salt": chance.choice(ODD)}
        return {**value, name: changed(value[name], chance, depth + 1)}
    if isinstance(value, list) and value:
        k = chance.randrange(len(value))
        if chance.random() < 0.15:
            return [*value, value[k]]
        return [*value[:k], changed(value[k], chance, depth + 1), *value[k + 1 :]]
    return chance.choice(ODD)


def damaged(seed: int, folder: Path) -> Path:
    chance, path = random.Random(seed), folder / f"{seed}.ribalta"
    data = bytearray(SHIPPED.read_bytes())
    kind = seed % 3
    if kind == 0:
        del data[chance.randrange(len(data)) :]
    elif kind == 1:
        for _ in range(chance.choice((1, 5, 200))):
            data[chance.randrange(len(data))] = chance.randrange(256)
    else:
        show = document()
        for _ in range(chance.choice((1, 1, 3))):
            show = changed(show, chance)
        made = io.BytesIO()
        with zipfile.ZipFile(made, "w") as archive:
            archive.writestr("show.json", json.dumps(show))
        data = bytearray(made.getvalue())
    path.write_bytes(data)
    return path


def used(show: Show) -> None:
    """What opening it sets going, without any thread."""
    unreachable(show)
    engine = Engine(opening_state(show, 10.0, 1000.0))
    for number in range(1, 7):
        engine.act("ready.camera", {"camera": number}, 10.0 + number)
        engine.act("ready.framing", {"camera": number, "letter": "Q"}, 10.0 + number)
        engine.act("take", {}, 10.5 + number)
    engine.advance(40.0)
    plan_of(engine.state), sound_plan_of(engine.state)
    for camera in show.cameras:
        driver = driver_for(camera, 1.0)
        landing_state(engine.state, Shot(camera.id), 41.0)
        if driver is not None:
            driver.tick(5.0)
            driver.drain()
    mistakes = [e for e in engine.drain()[0] if "mistake of Ribalta's" in getattr(e, "sentence", "")]
    assert not mistakes, mistakes


@pytest.mark.parametrize("batch", range(4))
def test_damaged_shows_open_or_are_refused_in_a_sentence(tmp_path, batch):
    opened = 0
    for seed in range(batch, COUNT, 4):
        path, began_s = damaged(seed, tmp_path), time.monotonic()
        refusal = ""
        try:
            stored = load(path)
        except LocalFault as fault:
            refusal = str(fault)
        if refusal:
            assert "Traceback" not in refusal
            assert refusal.endswith(".")
            assert len(refusal) < 900
        else:
            opened += 1
            used(stored.show)
            save(tmp_path / "again.ribalta", stored)
        assert time.monotonic() - began_s < 20
        path.unlink()
    assert opened < COUNT


@pytest.mark.parametrize(
    "name", ["../../x.jpg", "/etc/passwd", "a/b.jpg", "a.exe", ".jpg", "a\u0000.jpg", "x" * 200 + ".jpg"]
)
def test_names_of_files_in_a_show_are_plain_names_of_known_kinds(name):
    with pytest.raises(ValueError, match="picture"):
        Framing(id="f", camera_id="c1", slot=0, name="x", pan_deg=0, tilt_deg=0, zoom=0, picture=name)


def test_what_is_exported_stays_in_its_folder_and_follows_no_link(tmp_path):
    show = small_show()
    bad = show.framings[0].model_copy(update={"picture": "../../escaped.jpg"})
    linked = show.framings[1].model_copy(update={"picture": "linked.jpg"})
    show = show.with_framing(bad).with_framing(linked)
    folder = tmp_path / "deep" / "table pictures"
    folder.mkdir(parents=True)
    precious = tmp_path / "precious"
    precious.write_text("mine")
    (folder / "linked.jpg").symlink_to(precious)
    with pytest.raises(LocalFault, match="cannot be written"):
        framing_files.write_out(folder.parent / "table.csv", show, {"../../escaped.jpg": b"x", "linked.jpg": b"y"})
    assert not list(tmp_path.rglob("escaped.jpg"))
    assert precious.read_text() == "mine"


def test_a_zip_that_would_fill_the_memory_is_refused(tmp_path, monkeypatch):
    path = tmp_path / "bomb.ribalta"
    monkeypatch.setattr(storage, "MOST_PARTS", 50)
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("show.json", small_show().model_dump_json())
        for k in range(60):
            archive.writestr(f"pictures/{k}.jpg", b"")
    with pytest.raises(LocalFault, match="more in it than a show can have"):
        load(path)
    monkeypatch.setattr(storage, "MOST_PARTS", 500)
    monkeypatch.setattr(storage, "LARGEST_WHOLE", 1000)
    with pytest.raises(LocalFault, match="more in it than a show can have"):
        load(path)
    os.mkfifo(tmp_path / "pipe.ribalta")
    with pytest.raises(LocalFault, match="is no file"):
        load(tmp_path / "pipe.ribalta")


def test_unknown_fields_that_are_nested_without_end_are_refused(tmp_path):
    deep = "[" * 200 + "]" * 200
    text = small_show().model_dump_json()[:-1] + f',"new":{deep}}}'
    with pytest.raises(LocalFault, match="nested too deep"):
        storage.parse_show(text, "It")


@pytest.mark.parametrize(
    "changes",
    [{"counts_per_deg": 1e300}, {"pan_min_deg": -1e9}, {"memories": 10**9}, {"pan_min_deg": 10, "pan_max_deg": -10}],
)
def test_what_no_driver_could_do_with_is_refused(changes):
    raw = small_show().model_dump(mode="json")
    raw["cameras"][0]["head"].update(changes)
    with pytest.raises(LocalFault, match="damaged at cameras"):
        storage.parse_show(json.dumps(raw), "It")


@pytest.mark.parametrize(
    "name", ["concat:/etc/passwd|/etc/hosts", "http://127.0.0.1:1/x.mp4", "pipe:0", "data:text/plain,x", "/dev/zero"]
)
def test_a_clip_is_opened_as_a_file_and_nothing_else(name):
    with pytest.raises((OSError, ValueError)):
        files.to_read(name)
    clip = Clip(name)
    until(lambda: clip.trouble)
    clip.stop()
    clip.join()


def test_a_list_of_other_files_is_no_clip(tmp_path):
    (tmp_path / "secret.txt").write_text("mine")
    playlist = tmp_path / "clip.mp4"
    playlist.write_text("ffconcat version 1.0\nfile 'secret.txt'\n")
    clip = Clip(str(playlist))
    until(lambda: clip.trouble)
    clip.stop()
    clip.join()
    assert clip.trouble == "is damaged, or not a video"


def test_pictures_are_jpeg_or_png_of_a_size_that_can_be_borne():
    jpeg = cv2.imencode(".jpg", np.full((36, 64, 3), 90, np.uint8))[1].tobytes()
    png = cv2.imencode(".png", np.full((36, 64, 3), 90, np.uint8))[1].tobytes()
    assert size_of(jpeg) == size_of(png) == (64, 36)
    assert decoded(jpeg).shape == decoded(png).shape == (36, 64, 3)
    bmp = cv2.imencode(".bmp", np.full((36, 64, 3), 90, np.uint8))[1].tobytes()
    huge = png[:16] + (60_000).to_bytes(4, "big") * 2 + png[24:]
    for bad in (b"", bmp, huge, b"GIF89a" + b"\0" * 40, jpeg[:10], b"\xff\xd8\xff" + b"\xff" * 9, b"<svg/>"):
        assert not is_sane(bad)
        assert decoded(bad) is None


RED_DOT = cv2.imencode(".png", np.full((8, 8, 3), (0, 0, 255), np.uint8))[1].tobytes()


def svg(inside: str) -> bytes:
    space = 'xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"'
    return f'<svg {space} viewBox="0 0 1280 720">{inside}</svg>'.encode()


def redness(data: bytes) -> float:
    picture = drawings.still(data, (128, 72))
    return float((picture[..., 2] > 150).mean())


def test_drawings_reach_no_file_whatever_their_encoding(app, tmp_path):
    red = tmp_path / "red.png"
    red.write_bytes(RED_DOT)
    image = f'<image xlink:href="file://{red}" width="1280" height="720"/>'
    import base64

    nested = base64.b64encode(svg(image)).decode()
    tries = [
        svg(image),
        svg(image.replace("xlink:href", "href")),
        svg(image.replace("file://", "")),
        svg(f'<image xlink:href="data:image/svg+xml;base64,{nested}" width="1280" height="720"/>'),
        svg(f'<style>rect{{fill:url(file://{red})}}</style><rect width="1280" height="720"/>'),
        svg(f'<rect style="fill:u\\rl( \'file://{red}\')" width="1280" height="720" fill="none"/>'),
        svg(f'<style>@import "file://{red}";</style>'),
    ]
    for data in tries:
        assert redness(data) == 0
    for encoding in ("utf-16", "utf-16-le", "utf-32"):
        with contextlib.suppress(LocalFault):
            assert redness(svg(image).decode().encode(encoding)) == 0, encoding
    assert QImage(str(red)).width() == 8  # it could have been read


def test_pictures_in_a_drawing_and_uses_of_its_own_parts_are_drawn(app):
    import base64

    held = base64.b64encode(RED_DOT).decode()
    whole = f'<image xlink:href="data:image/png;base64,{held}" width="1280" height="720" preserveAspectRatio="none"/>'
    assert redness(svg(whole)) > 0.9
    part = '<defs><rect id="r" width="1280" height="720" fill="#ff0000"/></defs><use xlink:href="#r"/>'
    assert redness(svg(part)) > 0.9
    plain = '<defs><linearGradient id="g"><stop stop-color="#ff0000"/></linearGradient></defs>'
    assert redness(svg(plain + '<rect width="1280" height="720" fill="url(#g)"/>')) > 0.9
    assert Template(svg(part), "It").filled({}, {})


def test_saving_keeps_a_files_mode_and_follows_a_link(tmp_path):
    path, link = tmp_path / "deep.ribalta", tmp_path / "link.ribalta"
    save(path, StoredShow(small_show()))
    path.chmod(0o600)
    link.symlink_to(path)
    save(link, StoredShow(small_show().model_copy(update={"title": "Again"})))
    assert link.is_symlink()
    assert path.stat().st_mode & 0o777 == 0o600
    assert load(path).show.title == "Again"
