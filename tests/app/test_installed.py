"""What a desktop sees of Ribalta: thumbnails of shows, and files that its standards ask for."""

import configparser
from pathlib import Path
from xml.etree import ElementTree

import cv2
import pytest

import ribalta
from ribalta.app.cli import main
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow, save
from ribalta.demo.shipped import SHIPPED

PACKAGING = Path(ribalta.__file__).resolve().parents[2] / "packaging"


@pytest.mark.parametrize("size", [64, 256])
def test_a_show_has_a_thumbnail_and_an_empty_one_too(tmp_path, size):
    out = tmp_path / "small.png"
    assert main(["thumbnail", str(SHIPPED), str(out), "--size", str(size)]) == 0
    picture = cv2.imread(str(out))
    assert picture.shape[1] == size
    assert picture.std() > 20  # there is something to see
    empty = tmp_path / "empty.ribalta"
    save(empty, StoredShow(Show(title="Nothing yet"), {}))
    assert main(["thumbnail", str(empty), str(out), "--size", str(size)]) == 0
    assert cv2.imread(str(out)).shape[1] == size


def test_what_is_no_show_has_no_thumbnail_but_a_sentence(tmp_path, capsys):
    wrong = tmp_path / "wrong.ribalta"
    wrong.write_bytes(b"PK nonsense")
    assert main(["thumbnail", str(wrong), str(tmp_path / "out.png")]) == 2
    assert "wrong.ribalta" in capsys.readouterr().err
    assert main(["thumbnail", str(SHIPPED), "/nowhere/out.png"]) == 2
    assert "cannot be written" in capsys.readouterr().err


def test_the_files_for_desktops_agree_with_each_other():
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(PACKAGING / "ribalta.desktop")
    desktop = entry["Desktop Entry"]
    kind = desktop["MimeType"].strip(";")
    mime = ElementTree.parse(PACKAGING / "ribalta.xml").getroot()
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    assert mime.find(f"{space}mime-type").attrib["type"] == kind
    assert mime.find(f".//{space}glob").attrib["pattern"] == "*.ribalta"
    info = ElementTree.parse(next(PACKAGING.glob("*.metainfo.xml"))).getroot()
    assert info.find("launchable").text == "ribalta.desktop"
    assert info.find("provides/mediatype").text == kind
    assert info.find("releases/release").attrib["version"] == ribalta.__version__
    assert kind in (PACKAGING / "ribalta.thumbnailer").read_text()
    for line in (desktop["Exec"], entry["Desktop Action demo"]["Exec"]):
        assert line.split()[:2] in (["ribalta", "open"], ["ribalta", "demo"])
