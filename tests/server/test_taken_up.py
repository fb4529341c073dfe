"""Servers that died or hang, and what they leave: sockets, journals, a show that goes on where it was."""

import os
import socket
import time

import pytest

from ribalta.attach import runtime_folder
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.messages import Notice
from ribalta.core.show.files import storage
from ribalta.core.show.files.journal import find_recovery, journal_path
from ribalta.server.desks.desk_port import DeskPort
from ribalta.server.resuming import resumed_from
from ribalta.server.session import Session
from tests.server.test_desk_port import stage as stage
from tests.server.test_desk_port import until
from tests.server.test_session import fixed_only

pytestmark = pytest.mark.real_time


def test_sockets_of_crashes_are_cleared_and_two_servers_of_one_show_refused(stage, tmp_path):
    assert [m.name for m in runtime_folder.running()] == ["show"]
    with pytest.raises(LocalFault, match="runs already"):
        runtime_folder.listen_at(stage.port.meeting.path)
    dead = socket.socket(socket.AF_UNIX)
    left = stage.port.meeting.path.with_name("old.0123456789.sock")
    dead.bind(os.fspath(left))
    dead.close()
    assert [m.name for m in runtime_folder.running()] == ["show"]
    assert not left.exists()
    long = runtime_folder.meeting_of(tmp_path / f"{'Ä' * 90}.ribalta")
    assert len(os.fsencode(long.path)) <= 108
    with pytest.raises(LocalFault, match="No show answers"):
        RemoteShow(left)


def kept_in_journal(path, stored):
    recovery = find_recovery(path, stored)
    return recovery.stored.show if recovery is not None else None


def test_a_server_that_died_is_gone_on_from_its_journal(stage):
    one = stage.desk()
    one.act("ready.camera", {"camera": 2})
    one.act("take", {})
    one.act("take", {})
    one.act("ready.camera", {"camera": 3})
    one.act("framing.rename", {"camera": 3, "letter": "W", "name": "Hands"})
    one.act("black", {})
    one.act("mic.master", {"db": -7.0})
    one.act("macro.add", {"name": "Long", "steps": [{"kind": "wait", "seconds": 500}]})
    until(lambda: bool(one.state.show.macros))
    one.act("macro.run", {"macro": one.state.show.macros[0].id})
    until(lambda: bool(one.state.automation.runs))
    before = one.state
    assert (before.program.takes, before.program.on_air.camera_id) == (1, "c2")
    until(lambda: b'"macro.run"' in journal_path(stage.path).read_bytes())
    stored = storage.load(stage.path)
    until(lambda: kept_in_journal(stage.path, stored) == before.show)  # an edit is said to be done once it is kept
    found = resumed_from(stage.path, stored)
    assert not found.trouble
    stage.close()
    journal = journal_path(stage.path)
    stage.session = Session(storage.load(stage.path), stage.path, resumed=found)
    said: list[str] = []
    stage.session.listen(lambda e: said.append(e.sentence) if isinstance(e, Notice) else None)
    stage.port, stage.runs = DeskPort(stage.session, stage.port.meeting), True
    stage.session.start()
    stage.port.start()
    again = stage.desk()
    until(lambda: any("“Long” was half-way" in sentence for sentence in said))
    after = again.state
    assert after.program.on_air == before.program.on_air
    assert after.program.next == before.program.next
    assert after.program.black.black
    assert after.program.takes == before.program.takes
    assert after.sound.master_db == before.sound.master_db
    assert (after.desk.row, after.desk.view) == (before.desk.row, before.desk.view)
    assert after.show.framings == before.show.framings
    assert not after.automation.runs
    until(lambda: again.file.unsaved)
    assert again.file.recovery is None
    until(lambda: b'"keep"' in journal.read_bytes())
    assert after.run.count >= before.run.count


def test_a_show_that_was_ended_begins_anew_and_one_of_another_boot_in_its_own_time(stage, monkeypatch):
    one = stage.desk()
    one.act("ready.camera", {"camera": 2})
    one.act("take", {})
    one.act("take", {})
    until(lambda: one.state.program.takes == 1)
    until(lambda: journal_path(stage.path).read_bytes().count(b'"take"') >= 2)
    monkeypatch.setattr("ribalta.server.resuming.time.time", lambda: time.monotonic() + 5.0)
    found = resumed_from(stage.path, storage.load(stage.path))
    assert found.state is not None
    assert found.state.program.on_air.camera_id == "c2"
    assert abs(found.state.program.since_s - time.monotonic()) < 5
    assert not found.state.program.records
    stage.close()
    assert resumed_from(stage.path, storage.load(stage.path)).state is None


@pytest.mark.parametrize("damage", [b"", b"{}\n", b"\xff\n" * 9, b'{"ribalta":"journal"}\n{"standing":7}\n'])
def test_a_journal_that_cannot_be_gone_on_from_is_said_and_the_show_begins_anew(tmp_path, damage):
    path = tmp_path / "show.ribalta"
    storage.save(path, fixed_only())
    journal_path(path).write_bytes(damage)
    found = resumed_from(path, storage.load(path))
    assert found.state is None
    assert "begins anew" in found.trouble
