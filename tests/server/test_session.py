"""A session without a desk: the journal, saving, and what happens when something of ours fails."""

import errno
import os
import shutil
import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.messages import Event, Notice, Severity, ShowEdited
from ribalta.core.show.files import storage
from ribalta.core.show.files.journal import JournalFile, find_recovery, journal_path, lines_of
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.server.session import Session
from tests.core.hand_wound import small_show

pytestmark = pytest.mark.real_time


class Ears:
    """Hears a session's events and waits for one."""

    def __init__(self, session: Session) -> None:
        self.heard: list[Event] = []
        self._news = threading.Condition()
        session.listen(self._hear)

    def _hear(self, event: Event) -> None:
        with self._news:
            self.heard.append(event)
            self._news.notify_all()

    def sentences(self) -> list[str]:
        return [e.sentence for e in self.heard if isinstance(e, Notice)]

    def wait(self, true: Callable[[Event], bool]) -> None:
        with self._news:
            assert self._news.wait_for(lambda: any(true(e) for e in self.heard), 10), self.heard

    def wait_said(self, words: str) -> None:
        self.wait(lambda e: isinstance(e, Notice) and words in e.sentence)


def fixed_only() -> StoredShow:
    """A show that reaches for no device."""
    show = small_show()
    cameras = tuple(c.model_copy(update={"head": None, "control": None}) for c in show.cameras)
    return StoredShow(show.model_copy(update={"cameras": cameras}), {})


@pytest.fixture
def start(tmp_path):
    running: list[Session] = []

    def begin(stored: StoredShow | None = None, named: bool = True, path: Path | None = None) -> tuple[Session, Ears]:
        path = path or tmp_path / "show.ribalta"
        stored = stored or fixed_only()
        if named and not path.exists():
            storage.save(path, stored)
        session = Session(stored, path if named else None)
        ears = Ears(session)
        session.start()
        running.append(session)
        return session, ears

    yield begin
    for session in running:
        session.stop()


def rename(session: Session, name: str) -> None:
    session.act("framing.rename", {"camera": 2, "letter": "W", "name": name})


def test_every_input_is_in_the_journal_in_order(start):
    session, ears = start()
    session.act("take", {})
    rename(session, "Hands")
    ears.wait(lambda e: isinstance(e, ShowEdited))
    lines = list(lines_of(journal_path(session.file.path)))
    actions = [line["action"] for line in lines if "action" in line]
    assert actions == ["take", "framing.rename"]
    times = [line["t"] for line in lines if "t" in line]
    assert times == sorted(times)


def test_saving_ends_what_would_be_offered_and_edits_after_it_begin_anew(start):
    session, ears = start()
    rename(session, "Hands")
    ears.wait(lambda e: isinstance(e, ShowEdited))
    assert session.file.unsaved
    assert find_recovery(session.file.path, None).changes == 1
    session.file.save()
    ears.wait_said("Saved as show.ribalta")
    assert not session.file.unsaved
    assert find_recovery(session.file.path, None) is None
    assert load(session.file.path).show.framing_at("c2", 1).name == "Hands"
    ears.heard.clear()
    rename(session, "Bowl")
    ears.wait(lambda e: isinstance(e, ShowEdited))
    assert find_recovery(session.file.path, None).stored.show.framing_at("c2", 1).name == "Bowl"


def test_what_is_dropped_is_not_offered_again(start, tmp_path):
    session, ears = start()
    rename(session, "Hands")
    ears.wait(lambda e: isinstance(e, ShowEdited))
    crashed = tmp_path / "crashed.ribalta"
    shutil.copy(session.file.path, crashed)
    shutil.copy(journal_path(session.file.path), journal_path(crashed))
    again, ears = start(load(crashed), path=crashed)
    assert again.file.recovery.changes == 1
    again.file.save()
    ears.wait_said("Saved")
    assert find_recovery(crashed, None) is not None  # saving does not answer the offer
    again.file.answer_recovery(False)
    ears.wait_said("were dropped")
    assert find_recovery(crashed, None) is None


def test_a_disk_that_is_full_is_said_once_and_the_show_goes_on(start, monkeypatch):
    session, ears = start()

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(JournalFile, "append", full)
    for name in ("One", "Two", "Three"):
        rename(session, name)
    ears.wait(lambda e: isinstance(e, ShowEdited) and "Three" in e.what)
    said = [s for s in ears.sentences() if "journal cannot be written" in s]
    assert len(said) == 1
    assert "No space left on device" in said[0]
    assert session.state.show.framing_at("c2", 1).name == "Three"


def test_a_save_that_fails_says_so_and_stays_unsaved(start, monkeypatch):
    session, ears = start()
    before = session.file.path.read_bytes()
    rename(session, "Hands")
    ears.wait(lambda e: isinstance(e, ShowEdited))

    def refuse(*_: object) -> None:
        raise OSError(errno.EROFS, os.strerror(errno.EROFS))

    monkeypatch.setattr(storage.os, "replace", refuse)
    session.file.save()
    ears.wait_said("could not be saved")
    assert "Read-only file system" in ears.sentences()[-1]
    assert session.file.unsaved
    assert session.file.path.read_bytes() == before


def test_a_mistake_of_ours_is_said_and_the_next_action_works(start, monkeypatch, caplog):
    session, ears = start()
    monkeypatch.setattr(session.host._engine, "act", lambda *_: 1 / 0)
    session.act("take", {})
    ears.wait_said("An input met a mistake of Ribalta's (ZeroDivisionError). It had no effect. Go on.")
    monkeypatch.undo()
    rename(session, "Hands")
    ears.wait(lambda e: isinstance(e, ShowEdited))
    assert "an input failed" in caplog.text


def test_a_show_with_parts_missing_opens_and_says_which(start):
    show = small_show()
    far = show.framings[4].model_copy(update={"pan_deg": 200.0, "name": "Balcony"})
    stored = StoredShow(show.with_framing(far), {}, ("The picture of framing “1Q” is missing.",))
    _, ears = start(stored, named=False)
    ears.wait_said("“Balcony” is out of reach")
    ears.wait_said("picture of framing “1Q”")
    assert all(e.severity is Severity.FAULT for e in ears.heard if isinstance(e, Notice))


def test_a_camera_at_an_unknown_address_is_said_and_the_rest_works(start):
    show = small_show()
    lost = show.cameras[0].model_copy(
        update={"control": show.cameras[0].control.model_copy(update={"host": "no-such-host.invalid"})}
    )
    stored = StoredShow(show.model_copy(update={"cameras": (lost, *show.cameras[1:])}), {})
    session, ears = start(stored, named=False)
    ears.wait_said("Camera 1 “Camera 1” is out of reach: there is no machine called “no-such-host.invalid”")
    session.act("ready.camera", {"camera": 3})
    session.act("take", {})
    ears.wait_said("Camera 3 does not answer, so the take waits")


def test_a_show_that_is_open_elsewhere_is_refused_and_left_alone(start):
    session, ears = start()
    rename(session, "Hands")
    ears.wait(lambda e: isinstance(e, ShowEdited))
    with pytest.raises(LocalFault, match="is open in another Ribalta"):
        Session(load(session.file.path), session.file.path)
    rename(session, "Bowl")
    ears.wait(lambda e: isinstance(e, ShowEdited) and "Bowl" in e.what)
    assert find_recovery(session.file.path, None).stored.show.framing_at("c2", 1).name == "Bowl"
