"""Framings as a table: what is written is read again; what is wrong with a row is said, and the rest is kept."""

from pathlib import Path

import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import ShotSize
from ribalta.core.show.files.framing_table import COLUMNS, read_table, rows_of, write_table
from ribalta.demo.clay_cup import clay_cup

HEADER = ",".join(COLUMNS)


def test_a_table_is_read_as_it_was_written(tmp_path):
    show = clay_cup()
    changed = show.framings[1].model_copy(
        update={"name": 'A "quoted", name', "rating": 41, "kept": (("focus.mode", "manual"), ("focus", 0x4321))}
    )
    rows = rows_of(show.with_framing(changed))
    path = tmp_path / "framings.csv"
    path.write_text(write_table(rows), encoding="utf-8", newline="")
    table = read_table(path)
    assert table.left_out == ()
    assert len(table.rows) == len(show.framings)
    for one, other in zip(rows, table.rows, strict=True):
        assert (one.camera, one.slot, one.name, one.marks, one.size) == (
            other.camera,
            other.slot,
            other.name,
            other.marks,
            other.size,
        )
        assert one.pan_deg == pytest.approx(other.pan_deg, abs=1e-4)
        assert (one.rating, one.kept, one.protected, one.picture) == (
            other.rating,
            other.kept,
            other.protected,
            other.picture,
        )


def test_bad_rows_are_named_and_good_ones_kept(tmp_path):
    path = tmp_path / "some.csv"
    rows = (
        "1,1,Q,Good,10,-5,0.5,Ann; Bea,close-up,yes,50,20000,",
        "1,1,Z,Letter,10,-5,0.5,,,,,,",
        "1,1,W,Zoom,10,-5,1.5,,,,,,",
        "1,1,W,Pan,far,-5,0.5,,,,,,",
        "1,1,W,Size,10,-5,0.5,,huge,,,,",
        "0,1,W,Camera,10,-5,0.5,,,,,,",
        ",,,,,,,,,,,,",
        "1,,,Loose,10,-5,0.5,,,,,automatic,",
        '1,1,W,,10,-5,0.5,,,,,"",',
        "1,1,W,Focus,1,1,0.5,,,,,99,",
    )
    path.write_text("\n".join((HEADER, *rows)), encoding="utf-8")
    table = read_table(path)
    assert [r.name for r in table.rows] == ["Good", "Loose"]
    good, loose = table.rows
    assert (good.marks, good.size, good.protected, good.rating) == (("Ann", "Bea"), ShotSize.CLOSE_UP, True, 50)
    assert good.kept == (("focus.mode", "manual"), ("focus", 20000))
    assert (loose.slot, loose.kept) == (None, (("focus.mode", "automatic"),))
    said = " ".join(table.left_out)
    for part in (
        "Row 3: letter “Z”",
        "Row 4: zoom",
        "Row 5: pan_deg “far”",
        "Row 6: size “huge”",
        "Row 7: camera",
        "Row 11",
    ):
        assert part in said


@pytest.mark.parametrize(
    ("content", "said"),
    [(b"\xff\xfe\x00", "UTF-8"), (b"", "no column camera"), (b"name,x\nA,1\n", "no column"), (b'"a', "no column")],
)
def test_a_file_that_is_no_table_is_refused(tmp_path, content, said):
    path = tmp_path / "bad.csv"
    path.write_bytes(content)
    with pytest.raises(LocalFault, match=said):
        read_table(path)
    with pytest.raises(LocalFault, match="cannot be read"):
        read_table(Path(tmp_path / "missing.csv"))
