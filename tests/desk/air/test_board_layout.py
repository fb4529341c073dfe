"""Where things lie on the board, and that names are whole there."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QRectF
from PySide6.QtGui import QFontMetrics, QImage, QPainter

from ribalta.core.show.document.model import LETTERS, Camera
from ribalta.desk.air.heads import Head, paint_corner, paint_head
from ribalta.desk.air.layout import SCENES, TilePlace, caption, laid_out
from ribalta.desk.painting import look
from ribalta.desk.painting.two_lines import broken
from ribalta.desk.widgets.footlights import Tally
from tests.core.hand_wound import small_show
from tests.desk.air.test_air_parts import count, pixels_of

NAME_OF_20 = "Kamera Orgelempore N"


def cameras(steered: int, fixed: int) -> tuple[Camera, ...]:
    """Those of the small show, over and over, with numbers from 1."""
    known = small_show().cameras
    heads, others = [c for c in known if c.steered], [c for c in known if not c.steered]
    those = [heads[k % len(heads)] for k in range(steered)] + [others[0]] * fixed
    return tuple(c.model_copy(update={"id": f"c{k}", "number": k}) for k, c in enumerate(those, 1))


@given(st.integers(1, 24), st.integers(0, 5), st.integers(0, 10), st.integers(860, 2600), st.integers(330, 1400))
def test_nothing_on_the_board_overlaps_and_every_place_is_where_it_is_pressed(steered, fixed, scenes, width, height):
    those = cameras(steered, fixed)
    layout = laid_out(those, those[0], scenes, width, height)
    areas = [*layout.tiles.values(), *layout.heads.values(), *layout.words.values()]
    assert not any(a.intersects(b) for i, a in enumerate(areas) for b in areas[i + 1 :])
    assert all(
        QRectF(0, 0, width, height).adjusted(-1, -1, 1, 1).contains(area) for area in areas if not area.isEmpty()
    )
    assert {place.camera for place in layout.heads} == {c.number for c in those} | {SCENES}
    for place, area in (*layout.tiles.items(), *layout.heads.items()):
        if not area.isEmpty():
            assert layout.place_at(area.center()) == place
    framed = {place.camera for place in layout.tiles} - {SCENES}
    assert framed == ({1} if layout.wall else set(range(1, steered + 1)))
    shown = [area for place, area in layout.tiles.items() if place.camera != SCENES]
    assert min(area.height() for area in shown) - caption() >= 45
    assert min(area.width() for area in shown) >= (84 if steered > 16 else 90)


def test_beside_the_wall_stand_the_framings_of_the_selected_camera_or_the_scenes():
    those = cameras(9, 1)
    assert {p.camera for p in laid_out(those, those[4], 2, 1069, 400).tiles} == {5, SCENES}
    scenes = laid_out(those, None, 2, 1069, 400)
    assert {p.camera for p in scenes.tiles} == {SCENES}
    assert len(scenes.tiles) == len(LETTERS)
    rows = laid_out(cameras(4, 2), None, 2, 1660, 560)
    assert not rows.wall
    assert rows.area_of(TilePlace(9, "Q")) is None


@given(st.text(st.characters(categories=("L", "N", "P", "Zs"), max_codepoint=0x24F), min_size=1, max_size=20))
def test_a_name_of_twenty_letters_is_whole_on_two_lines_of_a_tile(app, name):
    metrics = QFontMetrics(look.font(14, look.MEDIUM, narrow=True))
    widest = max(metrics.horizontalAdvance(letter) for letter in name)
    lines = broken(name, metrics, metrics.horizontalAdvance(name) / 2 + widest + 2)
    assert len(lines) <= 2
    assert "".join("".join(lines).split()) == "".join(name.split())


@pytest.mark.parametrize("size", [(896, 347), (1068, 402), (1708, 682)])  # at 1100x700, 1280x800 and 1920x1080
@pytest.mark.parametrize("steered", [8, 14, 24])
@pytest.mark.parametrize(("words", "wrong", "status"), [("ON AIR", "", ""), ("", "no contact", ""), ("", "", "at W"),
                                                        ("ON AIR", "no contact", "")])  # fmt: skip
def test_a_name_of_twenty_letters_is_whole_on_a_head_of_the_wall_whatever_else_it_says(
    app, monkeypatch, size, steered, words, wrong, status
):
    layout = laid_out(cameras(steered, 0), cameras(1, 0)[0], 3, *size)
    place = TilePlace(1)
    area, live = layout.heads[place], layout.live_area(place)
    assert live.width() >= 40
    drawn: list[tuple[QRectF, str]] = []
    monkeypatch.setattr(
        "ribalta.desk.air.heads.two_lines", lambda painter, area, name, pitch: drawn.append((area, pitch))
    )
    tally = Tally.ON_AIR if words else Tally.NONE
    head = Head(1, NAME_OF_20, False, "", tally, words, status, wrong)
    picture = QImage(int(area.right()) + 4, int(area.bottom()) + 4, QImage.Format.Format_RGB32)
    painter = QPainter(picture)
    painter.fillRect(picture.rect(), look.NIGHT)
    paint_head(painter, area, live, head, False)
    paint_corner(painter, area, live, head)
    painter.end()
    said = look.RED if words else look.WRONG if wrong else look.LAMP_WARM
    assert count(pixels_of(picture), said) > 20, "how it is is said, too"
    assert drawn, "the name has its two lines"
    room, pitch = drawn[0]
    metrics = QFontMetrics(look.font(14, look.MEDIUM, narrow=True))
    assert "…" not in "".join(broken(NAME_OF_20, metrics, room.width()))
    assert room.height() >= 2 * pitch - 1
    assert pitch >= metrics.tightBoundingRect("Äg").height() - 2
