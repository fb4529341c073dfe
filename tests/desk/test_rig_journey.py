"""From an empty show to six named cameras with pictures, each reached in a way of its own, by the interface alone."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLineEdit, QPushButton, QWidget

from ribalta.core.base.aim import Aim
from ribalta.core.show.document.model import PictureKind, Protocol, Show
from ribalta.core.show.files import storage
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.core.survey.job import Kind
from ribalta.standins.onvif.services import PASSWORD, USER
from tests.desk.conftest import Desk

pytestmark = pytest.mark.alone

LEFT = Qt.MouseButton.LeftButton


def press(button: QPushButton) -> None:
    assert button.isVisible(), button.text()
    assert button.isEnabled(), button.text()
    QTest.mouseClick(button, LEFT)


def pressed(inside: QWidget, text: str) -> None:
    press(next(b for b in inside.findChildren(QPushButton) if b.text() == text and b.isVisible()))


def choose(box: QComboBox, value: str) -> None:
    """With the keyboard, as somebody without a mouse would."""
    assert box.isVisible()
    QTest.keyClick(box, Qt.Key.Key_Home)
    while box.currentData() != value:
        before = box.currentIndex()
        QTest.keyClick(box, Qt.Key.Key_Down)
        assert box.currentIndex() > before, f"{value} is not among the choices"


def fill(field: QLineEdit, text: str, end: Qt.Key = Qt.Key.Key_Tab) -> None:
    assert field.isVisible(), field.accessibleName()
    assert field.isEnabled(), field.accessibleName()
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, end)


@pytest.fixture
def empty_desk(app, standins, tmp_path, monkeypatch):
    monkeypatch.setenv("PYTHON_KEYRING_BACKEND", "keyring.backends.null.Keyring")
    path = tmp_path / "new.ribalta"
    storage.save(path, StoredShow(Show(), {}))
    desk = Desk(load(path), path)
    desk.path = path
    yield desk
    desk.close()


class Rig:
    """What a person does in Rig."""

    def __init__(self, desk: Desk, rows: list[dict]) -> None:
        self.desk, self.rig, self.card = desk, desk.window.rig, desk.window.rig.card
        self.rows = {row["number"]: row for row in rows}

    def camera(self, number: int):
        return self.desk.state.show.camera_numbered(number)

    def live(self, number: int):
        return self.desk.state.live(self.camera(number).id)

    def add(self, number: int) -> None:
        press(self.rig.add)
        self.desk.until(lambda: self.camera(number) is not None and self.rig.list.current == self.camera(number).id)

    def name(self, number: int, name: str) -> None:
        fill(self.card.name, name)
        self.desk.until(lambda: self.camera(number).name == name)

    def reach(self, number: int, protocol: Protocol, **typed: str) -> None:
        page = self.card.reach
        if page.protocol.value() != protocol:  # choosing one gives its usual port
            choose(page.protocol, protocol)
        for field, text in typed.items():
            fill(getattr(page, field), text)
        press(page.use)
        self.desk.until(lambda: self.live(number).answers and self.live(number).aim is not None)

    def picture(self, number: int, kind: PictureKind, where: str) -> None:
        page = self.card.reach
        choose(page.kind, kind)
        fill(page.picture, where, Qt.Key.Key_Return)
        self.desk.until(lambda: self.live(number).picture)
        self.desk.until(lambda: self.desk.session.media.mixer.picture(self.camera(number).id) is not None)

    def steer(self, number: int) -> None:
        """Click to the right of the middle of its picture: it turns right, as far as was clicked."""
        wide = {"camera": number, "pan_deg": 0.0, "tilt_deg": 0.0, "zoom": 0.0}
        self.desk.session.act("camera.aim", wide)  # others have steered these heads before
        self.desk.until(lambda: abs(self.live(number).aim.pan_deg) < 0.1 and self.live(number).aim.zoom < 0.01)
        start: Aim = self.live(number).aim
        monitor = self.rig.monitor
        area = monitor.picture_area()
        at = area.center() + QPointF(area.width() / 4, 0)
        QTest.mouseClick(monitor, LEFT, pos=QPoint(round(at.x()), round(at.y())))
        self.desk.until(lambda: self.live(number).aim.pan_deg > start.pan_deg + 8)


def test_from_an_empty_show_all_six_are_added_named_seen_and_steered(empty_desk, standins):
    desk = empty_desk
    rig = Rig(desk, standins.announcement["standins"])
    rows, window = rig.rows, desk.window
    assert window.rig.isVisible()  # an empty show opens here

    # 1 is found by looking at a range, and added from what answered
    press(window.rig.look_for)
    finder = rig.card.finder
    net = standins.announcement["net"]
    fill(finder.address, f"{net}.1-6", Qt.Key.Key_Return)
    desk.until(lambda: (job := desk.session.setup.jobs.jobs.get((Kind.FIND, ""))) is not None and job.done)
    desk.until(lambda: finder.findings._shown and not finder.stop.isVisible())
    said = [f.sentence for f in finder.findings._shown]
    ways = "VISCA over IP on UDP 52381; bare VISCA on TCP 5678; bare VISCA on UDP 1259; ONVIF on TCP 8080"
    for number in (1, 2, 3, 4):
        picture = f"Its picture: rtsp://{net}.{number}:8554/main."
        assert f"{net}.{number} answers {ways}; RTSP on TCP 8554. {picture}" in said
    assert f"{net}.5 answers RTSP on TCP 8554. Its picture: rtsp://{net}.5:8554/main. It is not steered." in said
    assert finder.all.text() == "Add all 6"
    pressed(finder.findings.widget().layout().itemAt(0).widget(), "Add")
    desk.until(lambda: rig.camera(1) is not None and rig.live(1).aim is not None)
    desk.until(lambda: rig.live(1).picture)  # it came with its picture
    assert finder.isVisible(), "what was found stays until it is closed"
    desk.until(lambda: finder.all.text() == "Add all 5")
    press(finder.all)
    desk.until(lambda: len(desk.state.show.cameras) == 6)
    assert [rig.camera(n).steered for n in range(1, 7)] == [True] * 4 + [False] * 2
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: len(desk.state.show.cameras) == 1)  # they were one edit
    press(finder.close_it)
    desk.until(rig.card.reach.isVisible)
    rig.name(1, "Left")
    rig.picture(1, PictureKind.SHARED_MEMORY, rows[1]["picture"])

    # 2 over TCP, with its picture as MJPEG
    rig.add(2)
    rig.name(2, "Centre")
    rig.reach(2, Protocol.VISCA_TCP, host=rows[2]["host"])
    rig.picture(2, PictureKind.STREAM, rows[2]["mjpeg"] + "small")

    # 3 on a serial line, with its picture over RTSP
    rig.add(3)
    rig.name(3, "Right")
    rig.reach(3, Protocol.VISCA_SERIAL, line=rows[3]["visca-serial"])
    rig.picture(3, PictureKind.STREAM, rows[3]["rtsp"] + "small")

    # 4 with ONVIF and a password; first a wrong one
    rig.add(4)
    rig.name(4, "Gantry")
    page = rig.card.reach
    choose(page.protocol, Protocol.ONVIF)
    for field, text in ((page.host, rows[4]["host"]), (page.port, str(rows[4]["onvif"])), (page.user, USER)):
        fill(field, text)
    fill(page.password, "wrong", Qt.Key.Key_Return)
    desk.until(lambda: page.trouble.text() == "It is out of reach: its user name or password is refused.")
    assert not rig.live(4).answers
    rig.reach(4, Protocol.ONVIF, password=PASSWORD)
    rig.picture(4, PictureKind.SHARED_MEMORY, rows[4]["picture"])

    # 5 and 6 are fixed
    for number, name, where in ((5, "Wide", rows[5]["rtsp"] + "small"), (6, "Glazing", rows[6]["mjpeg"] + "small")):
        rig.add(number)
        rig.name(number, name)
        rig.picture(number, PictureKind.STREAM, where)
    press(rig.card.cover)
    desk.until(lambda: desk.state.show.settings.cover_camera_id == rig.camera(6).id)

    for number in (1, 2, 3, 4):
        QTest.keyClick(window.rig.list, Qt.Key.Key_0 + number)
        desk.until(lambda number=number: window.rig.monitor.camera_id == rig.camera(number).id)
        rig.steer(number)

    # renumbering swaps, undo swaps back, and nothing of it reaches the file but what was saved
    fill(rig.card.number, "6")
    desk.until(lambda: rig.camera(6).name == "Gantry")
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: rig.camera(4).name == "Gantry")
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: not desk.session.file.unsaved)
    kept = load(desk.path).show
    assert [c.name for c in sorted(kept.cameras, key=lambda c: c.number)] == [
        "Left",
        "Centre",
        "Right",
        "Gantry",
        "Wide",
        "Glazing",
    ]
    assert PASSWORD.encode() not in b"".join(p.read_bytes() for p in desk.path.parent.iterdir())
