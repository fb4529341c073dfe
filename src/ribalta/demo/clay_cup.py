"""The Clay Cup show: six cameras, their framings and marks, as a crew would have prepared them.

The framings are aimed by the desk's own optics at points of the room. `python -m ribalta.demo.clay_cup FILE`
writes the show with pictures drawn by the stand-ins; the file in this folder was made that way.
"""

import os
import sys
from dataclasses import dataclass, replace
from math import atan, degrees, dist
from pathlib import Path

import cv2
import numpy as np

from ribalta.core.engine.state.live import opening_state
from ribalta.core.optics.projection import point_to_pan_tilt
from ribalta.core.picture.colours import image_of, picture_of
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import (
    LETTERS,
    Axis,
    Camera,
    Control,
    Framing,
    Head,
    Mark,
    Obstacle,
    PictureSource,
    Place,
    Settings,
    ShotSize,
    Show,
)
from ribalta.core.show.document.scenes import Scene, Source
from ribalta.core.show.document.settings import SETTINGS
from ribalta.core.show.document.sound import Microphone
from ribalta.core.show.document.templates import shipped
from ribalta.core.show.files.storage import StoredShow, save
from ribalta.demo import evening
from ribalta.demo.crew import with_lists
from ribalta.demo.cues import with_cues
from ribalta.media.library.drawing_process import DrawingProcess
from ribalta.media.program.composer import Composer
from ribalta.standins.cameras import BUILDS, Build
from ribalta.standins.hall.people import moment
from ribalta.standins.hall.picture import HallPicture
from ribalta.standins.hall.plan import (
    BENCH_TOP,
    BENCH_X,
    BENCH_Y,
    HOST_SPOTS,
    JURORS,
    JURY_X,
    POTTERS,
    TABLE_TOP,
    TABLE_X,
)
from ribalta.standins.hall.room import Room
from ribalta.standins.hall.values import seen
from ribalta.standins.hall.view import View

PICTURED_AT_S = 1795449600.0  # the evening before the final


@dataclass(frozen=True)
class Aimed:
    """A framing as a crew thinks of it: a point of the room in the middle, and how many metres wide it is there."""

    letter: str
    name: str
    point: tuple[float, float, float]
    wide_m: float
    size: ShotSize
    mark: str | None = None
    protected: bool = False
    more: tuple[str, ...] = ()


S = ShotSize
X = {name.split()[0].title(): x for name, x, _ in POTTERS}
LEFT_SPOT, RIGHT_SPOT = ((x, y, 1.45) for x, y in HOST_SPOTS)


def _potter(letter: str, name: str, wide_m: float, size: ShotSize, z: float = 1.2) -> Aimed:
    return Aimed(letter, name, (X[name], 2.9, z), wide_m, size, name)


def _hands(letter: str, name: str, above: bool = False) -> Aimed:
    what = "wheel" if above else "hands"
    return Aimed(letter, f"{name} {what}", (X[name], 2.5, 0.84), 1.9 if above else 0.95, S.DETAIL, name)


def _juror(letter: str, i: int) -> Aimed:
    surname = JURORS[i][0].split()[-1].title()
    return Aimed(letter, f"{surname} close", (JURY_X - 0.1, JURORS[i][1], 1.25), 1.1, S.CLOSE_UP, surname)


def _host(letter: str, spot: str, wide_m: float) -> Aimed:
    point = LEFT_SPOT if spot == "left" else RIGHT_SPOT
    return Aimed(letter, f"Host {spot} spot", point, wide_m, S.MEDIUM, f"Host {spot}")


FRAMINGS: dict[int, tuple[Aimed, ...]] = {
    1: (
        Aimed("Q", "Ines and Bram", (-3.2, 2.6, 1.0), 6.4, S.WIDE, "Ines", more=("Bram",)),
        _potter("W", "Ines", 1.7, S.MEDIUM),
        _hands("E", "Ines"),
        Aimed("R", "Jury table", (JURY_X - 0.5, -2.0, 1.05), 4.9, S.WIDE, "Marrow", True, ("Adeyo", "Quint")),
        _juror("T", 0),
        _juror("A", 1),
        _juror("S", 2),
        _host("D", "right", 1.7),
        Aimed("F", "Kiln door", (-6.8, 5.4, 1.0), 3.2, S.DETAIL),
    ),
    2: (
        Aimed("Q", "All four wheels", (0.0, 2.6, 1.1), 11.6, S.WIDE, "Ines", True, ("Bram", "Suri", "Jory")),
        _potter("W", "Bram", 1.7, S.MEDIUM),
        _potter("R", "Suri", 1.7, S.MEDIUM),  # E is left free, to try storing on
        _hands("T", "Bram"),
        _host("A", "left", 1.5),
        _host("S", "right", 1.5),
        Aimed("D", "Scoreboard", (0.0, 7.9, 3.6), 4.0, S.DETAIL),
        Aimed("F", "Bram close", (X["Bram"], 2.95, 1.3), 0.8, S.CLOSE_UP, "Bram"),
        _hands("G", "Suri"),
    ),
    3: (
        Aimed("Q", "Suri and Jory", (3.2, 2.6, 1.0), 6.2, S.WIDE, "Suri", more=("Jory",)),
        _potter("W", "Jory", 1.6, S.MEDIUM),
        _hands("E", "Jory"),
        Aimed("R", "Jory close", (X["Jory"], 2.95, 1.3), 0.8, S.CLOSE_UP, "Jory"),
        Aimed("T", "Finished pieces", (6.6, 7.5, 1.6), 3.6, S.DETAIL),
        Aimed("A", "Suri close", (X["Suri"], 2.95, 1.3), 0.8, S.CLOSE_UP, "Suri"),
        Aimed("S", "Kiln", (-7.4, 6.3, 1.5), 4.6, S.WIDE),
    ),
    4: (
        Aimed("Q", "Two wheels from above", (0.0, 2.5, 0.7), 5.6, S.WIDE),
        _hands("W", "Ines", above=True),
        _hands("E", "Bram", above=True),
        _hands("R", "Suri", above=True),
        _hands("T", "Jory", above=True),
        Aimed("A", "Jury from above", (JURY_X - 0.6, -2.0, 0.9), 4.6, S.WIDE, "Marrow", more=("Adeyo", "Quint")),
    ),
}
AT_THE_TABLE = (  # for following the jury's voices; they come last, so that the numbers of the others stay
    (4, Aimed("D", "Marrow and Adeyo", (JURY_X - 0.1, -1.3, 1.2), 2.4, S.MEDIUM, "Marrow", more=("Adeyo",))),
    (3, Aimed("D", "Quint at the table", (JURY_X - 0.1, JURORS[2][1], 1.2), 1.1, S.MEDIUM_CLOSE_UP, "Quint")),
    (4, Aimed("F", "Adeyo and Quint", (JURY_X - 0.1, -2.7, 1.2), 2.6, S.MEDIUM, "Adeyo", more=("Quint",))),
    (3, Aimed("F", "Adeyo at the table", (JURY_X - 0.1, JURORS[1][1], 1.2), 1.1, S.MEDIUM_CLOSE_UP, "Adeyo")),
    (4, Aimed("S", "Marrow from above", (JURY_X - 0.1, JURORS[0][1], 1.2), 1.6, S.MEDIUM, "Marrow")),
)


def _head(build: Build) -> Head | None:
    """What the crew would have measured of a camera beforehand."""
    if build.pan is None or build.tilt is None or build.zoom is None:
        return None
    return Head(
        pan=Axis(speed=build.pan.speed, acceleration=build.pan.acceleration),
        tilt=Axis(speed=build.tilt.speed, acceleration=build.tilt.acceleration),
        zoom=Axis(speed=build.zoom.speed, acceleration=build.zoom.acceleration),
        memories=64,
        settings=tuple(setting.id for setting in SETTINGS),
    )


def _camera(build: Build) -> Camera:
    mount = build.mount
    zooms = [k / 10 for k in range(11)] if build.steered else [0.0, 1.0]
    table = tuple((zoom, round(build.hfov_deg(zoom), 2)) for zoom in zooms)
    return Camera(
        id=f"c{build.number}",
        number=build.number,
        name=build.name,
        place=Place(
            x_m=mount.x_m,
            y_m=mount.y_m,
            z_m=mount.z_m,
            heading_deg=mount.heading_deg,
            tilt_deg=mount.tilt_deg,
            hung=mount.hung,
        ),
        zoom_table=table,
        head=_head(build),
        control=Control() if build.steered else None,
        picture=PictureSource(name=f"ribalta-demo-{build.number}", delay_s=0.16),
    )


def _framing(number: int, camera: Camera, aimed: Aimed, marks: dict[str, Mark]) -> Framing:
    pan, tilt = point_to_pan_tilt(camera.place.pose, *aimed.point)
    away = dist(aimed.point, (camera.place.x_m, camera.place.y_m, camera.place.z_m))
    zoom = camera.lens.zoom_for(degrees(2 * atan(aimed.wide_m / 2 / away)))
    mark = marks.get(aimed.mark or "")
    return Framing(
        id=f"f{number}",
        camera_id=camera.id,
        slot=LETTERS.index(aimed.letter),
        name=aimed.name,
        pan_deg=round(pan, 2),
        tilt_deg=round(tilt, 2),
        zoom=round(zoom, 4),
        mark_id=mark.id if mark else None,
        more_mark_ids=tuple(marks[name].id for name in aimed.more),
        size=aimed.size,
        picture=f"f{number}-1.jpg",
        pictured_at_s=PICTURED_AT_S,
        kept=(("focus.mode", "automatic"),),
        protected=aimed.protected,
    )


def _marks() -> dict[str, Mark]:
    rows = [(name, x, 2.95, 1.33, 180.0) for name, x in X.items()]
    rows += [(n.split()[-1].title(), JURY_X - 0.1, y, 1.28, 270.0) for n, y in JURORS]
    rows += [(f"Host {side}", x, y, 1.62, 180.0) for side, (x, y) in zip(("left", "right"), HOST_SPOTS, strict=True)]
    return {
        name: Mark(id=f"m{i}", name=name, x_m=x, y_m=y, height_m=z, facing_deg=facing)
        for i, (name, x, y, z, facing) in enumerate(rows, 1)
    }


def _furniture() -> tuple[Obstacle, ...]:
    kiln = Obstacle(id="o1", name="Kiln", x_m=-7.4, y_m=6.3, wide_m=2.2, deep_m=2.2, height_m=2.4)
    jury = Obstacle(id="o2", name="Jury table", x_m=TABLE_X, y_m=-2.0, wide_m=0.9, deep_m=4.2, height_m=TABLE_TOP)
    shelf = Obstacle(id="o3", name="Shelf", x_m=6.6, y_m=7.7, wide_m=3.8, deep_m=0.6, height_m=2.4)
    wide = {"wide_m": 1.4, "deep_m": 2.2, "height_m": BENCH_TOP}
    bench = Obstacle(id="o4", name="Glazing bench", x_m=BENCH_X, y_m=BENCH_Y, **wide)
    return kiln, jury, shelf, bench


def _microphones(marks: dict[str, Mark]) -> tuple[Microphone, ...]:
    """One for each potter and juror, and the host's."""
    wearers = [*X, *(n.split()[-1].title() for n, _ in JURORS), "Host left"]
    return tuple(
        Microphone(
            id=f"q{k}",
            number=k,
            name=wearer.split()[0],
            channel=k,
            mark_id=marks[wearer].id,
            delay_s=0.1,
            gain_db=-3.0,
        )
        for k, wearer in enumerate(wearers, 1)
    )


def clay_cup() -> Show:
    """The show without pictures, with the cameras where stand-ins announce themselves by default."""
    cameras, marks = tuple(_camera(build) for build in BUILDS), _marks()
    framings: list[Framing] = []
    for camera in cameras:
        for aimed in FRAMINGS.get(camera.number, ()):
            framings.append(_framing(len(framings) + 1, camera, aimed, marks))
    for number, aimed in AT_THE_TABLE:
        framings.append(_framing(len(framings) + 1, cameras[number - 1], aimed, marks))
    framings.sort(key=lambda framing: (framing.camera_id, framing.slot))
    show = Show(
        title="The Clay Cup: throwing final",
        cameras=cameras,
        framings=tuple(framings),
        marks=tuple(marks.values()),
        obstacles=_furniture(),
        microphones=_microphones(marks),
        scenes=evening.scenes(tuple(framings)),
        insets=evening.desk_insets(),
        titles=evening.titles(),
        media=evening.media(),
        settings=Settings(cover_camera_id="c5"),
        next_number=len(framings) + 5,
    )
    return with_lists(with_cues(show))


def with_pictures(show: Show) -> StoredShow:
    """The show with a drawn picture for every framing: some seconds of work."""
    room, scene = Room(), moment(20.0)
    builds = {f"c{b.number}": b for b in BUILDS}
    pictures = {}
    for framing in show.framings:
        camera, build = show.camera(framing.camera_id), builds[framing.camera_id]
        assert camera is not None
        assert framing.picture is not None
        view = View(build.mount, framing.pan_deg, framing.tilt_deg, camera.lens.hfov_deg(framing.zoom), 960, 540)
        out = np.empty((540, 960, 3), np.uint8)
        HallPicture(room).paint(replace(view), scene, out)
        pictures[framing.picture] = cv2.imencode(".jpg", seen(out), [cv2.IMWRITE_JPEG_QUALITY, 80])[1].tobytes()
    drawn = {f.id: pictures[f.picture] for f in show.framings if f.picture is not None}
    for shown in show.scenes:
        if shown.picture is not None:
            pictures[shown.picture] = _scene_picture(show, shown, drawn)
    return StoredShow(show, pictures | evening.files())


class _Drawn:
    """Drawn framings as what the composer composes of."""

    def __init__(self, pictures: dict[str, bytes], base: Source) -> None:
        self._pictures, self._base = pictures, base

    def full(self, source: Source) -> Picture | None:
        if source.medium_id is not None:
            return picture_of(DrawingProcess().still(evening.files()["slide-1.svg"], (960, 540)))
        data = np.frombuffer(self._pictures[source.framing_id or ""], np.uint8)
        picture = cv2.imdecode(data, cv2.IMREAD_COLOR)
        assert picture is not None
        return picture_of(np.asarray(picture, np.uint8))

    def at_least(self, source: Source, width: int) -> Picture | None:
        plain = source.framing_id is None and source.medium_id is None
        return self.full(self._base if plain else source)

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        title = next(t for t in evening.titles() if t.id == name)
        return DrawingProcess().title(shipped(title.template), title.values, "", size)[0]


def _scene_picture(show: Show, scene: Scene, drawn: dict[str, bytes]) -> bytes:
    base = scene.base
    shot = Shot(base.camera_id or "", base.framing_id, base.medium_id, scene.id)
    out = Picture.plain(960, 540)
    dress = opening_state(show).overlays_of(shot)

    Composer(960, 540).still(shot, dress, _Drawn(drawn, base), out)
    return cv2.imencode(".jpg", image_of(out), [cv2.IMWRITE_JPEG_QUALITY, 80])[1].tobytes()


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from ribalta.desk.painting.look import load_fonts

    app = QApplication([])
    load_fonts()
    save(Path(sys.argv[1]), with_pictures(clay_cup()))
