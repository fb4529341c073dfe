"""Practice: a show's cameras as stand-ins can have them, everything it reaches replaced, and marked in each picture."""

import json

import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.state.live import opening_state
from ribalta.core.picture.planes import Picture
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Wire
from ribalta.core.show.document.camera import PictureKind, PictureSource
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.core.show.files.storage import load
from ribalta.demo.practice import practised, rows_of
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.shell.bars import mode_words
from ribalta.media.program.practice import SHARE, stamp, stamped
from ribalta.standins.cameras import BUILDS
from ribalta.standins.plans import builds_of

REAL = "192.0.2.7"


def real_show() -> Show:
    """The demo's, as if all of it were somewhere in a network."""
    show = load(SHIPPED).show
    picture = PictureSource(kind=PictureKind.STREAM, name=f"rtsp://{REAL}/1", user="crew")
    cameras = tuple(
        c.model_copy(update={"picture": picture, "control": c.control and c.control.model_copy(update={"host": REAL})})
        for c in show.cameras
    )
    partners = tuple(
        Destination(id=f"d{k}", name=f"Partner {k}", wire=wire, host=REAL, port=9100) for k, wire in enumerate(Wire)
    )
    outputs = show.outputs.model_copy(
        update={"stream_to": f"rtmp://{REAL}/live", "tally": (TallyReceiver(host=REAL, port=8900),)}
    )
    mics = tuple(m.model_copy(update={"address": f"rtp://{REAL}:5004"}) for m in show.microphones)
    changes = {"cameras": cameras, "destinations": partners, "outputs": outputs, "microphones": mics}
    return show.model_copy(update=changes)


def announcement(show: Show) -> dict:
    rows = [
        {"number": c.number, "name": c.name, "picture": f"here-{c.number}", "host": "127.9.9.9"}
        | ({"visca-ip": 52381} if c.steered else {})
        for c in show.cameras
    ]
    partner = {"host": "127.9.9.210", "osc": 9000, "udp": 9001, "tcp": 9002, "http": 9003}
    sound = {"address": "rtp://127.9.9.200:5004", "channels": 8}
    return {"standins": rows, "sound": sound, "partner": partner}


def test_nothing_real_is_left_in_what_is_practised_with(tmp_path):
    show = real_show()
    made = practised(show, announcement(show), str(tmp_path))
    assert REAL not in made.model_dump_json()
    assert made.outputs.stream_to == ""
    assert made.outputs.tally == ()
    assert made.outputs.folder == str(tmp_path)
    assert made.title == f"Practice: {show.title}"
    assert practised(made, announcement(show), str(tmp_path)).title == made.title
    assert made.framings == show.framings
    assert REAL in show.model_dump_json()  # the show itself stays as it is


def test_stand_ins_stand_and_turn_as_the_shows_cameras_do(tmp_path):
    show, plan = load(SHIPPED).show, tmp_path / "plan.json"
    plan.write_text(json.dumps(rows_of(show)))
    made = builds_of(plan)
    assert [b.number for b in made] == [b.number for b in BUILDS]
    for mine, theirs in zip(made, BUILDS, strict=True):
        assert (mine.mount.x_m, mine.mount.y_m, mine.mount.hung) == (
            theirs.mount.x_m, theirs.mount.y_m, theirs.mount.hung)  # fmt: skip
        assert mine.steered == theirs.steered
        assert mine.wide_deg == pytest.approx(theirs.wide_deg, abs=2.5)


@pytest.mark.parametrize("rows", ["{}", "[]", '[{"number": 1}]', "not json", '[{"number": 900, "name": "x", "place": '
                                  '[0,0,0,0,0,0], "wide_deg": 60, "tele_deg": 5}]'])  # fmt: skip
def test_a_plan_that_is_none_is_a_sentence(tmp_path, rows):
    plan = tmp_path / "plan.json"
    plan.write_text(rows)
    with pytest.raises(LocalFault, match=r"cannot be made from plan\.json"):
        builds_of(plan)


def test_every_picture_and_every_view_says_it():
    picture = Picture.plain(1280, 720, (90, 128, 128))
    copy = stamped(picture)
    assert (picture.y == 90).all()
    assert (copy.y[720 // SHARE + 1 :] == 90).all()
    band = copy.y[: 720 // SHARE]
    assert band.std() > 60
    black = Picture.plain(640, 360)
    stamp(black)
    assert black.y[: 360 // SHARE].mean() > 100
    state = opening_state(load(SHIPPED).show, 0.0)
    assert mode_words(state) == ""
    assert mode_words(state.with_crew(practice=True)).startswith("PRACTICE")
    assert not all_there(state.show).crew.practice
