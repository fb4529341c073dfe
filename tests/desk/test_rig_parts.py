"""Rig's parts by themselves: the floor plan, the list, and each page of the card, on a hand-wound show."""

from dataclasses import replace

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from ribalta.core.ports.messages import LineMeasured, LinkTrouble, NoPosition, SettingReported
from ribalta.core.ports.troubles import REFUSED_LOGIN
from ribalta.core.show.document.model import Head, Mark, Measured, PictureKind, Protocol, Show
from ribalta.core.show.document.settings import SETTINGS
from ribalta.core.survey.job import Finding, Job, Kind, Remedy
from ribalta.desk.air.row_looks import blind_words
from ribalta.desk.rig.cameras import contact_words, link_words, reached
from ribalta.desk.window import Window
from tests.core.hand_wound import small_show
from tests.desk.hand_wound import HandWoundSession, opened

LEFT = Qt.MouseButton.LeftButton


def marked_show() -> Show:
    show = small_show()
    head = Head(settings=tuple(s.id for s in SETTINGS))
    places = {"c1": (-3.0, -2.0), "c2": (0.0, -4.0), "c3": (3.0, -2.0), "c4": (0.0, 4.0)}
    for camera in show.cameras:
        x, y = places[camera.id]
        place = camera.place.model_copy(update={"x_m": x, "y_m": y, "heading_deg": 30.0})
        changes = {"place": place, "head": head if camera.steered else None}
        show = show.with_camera(camera.model_copy(update=changes))
    return show.model_copy(update={"marks": (Mark(id="m1", name="Kiln", x_m=1.0, y_m=1.0),)})


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession(marked_show())), "Rig")


def refresh(window: Window) -> None:
    window.bridge.changed.emit()
    QApplication.processEvents()


def said(window: Window) -> str:
    """The last sentence, which comes with the events."""
    QApplication.processEvents()
    return window.notices.sentence


def press(widget, text: str) -> None:
    button = next(b for b in widget.findChildren(QPushButton) if b.text() == text and b.isVisible())
    QTest.mouseClick(button, LEFT)


def test_the_list_says_in_words_how_each_camera_does(window):
    hall = window.bridge._show.hall
    camera, fixed = hall.state.show.camera("c1"), hall.state.show.camera("c4")
    now_s = hall.clock.now_s()
    assert (contact_words(hall.state, camera, now_s), contact_words(hall.state, fixed, now_s)) == ("answers", "picture")
    assert reached(fixed) == "Fixed: not steered"
    assert reached(camera) == "VISCA over IP · 127.0.0.1, UDP 52381"
    hall.engine.report(LineMeasured("c1", 0.042, now_s), now_s)
    assert link_words(hall.state, camera, now_s) == "42 ms · now"
    hall.contact("c1", False)
    assert contact_words(hall.state, camera, now_s) == "no contact"
    assert link_words(hall.state, camera, now_s + 30) == "42 ms · 30 s ago"
    hall.engine.report(NoPosition("c2"), now_s)
    assert contact_words(hall.state, hall.state.show.camera("c2"), now_s) == "no position"
    QTest.keyClick(window.rig.list, Qt.Key.Key_Down)
    assert window.rig.list.current == "c2"
    QTest.mouseClick(window.rig.list.viewport(), LEFT, pos=QPoint(200, 3 * 52 + 10))
    assert window.rig.list.current == "c4"


def test_the_board_says_which_cameras_do_not_say_where_they_stand(window):
    hall, board = window.bridge._show.hall, window.air.board
    camera = hall.state.show.camera("c1")
    assert blind_words(hall.state, camera) == ""
    hall.engine.report(NoPosition("c1"), hall.clock.now_s())
    assert blind_words(hall.state, camera) == "no position"
    head = camera.head.model_copy(update={"reports_position": False, "memories": 8})
    window.bridge.act("camera.learn", camera=1, head=head.model_dump())
    assert blind_words(hall.state, hall.state.show.camera("c1")) == "own memories"
    window.show_view("Air")
    assert not board.grab().isNull()


def asked(page) -> list:
    """Of the fields that not every way needs, those that are shown."""
    fields = (page.host, page.line, page.password, page.picture_password)
    return [field for field in fields if field.isVisibleTo(page)]


def test_the_page_for_reaching_offers_only_what_that_way_needs_and_shows_what_is_wrong(window):
    page, hall = window.rig.card.reach, window.bridge._show.hall
    page.protocol.show_value(Protocol.VISCA_SERIAL)
    page._protocol_chosen(Protocol.VISCA_SERIAL)
    assert asked(page) == [page.line, page.picture_password]
    page.protocol.show_value(Protocol.ONVIF)
    page._protocol_chosen(Protocol.ONVIF)
    assert asked(page) == [page.host, page.password, page.picture_password]
    assert page.port.text() == "80"
    page.host.setText("192.0.2.4")
    page.user.setText("crew")
    page.password.setText("kiln")
    page.kind.show_value(PictureKind.STREAM)
    page.picture.setText("rtsp://192.0.2.5/1")
    page._arrange()
    assert page.picture_password in asked(page)
    page.picture.setText("rtsp://192.0.2.4/1")
    page._arrange()
    assert page.picture_password not in asked(page), "one device has one user and password"
    page.apply()
    camera = hall.state.show.camera("c1")
    assert (camera.control.protocol, camera.control.where) == (Protocol.ONVIF, "192.0.2.4, TCP 80")
    assert camera.picture.name == "rtsp://192.0.2.4/1"
    assert ("keep_password", "192.0.2.4:80", "crew", "kiln") in window.bridge.transfers.asked
    assert ("keep_password", "rtsp://192.0.2.4/1", "crew", "kiln") in window.bridge.transfers.asked
    assert camera.picture.user == "crew"
    hall.engine.report(LinkTrouble("c1", "nothing answers there"), hall.clock.now_s())
    refresh(window)
    assert page.trouble.text() == "It is out of reach: nothing answers there."
    assert page.password.text() == ""
    page._choose_model("Steered camera, 20x zoom")
    assert hall.state.show.camera("c1").profile == "Steered camera, 20x zoom"


def test_what_a_check_found_stands_there_with_its_remedy(window):
    workshop, card = window.bridge.camera_jobs, window.rig.card
    card.show_page("Check")
    press(card.check, "Check this camera")
    assert workshop.asked == [("begin", Kind.CHECK, "c1")]
    remedy = Remedy("Swap them", "camera.swap_pictures", {"camera": 1, "other": 2})
    findings = (Finding("answer", True, "It answers."), Finding("match", False, "Their pictures are swapped.", remedy))
    job = Job(Kind.CHECK, "c1", 0.4, "Moving it a little", False, findings)
    workshop.jobs[(Kind.CHECK, "c1")] = job
    refresh(window)
    assert card.check.bar.value() == 400
    assert not card.check.begin.isEnabled()
    press(card.check, "Stop")
    assert workshop.asked[-1] == ("cancel", Kind.CHECK, "c1")
    workshop.jobs[(Kind.CHECK, "c1")] = replace(job, done=True, sentence="One thing is wrong.")
    refresh(window)
    assert (card.check.words.text(), card.check.bar.isVisible()) == ("One thing is wrong.", False)
    press(card.check, "Swap them")
    assert said(window).startswith("Swapped the pictures of cameras 1 and 2.")


def test_all_cameras_are_checked_and_come_to_one_summary(window):
    jobs, card = window.bridge.camera_jobs, window.rig.card
    press(window.rig, "Check all")
    assert jobs.asked == [("begin", Kind.CHECK, f"c{k}") for k in range(1, 5)]
    remedy = Remedy("Swap them", "camera.swap_pictures", {"camera": 1, "other": 2})
    wrong = (
        Finding("match", False, "Their pictures are swapped.", remedy),
        Finding("axes", False, "It turns wrongly."),
    )
    for k in (1, 2, 3):
        found = wrong if k == 2 else (Finding("answer", True, "It answers."),)
        jobs.jobs[(Kind.CHECK, f"c{k}")] = Job(Kind.CHECK, f"c{k}", 1.0, "Done.", True, found)
    jobs.jobs[(Kind.CHECK, "c4")] = Job(Kind.CHECK, "c4", 0.5, "Looking")
    refresh(window)
    assert card.summary.said.text() == "Checking: 3 of 4 cameras done."
    rows = [card.summary.list.item(k).text() for k in range(4)]
    assert rows[1].endswith("Their pictures are swapped. (and 1 more)")
    assert rows[0].endswith("is well")
    assert rows[3].endswith("50%")
    press(card.summary, "Stop")
    assert jobs.asked[-1] == ("cancel", Kind.CHECK, "c4")
    jobs.jobs[(Kind.CHECK, "c4")] = Job(Kind.CHECK, "c4", 1.0, "Done.", True, ())
    refresh(window)
    assert card.summary.said.text().startswith("Camera 2 has something wrong, 3 of 4 are well.")
    card.summary.list.setCurrentRow(1)
    assert window.rig.list.current == "c2"
    assert card.check.isVisible()  # with what can be done about it


def test_a_cameras_own_web_page_opens_with_one_press(window, monkeypatch):
    opened = []
    monkeypatch.setattr("ribalta.desk.rig.reach.QDesktopServices.openUrl", lambda url: opened.append(url.toString()))
    reach = window.rig.card.reach
    window.rig.card.show_page("Reach")
    for protocol, host, picture, page in (
        ("visca-udp", "192.0.2.20", "", "http://192.0.2.20/"),
        ("onvif", "cam.local", "rtsp://192.0.2.9/1", "http://cam.local/"),
        ("fixed", "", "rtsp://user:pw@192.0.2.7:554/1", "http://192.0.2.7/"),
        ("visca-udp", "a b<script>", "", None),
        ("fixed", "", "not an address", None),
    ):
        reach.protocol.show_value(protocol)
        reach.host.setText(host)
        reach.picture.setText(picture)
        reach.kind.show_value("stream")
        reach._arrange()
        assert reach.web.isVisibleTo(reach) == (page is not None), host or picture
        opened.clear()
        reach.web.click()
        assert opened == ([page] if page is not None else [])


def test_what_was_measured_is_shown_in_words_and_as_dots(window):
    card = window.rig.card
    card.show_page("Measure")
    assert card.measure.words.text().startswith("Moves the camera for about a minute")
    assert not card.measure.fit.isVisible()
    times = ((1.0, 1.05), (2.0, 1.9), (0.6, 0.6))
    measured = Measured(moves=3, median_error=0.02, p95_error_ms=90.0, hfov_error_max=0.004, times_s=times)
    window.bridge.act("camera.learn", camera=1, measured=measured.model_dump())
    refresh(window)
    assert card.measure.words.text().startswith("Measured: its seconds on the board can be trusted")
    assert not card.measure.figures.isVisible()
    assert not card.measure.fit.isVisible()
    press(card.measure, "Figures")
    words = card.measure.figures.text()
    assert "3 fresh moves: median error 2.0 %, 95 of 100 within 90 ms. Field of view: within 0.4 %." in words
    assert card.measure.fit.isVisible()
    image = card.measure.fit.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    lamps = sum(
        image.pixelColor(x, y).red() > 240 for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)
    )
    assert lamps > 40


def test_settings_show_what_was_reported_and_beside_it_what_is_asked(window):
    card, hall = window.rig.card, window.bridge._show.hall
    card.show_page("Adjust")
    rows = {row.setting.id: row for row in card.adjust.rows}
    assert rows["gain"].value.text() == "not said yet"
    hall.engine.report(SettingReported("c1", "gain", 3), hall.clock.now_s())
    hall.engine.report(SettingReported("c1", "exposure.mode", "manual"), hall.clock.now_s())
    refresh(window)
    card.adjust.step(rows["gain"].setting, 1)
    refresh(window)
    assert rows["gain"].value.text() == "3 → 4 asked"
    hall.engine.report(SettingReported("c1", "gain", 4), hall.clock.now_s())
    refresh(window)
    assert rows["gain"].value.text() == "4"
    assert rows["exposure.mode"].choice.value() == "manual"
    card.adjust.recall.show_value("0.5")
    card.adjust.recall.activated.emit(card.adjust.recall.currentIndex())
    assert hall.state.show.camera("c1").recall_pace == 0.5
    press(card.adjust, "Copy settings to")
    assert "Copied 2 settings of camera 1 to camera 2." in said(window)
    press(card.adjust, "Home")
    window.rig.list.choose("c4")
    refresh(window)
    assert card.adjust.none.text() == "A fixed camera has no settings that can be changed from here."


def test_places_are_typed_and_sights_are_taken(window):
    card, workshop = window.rig.card, window.bridge.camera_jobs
    card.show_page("Place")
    field = card.place.fields["z_m"]
    for text in ("2,4", "high"):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
    assert window.bridge.state.show.camera("c1").place.z_m == 2.4
    assert "z (m)" in said(window)
    press(card.place, "The picture is on it")
    press(card.place, "Work out")
    press(card.place, "Begin again")
    assert workshop.asked == [("take_sight", "c1", "m1"), ("solve_place", "c1"), ("forget_sights", "c1")]


@pytest.mark.parametrize("size", [(1000, 640), (1100, 700), (1280, 800), (1920, 1080)])
def test_nothing_overlaps_at_any_size_on_any_page(window, size):
    rig = window.rig
    window.resize(*size)
    for name in rig.card.pages:
        rig.card.show_page(name)
        QApplication.processEvents()
        QApplication.processEvents()
        list_end = rig.list.mapTo(rig, rig.list.rect().bottomLeft()).y()
        card_start = rig.card.mapTo(rig, QPoint(0, 0)).y()
        assert list_end < card_start, (name, size)
        assert rig.card.mapTo(rig, rig.card.rect().bottomLeft()).y() <= rig.height()


def test_the_cameras_are_a_list_as_the_others_are(window, hall):
    cameras = window.rig.list
    window.show_view("Rig")
    cameras.setFocus()
    hall.act("camera.rename", camera=3, name="Xylophones")
    window.bridge.changed.emit()
    QTest.keyClicks(cameras, "xyl")
    assert cameras.current == "c3"
    QTest.keyClick(cameras, Qt.Key.Key_2)
    assert cameras.current == "c2"
    menu = cameras.open_menu(cameras.mapToGlobal(QPoint(5, 5)))
    assert [a.text().partition("\t")[0] for a in menu.actions()] == ["Make cover shot", "Duplicate", "Remove"]
    menu.close()
    before = {c.id: c.number for c in hall.state.show.cameras}
    cameras._swap(-1)  # dragged on camera 1
    assert {c.id: c.number for c in hall.state.show.cameras} == before | {"c1": 2, "c2": 1}
    hall.act("edit.undo")
    window.bridge.changed.emit()
    QTest.keyClick(cameras, Qt.Key.Key_2)
    QTest.keyClick(cameras, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert cameras.selected_keys() == ["c2", "c3"]
    steps = len(hall.state.edits.undo)
    QTest.keyClick(cameras, Qt.Key.Key_Delete)
    if "c2" in {c.id for c in hall.state.show.cameras}:  # what uses them is asked about once
        window.users.answer("remove")
    assert {c.id for c in hall.state.show.cameras} == {"c1", "c4"}, said(window)
    assert len(hall.state.edits.undo) == steps + 1


def test_one_login_is_given_to_all_cameras_that_refuse_theirs(window, hall):
    for number in (1, 2, 3):
        hall.act("camera.connect", camera=number, protocol="onvif", host=f"192.0.2.{number}", port=80)
        hall.contact(f"c{number}", False)
    for number in (1, 2):
        hall.engine.report(LinkTrouble(f"c{number}", REFUSED_LOGIN), hall.clock.now_s())
    page = window.rig.card.pages["Reach"]
    window.rig.list.choose("c3")
    refresh(window)
    assert not page.for_all.isVisible()  # it does not refuse
    window.rig.list.choose("c1")
    refresh(window)
    assert page.for_all.text() == "For 1 more that refuse theirs, too"
    assert page.for_all.isChecked()
    page.user.setText("crew")
    page.password.setText("kiln")
    QTest.keyClick(page.password, Qt.Key.Key_Return)
    users = {c.number: c.control.user for c in hall.state.show.cameras if c.control is not None}
    assert users == {1: "crew", 2: "crew", 3: ""}
    kept = [entry for entry in window.bridge._show.asked if "crew" in entry]
    assert [entry[1] for entry in kept if "192.0.2" in str(entry[1])] == ["192.0.2.1:80", "192.0.2.2:80"]


def test_what_can_be_fixed_of_all_cameras_is_by_one_press(window, hall):
    window.show_view("Rig")
    press(window.rig, "Check all")
    jobs = window.bridge.camera_jobs.jobs
    for number in (1, 2, 3, 4):
        arguments = {"camera": number, "name": f"Called {number}"}
        remedy = Remedy("Call it so", "camera.rename", arguments) if number < 3 else None
        wrong = Finding("picture", number > 3, "It has no picture.", remedy)
        jobs[Kind.CHECK, f"c{number}"] = Job(Kind.CHECK, f"c{number}", 1.0, "", True, (wrong,))
    refresh(window)
    press(window.rig, "Fix what can be fixed")
    assert [c.name for c in hall.state.show.cameras][:3] == ["Called 1", "Called 2", "Camera 3"]
    hall.act("edit.undo")  # it was one edit
    assert [c.name for c in hall.state.show.cameras][:3] == ["Camera 1", "Camera 2", "Camera 3"]
