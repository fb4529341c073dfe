"""The journal: whatever happens to the disk, nothing that was stored is lost, and nothing unreadable is overwritten."""

import errno
import json
import os
import random
import time
from types import SimpleNamespace

import pytest

from ribalta.app import replay
from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.journal.replaying import opening_of, state_of
from ribalta.core.engine.journal.replaying import replay as replayed
from ribalta.core.engine.journal.thinning import Thinner
from ribalta.core.engine.state.live import opening_state
from ribalta.core.ports.messages import ShowEdited
from ribalta.core.show.files import storage
from ribalta.core.show.files.journal import (
    KEPT_PAST,
    VERSION,
    JournalFile,
    find_recovery,
    journal_path,
    keep_line,
    line_of,
    lines_of,
    past_journals,
    picture_line,
    prune_past,
)
from ribalta.core.show.files.storage import StoredShow
from ribalta.server import journal_writer
from ribalta.server.chores import Chores
from ribalta.server.inbox import Inbox
from ribalta.server.journal_writer import JournalWriter
from ribalta.server.persistence import Persistence
from ribalta.workers.crew import Crew
from tests.abuse.test_threads import until
from tests.core.hand_wound import Hall, small_show


@pytest.fixture
def show_path(tmp_path):
    path = tmp_path / "show.ribalta"
    storage.save(path, StoredShow(small_show()))
    return path


@pytest.fixture
def begin(show_path, monkeypatch):
    monkeypatch.setattr(journal_writer, "AGAIN_S", 0.02)
    made = []

    def begun(said: list[str], path=show_path) -> JournalWriter:
        hall = Hall()
        writer = JournalWriter(path, line_of(opening_of(hall.state, 100.0)), said.append, Crew(said.append))
        writer.start()
        made.append(writer)
        return writer

    yield begun
    for writer in made:
        writer.stop()


def renamed(name: str):
    show = small_show()
    return show.with_framing(show.framings[0].model_copy(update={"name": name, "picture": f"{name}.jpg"}))


def found(path) -> tuple[str, dict[str, bytes]]:
    recovery = find_recovery(path, None)
    return recovery.stored.show.framings[0].name, dict(recovery.stored.pictures)


def test_no_input_waits_for_a_disk_that_hangs(begin, monkeypatch):
    hangs = SimpleNamespace(over=False)
    writer = begin([])
    plain = JournalFile.append

    def append(file, data):
        while not hangs.over:
            time.sleep(0.005)  # a disk
        plain(file, data)

    monkeypatch.setattr(JournalFile, "append", append)
    began_s = time.monotonic()
    for k in range(500):
        writer.put(line_of({"t": k, "action": "take", "params": {}}))
    writer.keep(renamed("Hands"))
    assert time.monotonic() - began_s < 0.5
    hangs.over = True
    writer.stop()
    assert len(list(lines_of(writer._show_path.with_name("show.ribalta.journal")))) == 502


def test_a_picture_that_comes_after_its_framing_is_in_the_journal_at_once(begin, show_path):
    """It was in none until the next edit."""
    writer = begin([])
    written = []
    writer.keep(renamed("Hands"), lambda: written.append(True))
    until(lambda: written)
    writer.picture("Hands.jpg", b"seen")
    until(lambda: found(show_path) == ("Hands", {"Hands.jpg": b"seen"}))


def test_what_is_stored_while_the_disk_is_full_is_written_when_there_is_room(begin, show_path, monkeypatch):
    said: list[str] = []
    writer = begin(said)
    plain, full = os.write, SimpleNamespace(on=True)

    def write(handle, data):
        if full.on:
            plain(handle, bytes(data)[:7])  # torn in its middle
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return plain(handle, data)

    monkeypatch.setattr("ribalta.core.show.files.journal.os.write", write)
    told = []
    writer.put(line_of({"t": 1.0, "action": "take", "params": {}}))
    writer.picture("Hands.jpg", b"seen")
    writer.keep(renamed("Hands"), lambda: told.append(True))
    until(lambda: told)  # the show goes on
    until(lambda: said)
    full.on = False
    until(lambda: len(said) == 2)
    assert "No space left on device" in said[0]
    assert "written again" in said[1]
    assert found(show_path) == ("Hands", {"Hands.jpg": b"seen"})
    until(lambda: [line for line in lines_of(journal_path(show_path)) if line.get("action") == "take"])


def test_a_stick_that_is_pulled_and_put_back_gets_all_that_is_not_saved(begin, tmp_path):
    stick, away = tmp_path / "stick", tmp_path / "away"
    stick.mkdir()
    path = stick / "show.ribalta"
    storage.save(path, StoredShow(small_show()))
    said: list[str] = []
    writer = begin(said, path)
    writer.picture("Hands.jpg", b"seen")
    done = []
    writer.keep(renamed("Hands"), lambda: done.append(True))
    until(lambda: done)
    stick.rename(away)
    os.close(writer._file._handle)
    writer._file._handle = os.open("/dev/full", os.O_WRONLY)  # as a device that has gone
    writer.put(line_of({"t": 1.0, "action": "take", "params": {}}))
    until(lambda: said)
    stick.mkdir()
    until(lambda: len(said) == 2)
    assert found(path) == ("Hands", {"Hands.jpg": b"seen"})


def test_a_torn_line_swallows_nothing(show_path):
    path = journal_path(show_path)
    torn = line_of({"t": 1.0, "action": "take", "params": {}})[:20]
    path.write_bytes(torn + keep_line(renamed("Hands").model_dump_json()) + picture_line("Hands.jpg", b"x")[:-5])
    assert found(show_path) == ("Hands", {})
    path.write_bytes(keep_line(renamed("Hands").model_dump_json()) + keep_line(renamed("Bowl").model_dump_json())[:-40])
    assert found(show_path)[0] == "Hands"


@pytest.mark.parametrize("kind", ["link", "pipe", "folder"])
def test_what_is_no_plain_file_is_left_alone_and_said(tmp_path, show_path, kind):
    """A link was followed, and what it pointed to was emptied; a pipe hung the opening."""
    path, other = journal_path(show_path), tmp_path / "precious"
    other.write_text("mine")
    {"link": lambda: path.symlink_to(other), "pipe": lambda: os.mkfifo(path), "folder": path.mkdir}[kind]()
    kept = Persistence(StoredShow(small_show()), show_path, Chores(), Inbox())
    kept.begin(Hall().state, 100.0)
    assert "is no plain file" in kept.troubles[0]
    kept.record({"t": 1.0, "action": "take", "params": {}}, Hall().state)
    kept.close()
    assert other.read_text() == "mine"


@pytest.mark.parametrize(
    "content",
    [
        line_of({"ribalta": "journal", "version": VERSION + 1, "t": 0}) + b'{"new":1}\n',
        b"\x00\xff garbage\n" * 30,
        keep_line('{"cameras": 7}'),
        keep_line(renamed("Hands").model_dump_json())[:-30],
    ],
)
def test_what_cannot_be_read_is_set_aside_and_never_overwritten(show_path, content):
    path = journal_path(show_path)
    path.write_bytes(content)
    kept = Persistence(StoredShow(small_show()), show_path, Chores(), Inbox())
    kept.begin(Hall().state, 100.0)
    kept.close()
    assert path.with_name(path.name + ".1").read_bytes() == content
    assert "set aside" in kept.troubles[0]


def test_journals_are_their_owners_alone_bounded_and_begun_anew_when_the_show_is_saved(begin, show_path, monkeypatch):
    writer = begin([])
    writer.picture("Hands.jpg", b"seen")
    writer.keep(renamed("Hands"))
    opening = line_of(opening_of(Hall().state, 200.0))
    writer.begin_anew(opening)  # it had grown large: what is not saved goes along
    until(lambda: past_journals(show_path) and find_recovery(show_path, None) is not None)
    assert found(show_path) == ("Hands", {"Hands.jpg": b"seen"})
    writer.saved(opening)
    until(lambda: len(past_journals(show_path)) == 2)
    until(lambda: journal_path(show_path).exists())
    assert find_recovery(show_path, None) is None
    writer.stop()
    modes = {p.stat().st_mode & 0o777 for p in (journal_path(show_path), *past_journals(show_path))}
    assert modes == {0o600}
    for k in range(3, 9):
        path = journal_path(show_path)
        path.with_name(f"{path.name}.past.{k}").write_bytes(b"x" * (KEPT_PAST // 4))
    prune_past(show_path)
    assert sum(p.stat().st_size for p in past_journals(show_path)) <= KEPT_PAST
    assert past_journals(show_path)[-1].suffix == ".8"


def test_what_is_edited_while_the_show_is_saved_stays_and_a_large_journal_is_turned_once(begin, show_path, monkeypatch):
    monkeypatch.setattr(journal_writer, "LARGEST", 20_000)
    writer, opening = begin([]), line_of(opening_of(Hall().state, 200.0))
    writer.saved(
        opening, None, lambda: picture_line("Hands.jpg", b"seen") + keep_line(renamed("Hands").model_dump_json())
    )
    writer.keep(renamed("Hands").model_copy(update={"title": "Later"}))
    turns = 0
    for k in range(2000):
        if writer.is_large:
            turns += 1
            writer.begin_anew(opening)
        writer.put(line_of({"t": k, "action": "take", "params": {}}))
        if k % 100 == 0:
            until(lambda: not writer._jobs)
    writer.stop()
    assert found(show_path) == ("Hands", {"Hands.jpg": b"seen"})
    assert find_recovery(show_path, None).stored.show.title == "Later"
    assert 1 <= turns <= 6
    assert len(past_journals(show_path)) == 1 + turns


def test_half_characters_and_what_json_does_not_know_are_written(begin, show_path):
    writer = begin([])
    writer.put(line_of({"t": 1.0, "action": "take", "params": {"\ud800": "\udfff", "odd": {1, 2}}}))
    writer.stop()
    assert list(lines_of(journal_path(show_path)))[-1]["params"]["\ud800"] == "\udfff"


def test_a_long_evening_is_taken_back_in_two_seconds(show_path):
    """It took 26."""
    path = journal_path(show_path)
    line = line_of({"t": 1.0, "report": "Position", "fields": {"camera_id": "c1", "aim": {}, "sampled_s": 1.0}})
    with path.open("wb") as file:
        for k in range(20):
            file.write(line * (10_000_000 // len(line)))
            file.write(keep_line(renamed(f"Hands{k}").model_dump_json()))
    assert path.stat().st_size > 200_000_000
    began_s = time.process_time()
    assert found(show_path)[0] == "Hands19"
    assert time.process_time() - began_s < 2.0
    path.unlink()


def played(seed: int) -> Hall:
    chance, hall = random.Random(seed), Hall()
    for _ in range(40):
        hall.act("ready.camera", camera=chance.choice((1, 2, 3, 4)))
        if chance.random() < 0.7:
            hall.act("ready.framing", camera=chance.choice((1, 2, 3)), letter=chance.choice("QWE"))
        hall.turn(chance.choice((0.1, 0.5, 2.0)))
        hall.act("take")
        hall.turn(chance.choice((0.1, 3.0)))
    return hall


@pytest.mark.parametrize("seed", [1, 2])
def test_a_thinned_journal_shows_the_same_again_at_a_fraction_of_its_size(seed):
    hall, thinner = played(seed), Thinner()
    thinned = [one for entry in hall.entries for one in thinner.passed(entry)]
    again = replayed(hall.opening, thinned)
    once = [(r.shot, r.landed) for r in hall.records]
    assert [(r.shot, r.landed) for r in again.state.program.records] == once
    assert max(abs(a.at_s - b.at_s) for a, b in zip(again.state.program.records, hall.records, strict=True)) < 0.12
    assert len(thinned) < len(hall.entries) / 4
    assert sum(len(line_of(one)) for one in thinned if "report" in one) < 90 * sum("report" in e for e in thinned)


def test_pictures_that_are_late_for_a_moment_are_written_when_something_depends_on_them():
    waiting: list[str] = []
    thinner = Thinner(waits=waiting.__contains__)

    def late(t: float, camera_id: str, captured_s: float | None) -> list[list[object]]:
        entry = {"t": t, "report": "PictureStalled", "fields": {"camera_id": camera_id, "captured_s": captured_s}}
        return [one["report"] for one in thinner.passed(entry)]

    assert [late(1.0, "c1", 0.8), late(1.2, "c1", None), late(1.3, "c2", 1.1)] == [[], [], []]
    told = thinner.passed({"t": 2.0, "action": "take", "params": {}})
    assert [one.get("report") for one in told] == [["PictureStalled", "c1", None], ["PictureStalled", "c2", 1.1], None]
    waiting.append("c2")
    assert late(2.5, "c2", None) == [["PictureStalled", "c2", None]]
    assert late(2.6, "c2", None) == []


def test_a_journal_of_before_has_names_in_its_reports_and_is_read_even_so():
    position = {"camera_id": "c1", "aim": {"pan_deg": 7.5, "tilt_deg": 1.0, "zoom": 0.5}, "sampled_s": 3.0}
    short = {"report": ["Position", "c1", [7.5, 1.0, 0.5], 3.0]}
    for told in ({"report": "Position", "fields": position}, short):
        again = replayed(opening_state(small_show()), [{"t": 3.1, **told}])
        assert (again.state.live("c1").aim, again.state.live("c1").sampled_s) == (Aim(7.5, 1.0, 0.5), 3.0)


def test_an_opening_leads_back_to_how_the_show_stood():
    hall = played(3)
    state = state_of(json.loads(line_of(opening_of(hall.state, hall.clock.now_s()))))
    assert (state.show, state.program.on_air, state.program.next, state.program.then) == (
        hall.state.show,
        hall.state.program.on_air,
        hall.state.program.next,
        hall.state.program.then,
    )
    assert {i: live.aim for i, live in state.cameras.items()} == {i: v.aim for i, v in hall.state.cameras.items()}
    with pytest.raises(LocalFault, match="damaged where it begins"):
        state_of({"show": "x"})


def test_replay_says_what_went_on_air(begin, show_path, capsys):
    hall, writer = played(4), begin([])
    thinner = Thinner()
    writer.begin_anew(line_of(opening_of(hall.opening, 100.0)))
    for entry in hall.entries:
        for one in thinner.passed(entry):
            writer.put(line_of(one))
    writer.put(b'{"t":1e9,"action":"no.such","params":{}}\n{"t":"x","action":7}\n{"report":"Gone"}\n[]\n')
    writer.stop()
    arguments = SimpleNamespace(show=show_path, until=None, json=True)
    assert replay.replay_show(arguments) == 0
    told = json.loads(capsys.readouterr().out)["aired"]
    assert [one["landed"] for one in told] == [r.landed for r in hall.records]
    arguments.json = False
    replay.replay_show(arguments)
    assert len(capsys.readouterr().out.splitlines()) == len(told)
    with pytest.raises(LocalFault, match="not a time of day"):
        replay.replay_show(SimpleNamespace(show=show_path, until="noon", json=False))
    with pytest.raises(LocalFault, match="no journal"):
        replay.replay_show(SimpleNamespace(show=show_path.with_name("x"), until=None, json=False))


def test_an_edit_is_heard_of_when_it_is_in_the_journal(show_path):
    from ribalta.server.session import Session

    session = Session(storage.load(show_path), show_path)
    heard = []

    def hear(event) -> None:
        if isinstance(event, ShowEdited):
            heard.append(find_recovery(show_path, None) is not None)

    session.listen(hear)
    session.start()
    try:
        session.act("framing.rename", {"camera": 2, "letter": "W", "name": "Hands"})
        until(lambda: heard)
    finally:
        session.stop()
    assert heard == [True]


def test_reports_of_a_journal_from_before_are_read_by_the_names_that_they_had(show_path):
    """What is called otherwise now was written by other names, with its fields by theirs."""
    hall = Hall()
    old = [
        {"t": 101.0, "report": "PictureSeen", "fields": {"camera_id": "c2", "arrives": False}},
        {"t": 101.5, "report": "PictureStands", "fields": {"camera_id": "c1", "captured_s": 100.9}},
        {"t": 102.0, "report": ["PictureSeen", "c2", True]},
    ]
    engine = replayed(hall.state, old[:2])
    assert not engine.state.live("c2").picture
    assert engine.state.live("c1").newest_s == 100.9
    assert replayed(engine.state, old[2:]).state.live("c2").picture
