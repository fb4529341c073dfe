"""The stand-ins: true perspective, real dynamics, and an announcement that can be relied on."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.optics.lens import Lens
from ribalta.core.optics.projection import Pose, pan_tilt_to_pixel, point_to_pan_tilt
from ribalta.core.show.document.model import unreachable
from ribalta.core.show.files.storage import files_of, load
from ribalta.demo.clay_cup import FRAMINGS, clay_cup
from ribalta.demo.shipped import SHIPPED
from ribalta.standins.cameras import BUILDS, Build
from ribalta.standins.frames import FrameFile
from ribalta.standins.hall.people import moment
from ribalta.standins.hall.picture import CoarseLayers, HallPicture
from ribalta.standins.hall.plan import POTTERS, WHEEL_Y
from ribalta.standins.hall.room import Room
from ribalta.standins.hall.values import seen
from ribalta.standins.hall.view import Mount, View
from ribalta.standins.head import Head
from ribalta.standins.showing import Showing


@given(
    st.floats(-180, 180), st.floats(-20, 20), st.booleans(), st.floats(-60, 60), st.floats(-30, 60), st.floats(0, 1),
    st.floats(-0.4, 0.4), st.floats(-0.3, 0.3),
)  # fmt: skip
def test_the_desk_and_the_stand_ins_agree_where_a_point_appears(heading, base, hung, pan, tilt, zoom, right, up):
    """Two separate pieces of optics: what one shows at a pixel, the other expects there."""
    pose = Pose(1.0, -2.0, 3.0, heading, base, 0.0, hung)
    lens = Lens.of(((0, 63.7), (1, 4.3)))
    mount = Mount(1.0, -2.0, 3.0, heading, base, hung)
    view = View(mount, pan, tilt, Build(1, "", mount, 63.7).hfov_deg(zoom), 1280, 720)
    assert view.hfov_deg == pytest.approx(lens.hfov_deg(zoom))
    local = np.array([right * 640 / view.focal, 1.0, up * 360 / view.focal]) * 6.0
    point = view.eye + local @ view.axes
    seen = view.flat(view.local(point))
    expected = pan_tilt_to_pixel(*point_to_pan_tilt(pose, *point), Aim(pan, tilt, zoom), lens, hung)
    assert expected == pytest.approx(tuple(seen), abs=0.01)


def test_the_homography_of_a_turn_moves_points_as_the_room_does():
    mount = Mount(0, 0, 2, 20, -3, True)
    a, b = View(mount, 10, 5, 40, 1280, 720), View(mount, 14, 2, 30, 640, 360)
    points = np.array([[3.0, 6.0, 1.0], [2.0, 7.0, 2.5]])
    before, after = a.flat(a.local(points)), b.flat(b.local(points))
    moved = np.c_[before, np.ones(2)] @ a.homography_to(b).T
    assert moved[:, :2] / moved[:, 2:] == pytest.approx(after, abs=0.01)


def test_a_head_arrives_after_a_slight_overshoot_and_stands_still():
    head = Head(BUILDS[0], 0.0)
    head.go(0.0, 40.0, 0.0, 1.0, 1.0)
    path = [head.now(0.01 * k).pan_deg for k in range(300)]
    assert 40.005 < max(path) < 41.5
    assert path[-1] == pytest.approx(40.0, abs=0.002)
    assert 65 < max(b - a for a, b in zip(path, path[20:], strict=False)) * 5 < 82
    assert head.past(3.0, 0.2).pan_deg == pytest.approx(40.0, abs=0.01)


@pytest.fixture(scope="module")
def room():
    return Room()


def painted(room: Room, build_number: int, framing: str, width: int = 480) -> tuple[np.ndarray, View]:
    show = clay_cup()
    camera = show.camera(f"c{build_number}")
    found = next((f for f in show.framings if (f.camera_id, f.name) == (camera.id, framing)), None)
    build = BUILDS[build_number - 1]
    pan, tilt, hfov = (found.pan_deg, found.tilt_deg, camera.lens.hfov_deg(found.zoom)) if found else (0, 0, 66.0)
    view = View(build.mount, pan, tilt, hfov, width, width * 9 // 16)
    out = np.zeros((view.height, view.width, 3), np.uint8)
    HallPicture(room).paint(view, moment(3.0), out)
    return seen(out), view


def test_a_prepared_framing_shows_what_it_is_called(room):
    """The rug of each potter, in that potter's colour, is where the optics say in the wide picture."""
    picture, view = painted(room, 5, "")
    for _, x, colour in POTTERS:
        u, v = view.flat(view.local(np.array([x - 1.37, WHEEL_Y - 1.0, 0.0])))
        blue, green, red = picture[int(v) - 1 : int(v) + 2, int(u) - 1 : int(u) + 3, :3].reshape(-1, 3).max(axis=0)
        seen = np.array([red, green, blue], float)
        assert np.argmax(seen) == np.argmax(colour)


def test_people_move_and_the_room_does_not(room):
    picture = HallPicture(room)
    view = painted(room, 2, "Bram", 480)[1]
    a, b = (np.zeros((270, 480, 3), np.uint8) for _ in range(2))
    picture.paint(view, moment(3.0), a)
    picture.paint(view, moment(5.0), b)
    moved = np.abs(a.astype(int) - b).max(axis=2) > 12
    assert 0.005 < moved.mean() < 0.4
    assert not moved[:, :60].any()


def test_the_shipped_show_is_the_one_the_code_makes_and_all_of_it_can_be_reached():
    stored = load(SHIPPED)
    assert stored.show == clay_cup()
    assert stored.warnings == ()
    assert unreachable(stored.show) == ()
    assert sum(len(row) for row in FRAMINGS.values()) >= 24
    assert stored.pictures.keys() == files_of(stored.show).keys()


def test_a_machine_that_passes_every_other_frame_over_starves_no_camera(room, tmp_path, monkeypatch):
    """It was the turn of half of the cameras at even frames only: on a busy machine their pictures stood still."""
    monkeypatch.setattr("ribalta.standins.frames.FOLDER", tmp_path)
    for build in BUILDS[4:6]:
        file = FrameFile(f"camera-{build.number}")
        showing = Showing(build, file, HallPicture(room), HallPicture(room), CoarseLayers(room, build.mount, ()))
        for tick in (0, 2, 4, 7, 9, 12):
            showing.show(10.0 + tick * 0.04, moment(float(tick)), tick)
        number, _ = file.latest(1)
        assert number == 6
        file.close()
