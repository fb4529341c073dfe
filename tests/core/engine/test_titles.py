"""Titles, rows, slides and clips: what is in them, and what is refused."""

import base64
import json

import cv2
import numpy as np
import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.messages import OutputEnded
from ribalta.core.ports.shots import VIRTUAL, Shot
from ribalta.core.show.document.scenes import Medium, Title
from ribalta.core.show.document.templates import MOST_PARTS, Template, countdown_words, shipped, shipped_names
from ribalta.core.show.files.title_rows import read_rows
from tests.core.hand_wound import Hall, small_show

SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720">{}</svg>'


@pytest.fixture
def hall() -> Hall:
    media = (
        Medium(id="b1", name="Sponsor", files=("a.png",)),
        Medium(id="b2", name="Film", kind="clip", path="/film.mkv"),
        Medium(id="b3", name="Slides", kind="deck", files=("1.jpg", "2.jpg", "3.jpg")),
    )
    titles = (Title(id="t1", name="Potter", template="lower third", fields=(("name", "Ines"), ("what", "Clay"))),)
    return Hall(small_show().model_copy(update={"media": media, "titles": titles}))


def test_every_shipped_drawing_has_fields_or_counts_and_can_be_filled():
    for name in shipped_names():
        template = shipped(name)
        assert template.fields or template.counts_down
        values = {field.name: f"<{field.name} & more>" for field in template.fields}
        again = Template(template.filled(values, {}, "1:00"), name)
        assert {f.name: f.text for f in again.fields} == values
        assert Template(template.filled({}, {}), name).fields == template.fields  # filling left nothing behind


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"\x89PNG", "not an SVG"),
        (b"<svg", "damaged"),
        (b"<html/>", "not an SVG"),
        (b'<!DOCTYPE a [<!ENTITY b "c">]><svg xmlns="http://www.w3.org/2000/svg"/>', "damaged"),
        (SVG.format("<g/>" * (MOST_PARTS + 1)).encode(), "parts"),
        (b" " * (3 * 1024 * 1024), "too large"),
    ],
)
def test_a_drawing_that_is_none_is_refused_with_a_sentence(data, said):
    with pytest.raises(LocalFault, match=said):
        Template(data, "The drawing")


def test_nothing_in_a_drawing_is_fetched_or_run():
    held = base64.b64encode(cv2.imencode(".png", np.zeros((4, 4, 3), np.uint8))[1].tobytes()).decode()
    whole = f'<image href="data:image/png;base64,{held}"/><image href="data:image/png;base64,AA"/>'
    bad = f'<image href="file:///etc/passwd"/><script/><foreignObject/>{whole}'
    data = Template(SVG.format(bad).encode(), "x").filled({}, {}).decode()
    assert "passwd" not in data
    assert "script" not in data
    assert data.count("data:image") == 1
    assert Template(SVG.format("").encode(), "x").fields == ()


def test_a_countdown_says_minutes_and_seconds():
    assert [countdown_words(s) for s in (0, -5, 0.2, 59.9, 61, 3725)] == [
        "0:00",
        "0:00",
        "0:01",
        "1:00",
        "1:01",
        "1:02:05",
    ]


def test_rows_come_from_tables_and_json(tmp_path):
    table = tmp_path / "a.csv"
    table.write_text("name;what\nInes;Clay\n;\nBram;Glaze\n" + "x" * 500 + ";long\n", "utf-8-sig")
    rows, said = read_rows(table)
    assert [dict(r)["name"][:4] for r in rows] == ["Ines", "Bram", "xxxx"]
    assert len(dict(rows[2])["name"]) == 400
    assert "empty" in said[0]
    assert "cut" in said[1]
    listed = tmp_path / "a.json"
    listed.write_text(json.dumps([{"name": "Suri", "points": 3}, 7]))
    rows, said = read_rows(listed)
    assert rows == ((("name", "Suri"), ("points", "3")),)
    assert len(said) == 1


@pytest.mark.parametrize("content", [b"", b"name\n", b"\xff\xfe\x00", b"{}"])
def test_a_file_without_rows_is_refused(tmp_path, content):
    path = tmp_path / ("a.json" if content == b"{}" else "a.csv")
    path.write_bytes(content)
    with pytest.raises(LocalFault):
        read_rows(path)
    with pytest.raises(LocalFault, match="cannot be read"):
        read_rows(tmp_path / "none.csv")


def test_a_changed_title_knows_when_and_can_be_undone(hall):
    hall.act("title.change", title="t1", fields={"name": "Ines Vale"})
    title = hall.state.show.titled("t1")
    assert title.values == {"name": "Ines Vale", "what": "Clay"}
    assert title.changed_at_s == pytest.approx(hall.clock.now_s() + hall.state.wall_clock.offset_s)
    hall.act("title.change", title="t1", moves="rise")
    hall.press("Ctrl+Z", "Ctrl+Z")
    assert hall.state.show.titled("t1").values["name"] == "Ines"


def test_rows_are_gone_through_by_step_number_and_name(hall):
    hall.act("title.row", title="t1", by=1)
    assert "has no rows" in hall.sentences[-1]
    rows = [[("name", n), ("what", w)] for n, w in (("Ines", "Clay"), ("Bram", "Glaze"), ("Suri", "Fire"))]
    hall.act("title.rows", title="t1", rows=rows)
    hall.act("title.row", title="t1", by=1)
    assert hall.state.show.titled("t1").values == {"name": "Bram", "what": "Glaze"}
    hall.act("title.row", title="t1", to=3)
    hall.act("title.row", title="t1", by=1)
    assert "at its last row" in hall.sentences[-1]
    hall.act("title.row", title="t1", named="bra")
    assert hall.state.show.titled("t1").row == 1
    hall.act("title.row", title="t1", named="nobody")
    assert "No row" in hall.sentences[-1]


def test_a_title_that_is_used_is_not_removed(hall):
    hall.act("title.switch", title="t1")
    hall.act("title.remove", title="t1")
    assert "on air" in hall.sentences[-1]
    hall.act("title.change", title="t1", layer=2)
    assert "take it off" in hall.sentences[-1]
    hall.press("0", "Shift+Q", "Y")
    hall.act("title.remove", title="t1")
    assert "used in the scene" in hall.sentences[-1]
    hall.act("scene.title", scene=1, layer=1, title=None)
    hall.act("title.remove", title="t1")
    assert hall.state.show.titles == ()


def test_media_are_readied_and_taken_like_any_shot(hall):
    hall.act("medium.ready", medium="b1")
    hall.press("Space")
    assert hall.state.program.on_air == Shot("", None, "b1")
    assert (hall.records[-1].landed, hall.records[-1].framing_name) == (True, "Sponsor")
    hall.act("medium.remove", medium="b1")
    assert "on air or Next" in hall.sentences[-1]
    hall.press("4", "Space")
    hall.act("medium.remove", medium="b1")
    assert hall.state.show.medium("b1") is None
    hall.press("Ctrl+Z")
    assert hall.state.show.medium("b1") is not None


def test_a_clip_plays_from_its_beginning_on_air_and_clear_goes_to_the_cover_shot(hall):
    hall.act("medium.ready", medium="b2")
    assert hall.state.medium("b2").started_s is None
    hall.press("Shift+Space")
    began_s = hall.clock.now_s()
    hall.turn(2)
    assert hall.state.medium("b2").started_s == pytest.approx(began_s)
    hall.press("Y")
    assert hall.state.program.on_air == Shot("c4")
    assert hall.state.medium("b2").started_s is None


def test_a_clip_in_an_inset_plays_while_that_is_on(hall):
    hall.act("inset.change", slot=1, medium="b2")
    hall.press("Ctrl+1")
    assert hall.state.medium("b2").started_s == pytest.approx(hall.clock.now_s())
    hall.press("Ctrl+1")
    assert hall.state.medium("b2").started_s is None


def test_slides_stop_at_their_ends(hall):
    hall.press("]", "]", "]")
    assert hall.state.medium("b3").slide == 2
    assert "at its last slide" in hall.sentences[-1]
    hall.act("slide", to=1)
    hall.press("[")
    assert "at its first slide" in hall.sentences[-1]


def test_an_undo_takes_back_a_scene_that_is_queued(hall):
    hall.press("0", "Shift+Q", "4", "Ctrl+Z")
    assert hall.state.show.scenes == ()
    assert hall.state.program.then == ()


def test_a_clip_is_heard_or_not_and_nothing_else_has_a_sound(hall):
    hall.act("medium.heard", medium="b2", heard=False)
    assert not hall.state.show.medium("b2").heard
    assert "is not heard" in hall.sentences[-1]
    hall.act("medium.heard", medium="b3", heard=True)
    assert hall.sentences[-1] == "“Slides” has no sound: only clips have."
    hall.press("Ctrl+Z")
    assert hall.state.show.medium("b2").heard


def test_an_output_that_could_not_begin_says_why_in_its_own_words(hall):
    hall.act("virtual_camera", on=True)
    assert hall.state.output(VIRTUAL).on
    hall.engine.report(OutputEnded(VIRTUAL, "This machine has no virtual camera", began=False), hall.clock.now_s())
    hall._serve()
    assert not hall.state.output(VIRTUAL).on
    assert hall.sentences[-1] == "This machine has no virtual camera."
