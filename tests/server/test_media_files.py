"""What is brought into the bin: pictures, clips, slides and a PDF, tried first and bounded."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPdfWriter

from ribalta.core.base.faults import LocalFault
from ribalta.server.import_export.media_files import bring
from ribalta.server.import_export.transfers import Transfers
from ribalta.server.program_host import ProgramHost
from tests.desk.hand_wound import AtOnce
from tests.media.test_bin import write_clip
from tests.server.test_camera_jobs import Desk

SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 9"><text data-field="name">A</text></svg>'


def picture(path: Path, level: int = 90) -> Path:
    cv2.imwrite(str(path), np.full((36, 64, 3), level, np.uint8))
    return path


def document(path: Path, pages: int) -> Path:
    writer = QPdfWriter(str(path))
    painter = QPainter(writer)
    for k in range(pages):
        if k:
            writer.newPage()
        painter.fillRect(QRectF(0, 0, writer.width() / 2, writer.height()), 7)
    painter.end()
    return path


def test_pictures_clips_and_folders_become_what_the_bin_keeps(app, tmp_path):
    still = bring(picture(tmp_path / "logo.png"))
    assert (still.name, still.kind, len(still.files)) == ("logo", "still", 1)
    assert bring(picture(tmp_path / "again.png")).files == still.files  # the same picture, the same name
    (tmp_path / "empty.mkv").write_bytes(b"")
    assert bring(tmp_path / "empty.mkv").files == {}  # it is said when it is opened
    write_clip(tmp_path / "clip.mkv", 12)
    clip = bring(tmp_path / "clip.mkv")
    assert (clip.kind, clip.path) == ("clip", str((tmp_path / "clip.mkv").resolve()))
    poster = cv2.imdecode(np.frombuffer(next(iter(clip.files.values())), np.uint8), cv2.IMREAD_COLOR)
    assert poster.shape == (36, 64, 3)
    assert abs(float(poster.mean()) - 30) < 12  # a tenth in: its first or second frame
    folder = tmp_path / "slides"
    folder.mkdir()
    for k in (2, 1):
        picture(folder / f"{k}.jpg", 40 * k)
    (folder / "notes.txt").touch()
    deck = bring(folder)
    assert (deck.kind, deck.name, len(deck.files)) == ("deck", "slides", 2)
    assert deck.arguments["files"] == list(deck.files)


def test_a_pdf_becomes_slides_in_order(app, tmp_path):
    deck = bring(document(tmp_path / "talk.pdf", 3))
    assert deck.kind == "deck"
    assert [name[:4] for name in deck.files] == ["s001", "s002", "s003"]
    assert all(data[:2] == b"\xff\xd8" for data in deck.files.values())


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("a.png", b"junk", "not a PNG"),
        ("a.svg", b"<svg", "damaged"),
        ("a.pdf", b"junk", "damaged"),
        ("a.doc", b"", "is not a picture"),
        ("a.jpg", b"\xff\xd8" + b"\0" * (25 * 1024 * 1024), "too large"),
        ("none.png", None, "cannot be read"),
        ("none.mkv", None, "is not there"),
        ("empty", None, "has no pictures"),
    ],
)
def test_what_cannot_be_used_says_why(app, tmp_path, name, content, said):
    path = tmp_path / name
    if content is not None:
        path.write_bytes(content)
    elif name == "empty":
        path.mkdir()
    with pytest.raises(LocalFault, match=said):
        bring(path)


def test_media_titles_and_rows_are_brought_into_the_show(app, tmp_path):
    desk, kept = Desk(), {}
    transfers = Transfers(desk, AtOnce(), kept.update)
    (tmp_path / "title.svg").write_text(SVG)
    (tmp_path / "rows.csv").write_text("name\nInes\nBram\n\n")
    transfers.bring_in_media([picture(tmp_path / "a.png"), tmp_path / "b.png"])
    transfers.bring_in_title(tmp_path / "title.svg")
    assert [m.name for m in desk.state.show.media] == ["a"]
    title = desk.state.show.titles[0]
    assert title.values == {"name": "A"}
    assert kept[title.template] == SVG.encode()
    transfers.bring_in_rows(title.id, tmp_path / "rows.csv")
    assert desk.state.show.titles[0].values["name"] == "Ines"
    transfers.bring_in_rows(title.id, tmp_path / "none.csv")
    transfers.bring_in_title(tmp_path / "none.svg")
    transfers.bring_in_title(tmp_path / "title.mkv")
    said = [notice.sentence for notice in desk.said]
    assert sum("cannot be read" in sentence for sentence in said) == 3
    assert "is not there" in said[-1]
    assert all(isinstance(names, list) for names in ProgramHost.sound_devices())
