"""Framings with their pictures, out to a folder and in again, and from another show."""

import cv2
import numpy as np
import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.shipped import SHIPPED
from ribalta.server.import_export import framing_files


def test_framings_and_pictures_go_out_and_come_in_again(tmp_path):
    stored = load(SHIPPED)
    path = tmp_path / "cup.csv"
    framing_files.write_out(path, stored.show, stored.pictures)
    assert len(list((tmp_path / "cup pictures").glob("*.jpg"))) == len(stored.show.framings)
    found = framing_files.read_in(path)
    assert found.left_out == ()
    assert [f["name"] for f in found.framings] == [f.name for f in stored.show.framings]
    assert set(found.pictures.values()) == {stored.pictures[f.picture] for f in stored.show.framings}
    assert all(f["picture"] in found.pictures for f in found.framings)


def test_another_show_gives_its_framings_and_an_empty_one_says_so(tmp_path):
    stored = load(SHIPPED)
    found = framing_files.copy_from(SHIPPED)
    assert len(found.framings) == len(stored.show.framings)
    assert found.framings[1]["marks"] == ("Ines",)
    empty = tmp_path / "empty.ribalta"
    save(empty, StoredShow(stored.show.model_copy(update={"framings": ()})))
    with pytest.raises(LocalFault, match="no framings"):
        framing_files.copy_from(empty)


def test_a_picture_that_is_none_or_lies_elsewhere_is_left_out_and_said(tmp_path):
    (tmp_path / "not.jpg").write_text("hello")
    cv2.imwrite(str(tmp_path / "fine.png"), np.zeros((90, 160, 3), np.uint8))
    rows = [
        f"1,View {k},0,0,0.5,{name}" for k, name in enumerate(("not.jpg", "fine.png", "../../etc/passwd", "gone.jpg"))
    ]
    (tmp_path / "some.csv").write_text("\n".join(("camera,name,pan_deg,tilt_deg,zoom_0_to_1,picture", *rows)))
    found = framing_files.read_in(tmp_path / "some.csv")
    assert [f["picture"] is not None for f in found.framings] == [False, True, False, False]
    said = " ".join(found.left_out)
    for part in ("not a picture", "outside the table's folder", "gone.jpg cannot be read"):
        assert part in said
    assert next(iter(found.pictures.values()))[:2] == b"\xff\xd8"
    with pytest.raises(LocalFault, match="cannot be written"):
        framing_files.write_out(tmp_path / "no such folder" / "x.csv", load(SHIPPED).show, {})
