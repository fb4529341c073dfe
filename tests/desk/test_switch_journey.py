"""Scenes, titles, slides, recording and clearing in the real window, against real stand-ins."""

import av
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ribalta.core.engine.program.landing import landing_state
from ribalta.core.ports.shots import LandingState
from ribalta.demo.portraits import press
from tests.desk.test_cue_parts import choose, type_in
from tests.pictures import bgr

pytestmark = pytest.mark.alone

LETTERS = dict(zip("QWERTASDFG", (getattr(Qt.Key, f"Key_{x}") for x in "QWERTASDFG"), strict=True))


def keys(desk, *names) -> None:
    for name in names:
        key = LETTERS.get(name) or getattr(Qt.Key, f"Key_{name}")
        QTest.keyClick(desk.air, key)


def shown(desk, place: str) -> np.ndarray:
    return bgr(desk.session.media.pictures.shown[place])


def bright(picture: np.ndarray, left: float, top: float, right: float, bottom: float) -> int:
    """How many nearly white pixels there are in a part of a picture (shares of it)."""
    height, width = picture.shape[:2]
    part = picture[int(top * height) : int(bottom * height), int(left * width) : int(right * width), :3]
    return int((part.min(axis=2) > 200).sum())


def test_a_scene_a_title_slides_a_recording_and_clearing(open_desk, tmp_path):
    desk = open_desk()
    desk.until(desk.all_there)
    window, cue, titles = desk.window, desk.window.cue, desk.window.cue.titles

    # build a scene in Cue: camera 2 on R, camera 3 in an inset, the potter's name below
    keys(desk, "2", "R", "Space")
    desk.until(lambda: desk.state.program.on_air is not None and desk.state.program.on_air.camera_id == "c2")
    window.show_view("Cue")
    cue.scenes.store.click()
    desk.until(lambda: cue.scenes.scene is not None and cue.scenes.scene.id not in ("s1", "s2", "s3"))
    cue.scenes.choose_slot(1)
    choose(cue.scenes.source, "c 3 W 0")
    desk.until(lambda: cue.scenes.scene.insets)
    choose(cue.scenes.titles[0], "t1")
    desk.until(lambda: cue.scenes.scene.title_ids[0] == "t1")
    type_in(cue.scenes.name, "Suri and Jory")
    desk.until(lambda: cue.scenes.scene.name == "Suri and Jory")
    scene = cue.scenes.scene

    # change its title while it is off air: it is seen in Next first, and only then on air
    cue.show_page("Titles")
    type_in(titles.fields["name"], "Suri O")
    desk.until(lambda: desk.state.show.titled("t1").values["name"] == "Suri O")
    window.show_view("Air")
    keys(desk, "4", "W", "Space")
    desk.until(lambda: desk.state.program.on_air.camera_id == "c4")
    keys(desk, "0", "QWERTASDFG"[scene.number - 1])
    desk.until(lambda: desk.state.program.next is not None and desk.state.program.next.scene_id == scene.id)
    desk.until(
        lambda: landing_state(desk.state, desk.state.program.next, desk.session.clock.now_s()) is LandingState.SET
    )
    desk.until(lambda: bright(shown(desk, "next"), 0.06, 0.77, 0.55, 0.92) > 20)
    assert desk.state.program.overlays.on("title1") is None
    keys(desk, "Space")
    desk.until(lambda: desk.state.program.on_air.scene_id == scene.id)
    assert desk.state.program.records[-1].landed
    desk.until(lambda: bright(shown(desk, "program"), 0.06, 0.77, 0.55, 0.92) > 20)
    assert all(desk.state.on_air(c) for c in ("c2", "c3"))

    # record, run a deck, and clear everything in mid-transition
    desk.session.act("outputs.change", {"folder": str(tmp_path)})
    desk.until(lambda: desk.state.show.outputs.folder == str(tmp_path))
    QTest.keyClick(desk.air, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    desk.until(lambda: any(r.seconds > 1 for r in desk.session.outputs.recordings))
    window.show_view("Cue")
    cue.show_page("Media")
    cue.media.choose("b1")
    cue.media.ready.click()
    desk.until(lambda: desk.state.program.next is not None and desk.state.program.next.medium_id == "b1")
    window.show_view("Air")
    desk.session.act("transition.set", {"kind": "wipe", "shape": "circle", "seconds": 2.0})
    press(desk.window, "Shift+Space")
    desk.until(lambda: desk.state.program.in_transition is not None)
    keys(desk, "Y")
    desk.until(lambda: desk.state.program.overlays.in_use == {} and desk.state.program.in_transition is not None)
    desk.until(lambda: desk.state.program.in_transition is None)
    assert desk.state.program.on_air.medium_id == "b1"
    keys(desk, "BracketRight")
    desk.until(lambda: desk.state.medium("b1").slide == 1)
    assert bright(shown(desk, "program"), 0.06, 0.77, 0.55, 0.92) == 0

    # stop it by keeping the button down; it plays, with sound
    window.show_view("Cue")
    desk.window.show_view("Rig")
    desk.window.rig.show_page("Outputs")
    outputs = desk.window.rig.outputs
    desk.until(lambda: desk.session.outputs.recordings[0].proof is not None)
    QTest.mousePress(outputs.stop, Qt.MouseButton.LeftButton)
    desk.until(lambda: not desk.state.output("recording").on)
    QTest.mouseRelease(outputs.stop, Qt.MouseButton.LeftButton)
    desk.until(lambda: not desk.session.outputs.recordings[0].running)
    status = desk.session.outputs.recordings[0]
    assert status.trouble == ""
    with av.open(str(status.path)) as container:
        pictures = sum(1 for _ in container.decode(video=0))
        container.seek(0)
        loud = max(float(np.abs(f.to_ndarray()).max()) for f in container.decode(audio=0))
    assert abs(pictures - status.seconds * 25) < 3
    assert loud > 0.003  # somebody spoke, or the room was heard
