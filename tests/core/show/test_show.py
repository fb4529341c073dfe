"""The show document: what is saved comes back, what is damaged is said, and nothing stored is lost."""

import base64
import contextlib
import errno
import json
import os
import zipfile
from pathlib import Path

import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import SCHEMA_VERSION, Show, unreachable
from ribalta.core.show.document.scenes import Transition, TransitionKind
from ribalta.core.show.files import journal, storage
from ribalta.core.show.files.journal import JournalFile, find_recovery, journal_path, keep_line, line_of, picture_line
from ribalta.core.show.files.storage import StoredShow
from tests.core.hand_wound import small_show

OLD_SHOW = Path(__file__).parents[2] / "golden" / "show-v1.json"


def pictured() -> StoredShow:
    show = small_show()
    first = show.framings[0].model_copy(update={"picture": "f3-1.jpg"})
    return StoredShow(show.with_framing(first), {"f3-1.jpg": b"jpeg", "left-over.jpg": b"old"})


def rewrite(path: Path, document: object) -> None:
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("show.json", document if isinstance(document, str) else json.dumps(document))


def test_a_show_and_its_pictures_come_back_and_left_over_pictures_do_not(tmp_path):
    path = tmp_path / "a.ribalta"
    storage.save(path, pictured())
    back = storage.load(path)
    assert back.show == pictured().show
    assert dict(back.pictures) == {"f3-1.jpg": b"jpeg"}
    assert list(tmp_path.iterdir()) == [path]


def test_a_show_of_the_first_schema_still_opens():
    show = storage.parse_show(OLD_SHOW.read_text(), "The old show")
    assert (show.title, len(show.cameras), len(show.framings)) == ("Old show", 2, 1)
    assert show.framings[0].letter == "W"


def test_a_show_of_before_scenes_keeps_the_length_of_its_mixes():
    show = storage.parse_show((OLD_SHOW.parent / "show-v3.json").read_text(), "The old show")
    assert show.settings.normal == Transition(kind=TransitionKind.MIX, seconds=1.28)
    assert (len(show.cameras), len(show.framings), show.scenes) == (6, 6, ())


def test_a_show_that_counted_in_frames_lasts_as_long_in_seconds():
    show = storage.parse_show((OLD_SHOW.parent / "show-v7.json").read_text(), "The old show")
    assert show.settings.normal.seconds == 1.28
    assert (show.titles[0].seconds, show.microphones[0].fade_s) == (0.6, 0.4)
    assert show.scenes[0].transition.seconds == 2.0
    entry = show.playlists[0].entries[0]
    assert (entry.amount, entry.unit, entry.transition.seconds) == (3.0, "seconds", 1.0)
    assert show.macros[0].steps[0].call.arguments == {"black": True, "seconds": 2.0}


def test_a_show_of_schema_4_opens_with_nothing_to_press_and_listening_to_nobody():
    show = storage.parse_show((OLD_SHOW.parent / "show-v4.json").read_text(), "The old show")
    assert (len(show.scenes), len(show.titles)) == (3, 4)
    assert (show.macros, show.triggers, show.shortcuts, show.pages, show.destinations) == ((), (), (), (), ())
    assert not show.listening.osc
    assert not show.listening.http
    assert show.schema_version == SCHEMA_VERSION


def test_actions_of_version_5_are_called_as_they_are_now():
    show = storage.parse_show((OLD_SHOW.parent / "show-v5.json").read_text(), "The old show")
    inner = show.macros[0].steps[1].steps[0]
    calls = (show.macros[0].steps[0].call, inner.call, show.shortcuts[0].call, show.pages[0].pads[0].call)
    assert [call.action for call in (*calls, *show.triggers[0].calls)] == [
        "take.transition", "transition.reverse", "macro.continue", "unready", "take.release"
    ]  # fmt: skip


@pytest.mark.parametrize("version", range(1, SCHEMA_VERSION))
def test_a_show_of_every_older_version_opens_and_is_kept_as_this_one_has_it(version, tmp_path):
    raw = json.loads((OLD_SHOW.parent / f"show-v{version}.json").read_text())
    assert raw["schema_version"] == version
    before = json.dumps(raw)
    show = storage.parse_show(before, "The old show")
    assert json.dumps(raw) == before
    assert (show.schema_version, len(show.cameras)) == (SCHEMA_VERSION, len(raw["cameras"]))
    assert [f.name for f in show.framings] == [f["name"] for f in raw["framings"]]
    assert "mix_frames" not in show.model_dump_json()
    storage.save(tmp_path / "now.ribalta", StoredShow(show))
    assert storage.load(tmp_path / "now.ribalta").show == show


def test_fields_of_a_newer_show_survive_a_round_trip(tmp_path):
    path = tmp_path / "new.ribalta"
    document = json.loads(small_show().model_dump_json())
    document["schema_version"] = SCHEMA_VERSION + 3
    document["applause"] = {"level": 11}
    document["framings"][0]["depth_of_field"] = "shallow"
    document["cameras"][0]["place"]["crane"] = [1, 2]
    rewrite(path, document)
    storage.save(path, storage.load(path))
    with zipfile.ZipFile(path) as archive:
        assert json.loads(archive.read("show.json")) == document


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda d: d.update(readable_from=SCHEMA_VERSION + 1), "made by a newer Ribalta"),
        (lambda d: d["cameras"][1].update(number="two"), "damaged at cameras.1.number"),
        (lambda d: d["cameras"][1].update(number=1), "camera number 1 appears twice"),
        (lambda d: d["framings"][0].update(camera_id="c9"), "which is not here"),
        (lambda d: d["framings"][0].update(pan_deg=float("nan")), "damaged at framings.0.pan_deg"),
        (lambda d: d["cameras"][0].update(zoom_table=[[0, 60], [1, 70]]), "a zoom table's angles fall"),
        (lambda d: d["settings"].update(cover_camera_id="c9"), "cover camera 'c9' is not here"),
    ],
)
def test_a_wrong_document_is_refused_with_the_part_that_is_wrong(tmp_path, change, said):
    path = tmp_path / "wrong.ribalta"
    document = json.loads(small_show().model_dump_json())
    change(document)
    rewrite(path, document)
    with pytest.raises(LocalFault, match=said):
        storage.load(path)


@pytest.mark.parametrize(
    ("content", "said"),
    [(b"not a zip", "not a readable ZIP"), (b"", "not a readable ZIP")],
)
def test_a_file_that_is_no_show_is_said_to_be_none(tmp_path, content, said):
    path = tmp_path / "x.ribalta"
    path.write_bytes(content)
    with pytest.raises(LocalFault, match=said):
        storage.load(path)
    rewrite(path, "{ no json")
    with pytest.raises(LocalFault, match=r"show\.json cannot be read"):
        storage.load(path)
    with pytest.raises(LocalFault, match="is not at"):
        storage.load(tmp_path / "missing.ribalta")


def test_a_cut_off_file_is_refused_or_opens_with_a_warning_but_never_crashes(tmp_path):
    path = tmp_path / "cut.ribalta"
    storage.save(path, pictured())
    whole = path.read_bytes()
    for size in range(0, len(whole), 97):
        path.write_bytes(whole[:size])
        with pytest.raises(LocalFault):
            storage.load(path)
    for at in range(40, len(whole), 61):
        path.write_bytes(whole[:at] + bytes([whole[at] ^ 0x55]) + whole[at + 1 :])
        with contextlib.suppress(LocalFault):
            storage.load(path)


def test_a_missing_picture_is_a_warning_and_the_show_opens(tmp_path):
    path = tmp_path / "a.ribalta"
    storage.save(path, StoredShow(pictured().show, {}))
    back = storage.load(path)
    assert back.pictures == {}
    assert "picture of framing “1Q” is missing" in back.warnings[0]


def test_a_full_disk_leaves_the_saved_copy_as_it_was(tmp_path, monkeypatch):
    path = tmp_path / "a.ribalta"
    storage.save(path, pictured())
    before = path.read_bytes()

    def full(_: int) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(storage.os, "fsync", full)
    with pytest.raises(LocalFault, match=r"No space left on device\. The copy saved before is untouched"):
        storage.save(path, StoredShow(small_show()))
    assert path.read_bytes() == before
    assert list(tmp_path.iterdir()) == [path]


def kept(show: Show) -> bytes:
    return keep_line(show.model_dump_json())


def test_edits_after_the_last_save_are_found_again_with_their_pictures(tmp_path):
    path = tmp_path / "a.ribalta"
    storage.save(path, pictured())
    journal = JournalFile(journal_path(path))
    journal.append(kept(small_show()))
    journal.append(line_of({"saved": True}))
    assert find_recovery(path, pictured()) is None
    journal.append(line_of({"t": 1.0, "action": "take", "params": {}}))
    named = small_show().with_framing(small_show().framings[0].model_copy(update={"picture": "n-1.jpg"}))
    journal.append(kept(named) + picture_line("n-1.jpg", b"new"))
    edited = named.model_copy(update={"title": "Edited"})
    journal.append(kept(edited))
    journal.close()
    with journal_path(path).open("a") as file:
        file.write('{"keep":{"title":"cut o')
    found = find_recovery(path, pictured())
    assert found is not None
    assert (found.changes, found.stored.show) == (2, edited)
    assert found.stored.pictures == {**pictured().pictures, "n-1.jpg": b"new"}
    aside = found.set_aside(path)
    JournalFile(journal_path(path)).close()
    assert find_recovery(path, pictured()) == aside  # not answered yet: offered again
    newer = JournalFile(journal_path(path))
    newer.append(kept(small_show()))
    newer.close()
    second = find_recovery(path, pictured()).set_aside(path)
    assert (second.changes, second.journal.suffix) == (1, ".2")
    second.forget()
    assert find_recovery(path, pictured()) == aside  # the older one is still there
    aside.forget()
    assert find_recovery(path, pictured()) is None


def test_a_journal_of_an_older_version_is_taken_back_too(tmp_path):
    path = tmp_path / "a.ribalta"
    edited = small_show().model_copy(update={"title": "Edited"}).model_dump(mode="json")
    line = {"keep": edited, "pictures": {"n-1.jpg": base64.b64encode(b"new").decode()}}
    journal_path(path).write_text(json.dumps(line, separators=(",", ":")) + "\n")
    found = find_recovery(path, None)
    assert (found.stored.show.title, found.stored.pictures) == ("Edited", {"n-1.jpg": b"new"})


def test_a_damaged_journal_offers_nothing_and_stops_nothing(tmp_path):
    path = tmp_path / "a.ribalta"
    journal_path(path).write_bytes(b'\xff\xfe{"keep": 3}\n{"keep":{"cameras":7},"pictures":{}}\n')
    assert find_recovery(path, None) is None
    assert journal.find_recovery(tmp_path / "none.ribalta", None) is None


def test_framings_out_of_reach_are_named():
    show = small_show()
    far = show.framings[4].model_copy(update={"pan_deg": 200.0, "name": "Balcony"})
    (sentence,) = unreachable(show.with_framing(far))
    assert "“Balcony” is out of reach of camera 2: pan 200° is outside -170° to 170°" in sentence
    assert unreachable(Show()) == ()
