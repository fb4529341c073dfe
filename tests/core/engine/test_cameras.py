"""Setting cameras up: every edit is an action, can be undone, and refuses what cannot be with a sentence."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.landing import landing_state, time_to_set_s
from ribalta.core.engine.program.travel_learning import learn
from ribalta.core.engine.state.live import opening_state
from ribalta.core.ports.messages import (
    Adjust,
    Arrived,
    Contact,
    Drive,
    GoHome,
    LineMeasured,
    LinkTrouble,
    NoPosition,
    Recall,
    Remember,
    SettingReported,
    TurnBy,
)
from ribalta.core.ports.shots import LandingState, SettingLive, Shot
from ribalta.core.show.document.model import Axis, Head, Measured, PictureSource, Show
from ribalta.core.show.document.settings import SETTINGS
from tests.core.hand_wound import Hall, small_show


@pytest.fixture
def hall():
    return Hall()


def numbers(hall: Hall) -> list[int]:
    return [c.number for c in hall.state.show.cameras]


def test_a_camera_added_to_an_empty_show_has_the_first_number_and_can_be_taken_back():
    hall = Hall(Show())
    assert hall.state.program.on_air is None
    hall.act("camera.add", protocol="visca-tcp", host=" 192.0.2.7 ")
    (camera,) = hall.state.show.cameras
    assert (camera.number, camera.name, hall.state.desk.row) == (1, "Camera 1", camera.id)
    assert (camera.control.port, camera.control.host) == (5678, "192.0.2.7")
    hall.act("camera.add", name="Wide")
    assert (numbers(hall), hall.state.show.cameras[1].steered) == ([1, 2], False)
    hall.press("Ctrl+Z", "Ctrl+Z")
    assert hall.state.show.cameras == ()
    hall.act("camera.add")
    assert hall.state.show.cameras[0].id not in (camera.id,)  # an id is never used twice


@given(st.permutations([1, 2, 3, 4]), st.integers(1, 99))
def test_framings_stay_with_their_camera_whatever_it_is_numbered(order, last):
    hall = Hall()
    before = {f.id: f.camera_id for f in hall.state.show.framings}
    names = {c.id: c.name for c in hall.state.show.cameras}
    for camera, to in zip(order, [4, 3, 2, last], strict=True):
        hall.act("camera.renumber", camera=hall.state.show.camera(f"c{camera}").number, to=to)
    assert {f.id: f.camera_id for f in hall.state.show.framings} == before
    assert {c.id: c.name for c in hall.state.show.cameras} == names
    assert hall.state.show.camera(f"c{order[-1]}").number == last
    assert len(set(numbers(hall))) == 4


def test_a_removed_camera_takes_its_framings_along_and_undo_brings_all_of_it_back(hall):
    before = hall.state.show
    hall.press("2", "W", "3", "Alt+E")
    hall.act("camera.remove", camera=4)
    hall.act("camera.remove", camera=2)
    assert "Camera 4 is on air: it cannot be removed now." in hall.sentences
    assert "Camera 2 is readied as Next: it cannot be removed now." in hall.sentences
    hall.act("camera.remove", camera=3)
    assert numbers(hall) == [1, 2, 4]
    assert {f.camera_id for f in hall.state.show.framings} == {"c1", "c2"}
    assert hall.state.program.then == ()
    hall.press("Ctrl+Z")
    assert hall.state.show.framings == before.framings
    assert hall.state.show.cameras == before.cameras
    hall.press("1", "1", "Space")
    hall.act("camera.remove", camera=4)
    assert hall.state.show.settings.cover_camera_id is None


def test_a_copy_has_the_model_but_not_the_address_and_not_the_framings(hall):
    hall.act("camera.duplicate", camera=1)
    copy = hall.state.show.cameras[-1]
    assert (copy.number, copy.name, copy.head, copy.control.host) == (5, "Camera 1 copy", Head(), "")
    assert copy.picture.name == ""
    assert not [f for f in hall.state.show.framings if f.camera_id == copy.id]


@pytest.mark.parametrize(
    ("action", "arguments", "said"),
    [
        ("camera.add", {"number": 2}, "There is a camera 2 already."),
        ("camera.rename", {"camera": 1, "name": "  "}, "A camera needs a name"),
        ("camera.renumber", {"camera": 1, "to": 100}, "to"),
        ("camera.connect", {"camera": 1, "protocol": "visca-ip", "host": "a b"}, "“a b” is not an address"),
        ("camera.connect", {"camera": 1, "protocol": "visca-ip", "host": ""}, "An address is missing"),
        ("camera.connect", {"camera": 1, "protocol": "visca-ip", "host": "h", "port": 70000}, "port"),
        ("camera.connect", {"camera": 1, "protocol": "visca-serial", "line": "COM1"}, "A serial line has a name"),
        ("camera.fix", {"camera": 1}, "Camera 1 has framings"),
        ("camera.swap_pictures", {"camera": 1, "other": 1}, "Two cameras are needed"),
        ("camera.place", {"camera": 1, "x_m": float("nan")}, "x (m) nan has to be a number"),
        ("camera.place", {"camera": 1, "x_m": 1e9}, "x (m) 1000000000.0 has to be 1000 or less"),
        (
            "camera.model",
            {"camera": 1, "profile": "x", "zoom_table": ((0, 60), (1, 70))},
            "stays as it was: a zoom table",
        ),
        ("camera.model", {"camera": 4, "profile": "x", "head": Head().model_dump()}, "Camera 4 is fixed"),
        ("camera.set", {"camera": 1, "setting": "gain", "value": 3}, "Camera 1 has no gain that can be set"),
        ("camera.set", {"camera": 1, "setting": "salt", "value": 3}, "There is no setting called “salt”"),
        ("camera.copy_settings", {"camera": 1, "to": 2}, "has reported no settings"),
        ("camera.home", {"camera": 4}, "Camera 4 cannot go home"),
        ("camera.aim", {"camera": 4, "pan_deg": 0, "tilt_deg": 0, "zoom": 0}, "Camera 4 is fixed"),
        ("mark.remove", {"mark": "m9"}, "That mark is not on the plan any more."),
    ],
)
def test_what_cannot_be_is_refused_with_a_sentence_and_changes_nothing(hall, action, arguments, said):
    before = hall.state.show
    hall.act(action, **arguments)
    assert said in hall.sentences[-1]
    assert hall.state.show is before


def test_connecting_begins_anew_and_keeps_what_the_camera_is(hall):
    hall.act("camera.connect", camera=1, protocol="onvif", host="192.0.2.9", user="crew")
    camera, live = hall.state.show.camera("c1"), hall.state.live("c1")
    assert (camera.control.port, camera.control.user, camera.head) == (80, "crew", Head())
    assert (live.answers, live.aim, live.picture) == (False, None, True)
    hall.engine.report(LinkTrouble("c1", "nothing answers there"), hall.clock.now_s())
    hall.turn(0.01)
    assert "Camera 1 “Camera 1” is out of reach: nothing answers there." in hall.sentences
    assert hall.state.live("c1").trouble == "nothing answers there"


def test_pictures_are_swapped_places_moved_paces_changed_and_each_can_be_undone(hall):
    pictures = [PictureSource(name="a"), PictureSource(name="b")]
    for number, picture in zip((1, 2), pictures, strict=True):
        hall.act("camera.picture", camera=number, kind="stream", name=picture.name)
    hall.act("camera.swap_pictures", camera=1, other=2)
    assert [c.picture.name for c in hall.state.show.cameras[:2]] == ["b", "a"]
    hall.act("camera.place", camera=1, x_m=2.5, hung=True)
    hall.act("camera.pace", camera=1, recall=0.5)
    hall.act("camera.cover", camera=1)
    camera = hall.state.show.camera("c1")
    assert (camera.place.x_m, camera.place.y_m, camera.place.hung) == (2.5, 0.0, True)
    assert (camera.recall_pace, camera.steer_pace) == (0.5, 1.0)
    assert hall.state.show.settings.cover_camera_id == "c1"
    hall.press("1", "W")
    assert hall.cameras["c1"].asked[-1].pace == 0.5
    hall.press("Ctrl+Z", "Ctrl+Z", "Ctrl+Z")
    assert hall.state.show.camera("c1").place.x_m == 0.0


def with_settings() -> Hall:
    show = small_show()
    head = Head(settings=tuple(s.id for s in SETTINGS))
    for name in ("c1", "c2"):
        show = show.with_camera(show.camera(name).model_copy(update={"head": head}))
    return Hall(show)


def test_a_setting_is_asked_until_the_camera_reports_it():
    hall = with_settings()

    def reported(setting: str, value: str | int, camera: str = "c1") -> None:
        hall.engine.report(SettingReported(camera, setting, value), hall.clock.now_s())

    reported("gain", 3)
    reported("exposure.mode", "automatic")
    hall.act("camera.step", camera=1, setting="gain", steps=1, coarse=True)
    assert hall.cameras["c1"].asked[-1] == Adjust("c1", "gain", 6)
    assert hall.state.live("c1").settings["gain"] == SettingLive(3, 6)
    reported("gain", 4)
    assert hall.state.live("c1").settings["gain"] == SettingLive(4, 6)
    hall.act("camera.step", camera=1, setting="gain", steps=-1)
    assert hall.state.live("c1").settings["gain"] == SettingLive(4, 5)  # from what is asked, not from what was
    reported("gain", 5)
    assert hall.state.live("c1").settings["gain"] == SettingLive(5, None)
    hall.act("camera.step", camera=1, setting="exposure.mode", steps=1)
    assert hall.cameras["c1"].asked[-1] == Adjust("c1", "exposure.mode", "manual")
    hall.act("camera.set", camera=1, setting="gain", value=99)
    assert "Camera 1's gain 99 is outside 0 to 15." in hall.sentences
    hall.act("camera.copy_settings", camera=1, to=2)
    copied = [r for r in hall.cameras["c2"].asked if isinstance(r, Adjust)]
    assert copied == [Adjust("c2", "exposure.mode", "automatic"), Adjust("c2", "gain", 5)]
    hall.press("1", "1", "Space", "Space")
    hall.act("camera.set", camera=1, setting="power", value="standby")
    assert "Camera 1 is on air: it stays on." in hall.sentences


def test_home_is_refused_on_air(hall):
    hall.act("camera.home", camera=1)
    assert hall.cameras["c1"].asked[-1] == GoHome("c1")
    hall.press("1", "1", "Space")
    hall.act("camera.home", camera=1)
    assert "Camera 1 is on air: it does not go home now." in hall.sentences


def test_the_line_is_counted_in_all_and_its_unevenness_is_the_latest_one(hall):
    for asked, lost, uneven_s in ((10, 0, 0.02), (20, 3, 0.19)):
        hall.engine.report(LineMeasured("c1", 0.015, hall.clock.now_s(), uneven_s, asked, lost), hall.clock.now_s())
    line = hall.state.live("c1").line
    assert (line.asked, line.unanswered, line.uneven_s) == (30, 3, 0.19)


# A camera that does not say where it stands


def recall_only() -> Hall:
    show = small_show()
    camera = show.camera("c1").model_copy(update={"head": Head(reports_position=False, memories=3)})
    kept = tuple(f for f in show.framings if f.camera_id != "c1")
    hall = Hall(show.with_camera(camera).model_copy(update={"framings": kept}))
    del hall.cameras["c1"]
    return hall


def asked_of(hall: Hall, kind: type) -> list[object]:
    return [r for r in hall.unserved if isinstance(r, kind)]


def test_a_recall_only_camera_is_stored_in_its_own_memories_until_they_are_full():
    hall = recall_only()
    for letter in "QWER":
        hall.act("framing.store", camera=1, letter=letter)
    assert [f.memory for f in hall.state.show.framings if f.camera_id == "c1"] == [0, 1, 2]
    assert asked_of(hall, Remember) == [Remember("c1", k) for k in range(3)]
    assert "All 3 memories of camera 1 are in use: remove a framing first." in hall.sentences
    hall.act("steer.centre", camera=1, x=0.5, y=0.5)
    assert "does not say where it stands: drag its picture" in hall.sentences[-1]


def test_a_recall_only_camera_is_driven_by_its_picture_and_is_at_none_of_its_framings_then():
    hall = recall_only()
    hall.act("framing.store", camera=1, letter="Q")
    hall.press("1", "Q")
    hall.turn(1)
    assert landing_state(hall.state, hall.state.program.next, hall.clock.now_s()) is LandingState.SET
    hall.act("steer.drag", camera=1, right=0.05, down=-0.02)
    hall.act("steer.zoom", camera=1, steps=-1)
    hall.press("Right")
    drives = asked_of(hall, Drive)
    assert [(round(d.pan, 2), round(d.tilt, 2), d.zoom) for d in drives] == [(-0.3, -0.12, 0.0), (0.0, 0.0, -0.5)]
    (turn,) = asked_of(hall, TurnBy)
    assert (turn.pan_deg, turn.tilt_deg) == (pytest.approx(0.02 * 17.3, abs=0.02), 0.0)
    hall.turn(2)
    assert landing_state(hall.state, hall.state.program.next, hall.clock.now_s()) is not LandingState.SET
    hall.press("Space", "Space")
    hall.act("steer.drag", camera=1, right=0.5, down=0.0)
    assert "is on air. Hold Ctrl" in hall.sentences[-1]
    hall.act("steer.drag", camera=1, right=0.5, down=0.0, live=True)
    assert asked_of(hall, Drive)[-1].pan == -0.15


def test_a_recall_only_camera_counts_as_set_when_its_learned_time_is_over_and_learns_from_its_word():
    hall = recall_only()
    for letter in "QW":
        hall.act("framing.store", camera=1, letter=letter)
    q = Shot("c1", hall.state.show.framings[-2].id)
    first_s = time_to_set_s(hall.state, q, hall.clock.now_s())
    hall.press("1", "Q", "Space")
    assert asked_of(hall, Recall)[-1] == Recall("c1", 0)
    assert hall.state.program.held is not None
    assert landing_state(hall.state, q, hall.clock.now_s()) is LandingState.TRAVELLING
    hall.turn(1.2)
    hall.engine.report(Arrived("c1"), hall.clock.now_s())
    hall.turn(0.4)
    assert hall.records[-1].landed
    assert [round(w.seconds, 1) for w in hall.state.show.camera("c1").learned] == [1.2]
    hall.press("4", "Space")
    hall.act("framing.restore", camera=1, letter="W")
    hall.turn(0.2)
    back_s = time_to_set_s(hall.state, q, hall.clock.now_s())
    assert first_s > 4  # nothing known: the longest way there is
    assert back_s < 2  # by now it is known how long others to that framing took
    hall.act("camera.forget", camera=1)
    assert hall.state.show.camera("c1").learned == ()


def test_a_framing_that_is_in_no_memory_is_refused_by_a_camera_that_goes_to_its_own(hall):
    head = Head(reports_position=False, memories=3).model_dump()
    hall.act("camera.learn", camera=1, head=head)
    hall.press("1", "W")
    assert "“1W” is in none of camera 1's own memories: aim the camera and store it again." in hall.sentences
    assert hall.state.program.next != Shot("c1", "f4")
    assert time_to_set_s(hall.state, Shot("c1", "f4"), hall.clock.now_s()) is None


def test_no_position_and_no_contact_are_said_and_nothing_is_stored(hall):
    hall.engine.report(NoPosition("c1"), hall.clock.now_s())
    assert landing_state(hall.state, Shot("c1", "f4"), hall.clock.now_s()) is not LandingState.SET
    hall.act("framing.store", camera=1, letter="G")
    assert "Nothing stored: check it in Rig." in hall.sentences[-1]
    hall.engine.report(Contact("c1", False), hall.clock.now_s())
    hall.act("camera.aim", camera=1, pan_deg=0, tilt_deg=0, zoom=0)
    assert "does not answer" in hall.sentences[-1]


# The floor plan's marks


def test_marks_are_added_changed_removed_and_brought_in(hall):
    hall.act("mark.add", x_m=1.0, y_m=2.0)
    (mark,) = hall.state.show.marks
    hall.act("mark.change", mark=mark.id, name="Kiln", x_m=1.5)
    hall.act("plan.import", marks=[{"name": "Kiln", "x_m": 4, "y_m": 5}, {"name": "Jury", "x_m": 0, "y_m": 0}])
    assert [(m.id == mark.id, m.name, m.x_m) for m in hall.state.show.marks] == [
        (True, "Kiln", 4.0),
        (False, "Jury", 0.0),
    ]
    hall.act("plan.import", marks=[{"name": f"M{k}", "x_m": k, "y_m": 0} for k in range(500)])
    assert "A plan holds 500 marks at most" in hall.sentences[-1]
    framing = hall.state.show.framings[0].model_copy(update={"mark_id": mark.id})
    hall.engine.state = hall.state.with_(show=hall.state.show.with_framing(framing))
    hall.act("mark.remove", mark=mark.id)
    assert hall.state.show.framings[0].mark_id is None


# Learning on a show


def test_recalls_on_a_show_correct_travel_times_slowly_and_are_no_edits():
    show = small_show()
    slow = Head(
        pan=Axis(speed=45, acceleration=400), tilt=Axis(speed=60, acceleration=400), latency_s=0.0, settle_s=0.0
    )
    show = show.with_camera(show.camera("c2").model_copy(update={"head": slow}))  # it really does 60° a second
    hall = Hall(show)
    hall.turn(1)
    off = []
    for k in range(40):
        hall.act("camera.aim", camera=2, pan_deg=(-80.0, 80.0)[k % 2], tilt_deg=0, zoom=0.2)
        shown_s = hall.state.live("c2").asked_travel_s
        start_s = hall.clock.now_s()
        hall.turn(5)
        off.append(
            shown_s - hall.state.show.camera("c2").picture.delay_s - (hall.state.live("c2").still_since_s - start_s)
        )
    speed = hall.state.show.camera("c2").head.pan.speed
    assert off[1] > 0.8
    assert abs(off[-1]) < 0.12
    assert 56 < speed < 63
    assert hall.state.show.camera("c2").head.pan.acceleration == 400
    assert hall.state.edits.undo == ()


def test_an_unbelievable_move_or_one_that_began_in_motion_teaches_nothing(hall):
    before = hall.state.show.camera("c1").head
    hall.act("camera.aim", camera=1, pan_deg=0, tilt_deg=0, zoom=0.2)
    hall.turn(0.3)
    hall.act("camera.aim", camera=1, pan_deg=20, tilt_deg=0, zoom=0.2)  # it was on its way
    assert hall.state.live("c1").asked_from is None
    hall.turn(6)
    hall.cameras["c1"].goal = None  # deaf
    hall.act("camera.aim", camera=1, pan_deg=60, tilt_deg=0, zoom=0.2)
    hall.cameras["c1"].goal = None
    hall.turn(8)
    hall.cameras["c1"].goal = Aim(60, 0, 0.2)
    hall.turn(6)
    assert hall.state.live("c1").asked_from is None
    assert hall.state.show.camera("c1").head == before
    assert learn(opening_state(small_show()), "c1").cameras["c1"].asked_from is None


def test_what_was_measured_is_kept_and_can_be_dropped(hall):
    measured = Measured(moves=8, median_error=0.01, p95_error_ms=40.0, hfov_error_max=0.004)
    head = Head(pan=Axis(speed=70, acceleration=99))
    hall.act("camera.learn", camera=1, head=head.model_dump(), delay_s=0.2, measured=measured.model_dump())
    camera = hall.state.show.camera("c1")
    assert (camera.head, camera.picture.delay_s, camera.measured) == (head, 0.2, measured)
    hall.act("camera.model", camera=1, profile="Other", head=Head().model_dump())
    assert hall.state.show.camera("c1").measured is None
    hall.press("Ctrl+Z", "Ctrl+Z")
    assert hall.state.show.camera("c1").head == Head()
