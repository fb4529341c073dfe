"""Desks that attach to a running show over a real line, in one process: what they see, do, and what they cannot."""

import contextlib
import mmap
import os
import socket
import tempfile
import threading
from pathlib import Path

import pytest

from ribalta.attach import pictures as attach_pictures
from ribalta.attach import runtime_folder
from ribalta.attach.line import LENGTH, Line
from ribalta.attach.protocol import VERSION, Said
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.messages import InUse, Notice
from ribalta.core.show.files import storage
from ribalta.server.desks.desk_port import DeskPort
from ribalta.server.session import Session
from tests.server.test_session import fixed_only
from tests.stalls import Lived

pytestmark = pytest.mark.real_time


def until(true, limit_s: float = 10.0) -> None:
    pause, lived = threading.Event(), Lived(limit_s)
    while not true():
        assert not lived.is_over()
        pause.wait(0.005)


class Stage:
    """A session with a port, and the desks that were attached to it."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / "show.ribalta"
        storage.save(self.path, fixed_only())
        self.ended = threading.Event()
        self.session = Session(storage.load(self.path), self.path)
        self.port = DeskPort(self.session, runtime_folder.meeting_of(self.path), self.ended.set)
        self.session.start()
        self.port.start()
        self.runs = True
        self.desks, self.said = list[RemoteShow](), list[str]()

    def desk(self, view: str = "") -> RemoteShow:
        self.desks.append(made := RemoteShow(self.port.meeting.path, view))
        made.listen(lambda e: self.said.append(e.sentence) if isinstance(e, Notice) else None)
        return made

    def heard(self, words: str) -> bool:
        return any(words in sentence for sentence in self.said)

    def bare(self) -> socket.socket:
        """A line that says what it likes."""
        made = socket.socket(socket.AF_UNIX)
        made.settimeout(5)
        made.connect(os.fspath(self.port.meeting.path))
        return made

    def close(self) -> None:
        for desk in self.desks:
            desk.close()
        self.desks.clear()
        if self.runs:
            self.port.stop()
            self.session.stop()
        self.runs = False


@pytest.fixture
def stage(tmp_path, monkeypatch):
    with tempfile.TemporaryDirectory(prefix="r-") as short:  # a socket's path has little room
        monkeypatch.setenv("XDG_RUNTIME_DIR", short)
        made = Stage(tmp_path)
        yield made
        made.close()


def test_two_desks_work_on_one_show_and_agree(stage):
    one, two = stage.desk(), stage.desk("Frame")
    assert (one.number, two.number) == ("1", "2")
    until(lambda: stage.heard("Another window"))
    one.act("ready.camera", {"camera": 2})
    two.act("framing.rename", {"camera": 3, "letter": "W", "name": "Hands"})
    one.act("take", {})
    one.act("take", {})  # at once: nothing says that this camera is set
    for desk in (one, two):
        until(lambda desk=desk: desk.state.program.takes == 1)
        until(lambda desk=desk: any(f.name == "Hands" for f in desk.state.show.framings))
        assert desk.state.show == stage.session.state.show
        assert desk.state.program == stage.session.state.program
    until(lambda: two.state.desk.view == "Frame")
    assert (one.state.desk.row, one.state.desk.view) == ("c2", "Air")
    until(lambda: len(two.log.history.lines) == len(one.log.history.lines) == len(stage.session.log.history.lines))
    ran = one.log.history
    assert {line.cause.desk for line in ran.lines} == {"1", "2"}
    assert "at desk 2" in ran.chain_words(next(line.number for line in ran.lines if "rename" in line.action))


def test_a_desk_that_comes_later_finds_the_row_page_and_view_of_the_one_that_went(stage):
    one = stage.desk()
    one.act("ready.camera", {"camera": 3})
    one.act("board.page", {"by": 1})
    one.act("view.shown", {"view": "Cue"})
    until(lambda: (one.state.desk.row, one.state.desk.page, one.state.desk.view) == ("c3", 1, "Cue"))
    one.leave()
    until(lambda: stage.port.attached == 0)
    again = stage.desk()
    assert (again.state.desk.row, again.state.desk.page, again.state.desk.view) == ("c3", 1, "Cue")
    assert again.log.history.lines
    until(lambda: len(again.log.history.lines) == len(stage.session.log.history.lines))


def test_keys_held_at_a_desk_are_let_go_when_it_goes_and_questions_are_asked_of_who_acted(stage):
    one, two = stage.desk(), stage.desk()
    asked: list[str] = []
    one.listen(lambda e: asked.append("one") if isinstance(e, InUse) else None)
    two.listen(lambda e: asked.append("two") if isinstance(e, InUse) else None)
    two.act("macro.add", {"name": "Go", "steps": [{"call": {"action": "take", "arguments": {}}}]})
    until(lambda: bool(two.state.show.macros))
    macro = two.state.show.macros[0].id
    two.act("shortcut.set", {"control": "key J", "action": "macro.run", "arguments": {"macro": macro}})
    until(lambda: bool(two.state.show.shortcuts))
    two.act("macro.remove", {"macro": macro})
    until(lambda: bool(asked))
    assert asked == ["two"]
    one.controls.work("key 3", True)
    until(lambda: one.state.program.next is not None)
    one.leave()
    until(lambda: stage.port.attached == 1)
    two.controls.work("key 3", True)  # would be passed over as a repetition, were it still held
    until(lambda: any(r.cause.desk == "2" and r.action == "row.key" for r in stage.session.log.history.lines))


def test_pictures_are_shared_and_gone_with_either_end(stage):
    one = stage.desk()
    one.media.show_at({"program": (64, 36), "next": (32, 18)})
    until(lambda: "program" in one.media.pictures.shown)
    assert one.media.pictures.shown["program"].size == (64, 36)
    assert "next" not in one.media.pictures.shown
    with pytest.raises((ValueError, TypeError)):
        one.media.pictures.shown["program"].y[0, 0] = 1  # only read here
    out = attach_pictures.PicturesOut({"program": (8, 8)})
    theirs = attach_pictures.PicturesIn(os.dup(out.file), out.sizes)
    with pytest.raises(OSError, match="not permitted"):
        mmap.mmap(out.file, 4096)  # nor by anybody who was handed it
    with pytest.raises(OSError, match="not permitted"):
        os.ftruncate(out.file, 0)
    for k in range(7):
        out.show("program", Picture.plain(8, 8, (k, 128, 128)), float(k))
        assert theirs["program"].y[0, 0] == k
        assert theirs.captured_s("program") == (float(k) or None)
    out.clear("program")
    assert "program" not in theirs
    os.close(out.file)
    one.media.show_at({"program": (128, 72)})
    until(lambda: one.media.pictures.shown.get("program", Picture.plain(2, 2)).height == 72)
    assert not list(Path("/dev/shm").glob("*ribalta pictures*"))
    one.leave()
    until(lambda: not stage.session.media.mixer.desk_pictures._sizes)


def test_without_memory_for_pictures_that_is_said_and_everything_else_works(stage, monkeypatch):
    def none_left(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(attach_pictures.os, "posix_fallocate", none_left)
    one = stage.desk()
    one.media.show_at({"program": (64, 36)})
    until(lambda: stage.heard("no live pictures"))
    one.act("ready.camera", {"camera": 2})
    until(lambda: one.state.program.next is not None)
    assert not one.media.pictures.shown


def test_stored_pictures_and_the_rest_are_asked_for_and_come(stage):
    one = stage.desk()
    stage.session.host.say(Notice("here"))
    one.file.save()
    until(lambda: stage.heard("Saved as"))
    assert one.file.path == stage.path
    assert one.file.picture("no such.jpg") is None
    stage.session.host.act("framing.rename", {"camera": 2, "letter": "Q", "name": "Kept"})
    stage.session._persistence.add_files({"a.jpg": b"picture"})
    assert one.file.picture("a.jpg") in (None, b"picture")  # nothing waits where a window is drawn
    assert one.file.picture_waited_for("a.jpg") == b"picture"
    assert not one.file.unsaved
    one.act("framing.rename", {"camera": 2, "letter": "W", "name": "Hands"})
    until(lambda: one.file.unsaved)
    until(lambda: bool(one.setup.jobs.profiles()))
    until(lambda: "three marks" in one.setup.placing.sight_words("c2"))
    one.outside.messages.token()
    until(lambda: bool(one.outside.messages.token()))
    one.file.transfers.write(lambda: "Written.")
    until(lambda: stage.heard("Written."))
    one.file.transfers.bring_in_plan(Path("/nowhere.svg"), 100.0)
    until(lambda: stage.heard("nowhere.svg"))
    one.end_show()
    assert stage.ended.wait(5)


def test_another_version_and_nonsense_are_turned_away_and_the_show_goes_on(stage, monkeypatch):
    one = stage.desk()
    monkeypatch.setattr("ribalta.attach.remote_show.VERSION", VERSION + 1)
    with pytest.raises(LocalFault, match="another version"):
        stage.desk()
    for damage in (
        b"\xff" * 64,
        LENGTH.pack(1 << 31),
        LENGTH.pack(3) + b"\xc1\xc1\xc1",
        LENGTH.pack(1) + b"\x07",
        LENGTH.pack(4) + b"\x93\x01\x01",
    ):
        with contextlib.closing(stage.bare()) as line:
            line.sendall(damage)
            line.shutdown(socket.SHUT_WR)
            while line.recv(4096):
                pass
    liar = Line(stage.bare())
    liar.put([Said.HELLO, VERSION, 1, "", "desk", ""])
    of_nobody = ["take", {}, False, ["nobody", "", None, 0, ""]]
    for call in (["file.picture", [3]], ["session.stop", []], ["act", of_nobody]):
        liar.put([Said.CALL, 1, *call])
    with contextlib.suppress(OSError):
        liar.send()
    until(lambda: stage.heard("sent away"))
    liar.close()
    one.act("ready.camera", {"camera": 2})
    until(lambda: one.state.program.next is not None)
    until(lambda: stage.port.attached == 1)


def test_a_desk_that_reads_nothing_and_one_that_asks_too_much_hold_nobody_up(stage):
    one = stage.desk()
    sleeper = Line(stage.bare())
    sleeper.put([Said.HELLO, VERSION, 1, "", "desk", ""])
    sleeper.send()
    until(lambda: stage.port.attached == 2)
    for k in range(3000):
        one.act("framing.rename", {"camera": 2, "letter": "W", "name": f"Hands {k}" * 4})
    one.act("ready.camera", {"camera": 3})
    until(lambda: one.state.program.next is not None, 30)
    assert next(f for f in one.state.show.framings if f.name.startswith("Hands")).name == "Hands 2999" * 4
    waiting = next(desk for desk in stage.port._desks if desk.number == "2")
    rounds, turn = [0], stage.port.round
    stage.port.round = lambda: (rounds.__setitem__(0, rounds[0] + 1), turn())
    for _ in range(20):  # until all has been told of that was asked for
        rounds[0] = 0
        threading.Event().wait(0.5)
        if rounds[0] < 100:
            break
    assert rounds[0] < 100  # nobody spins because somebody sleeps
    assert len(waiting._events) <= 5000  # never an endless queue
    until(lambda: not one._leaving)
    told = b""
    sleeper._socket.setblocking(True)
    sleeper._socket.settimeout(5)
    while b"too slow" not in told and len(told) < 40_000_000:
        told += sleeper._socket.recv(1 << 20)
        told = told[-2_000_000:]
    assert b"Hands 2999" in told or b"too slow" in told  # the newest state, and what was missed
    sleeper.close()


def test_a_runtime_folder_that_others_may_enter_is_refused(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    assert runtime_folder.runtime_folder().stat().st_mode & 0o777 == 0o700
    (tmp_path / "ribalta").chmod(0o755)
    with pytest.raises(LocalFault, match="yours alone"):
        runtime_folder.meeting_of(None)
    (tmp_path / "ribalta").rmdir()
    (tmp_path / "ribalta").symlink_to(tmp_path)
    with pytest.raises(LocalFault, match="yours alone"):
        runtime_folder.running()
    monkeypatch.setenv("XDG_RUNTIME_DIR", "/proc/nowhere")
    with pytest.raises(LocalFault, match="cannot be found"):
        runtime_folder.running()


def test_a_server_that_hangs_is_said_and_what_was_asked_is_done_when_it_goes_on(stage, monkeypatch):
    monkeypatch.setattr("ribalta.attach.remote_show.SILENT_S", 1.5)
    one = stage.desk()
    go_on = threading.Event()
    stage.port._values.look = lambda now_s: go_on.wait(10)
    until(lambda: stage.heard("has not answered"))
    one.act("ready.camera", {"camera": 3})
    assert one.state.program.next is None
    go_on.set()
    until(lambda: stage.heard("answers again") and one.state.program.next is not None)


def test_what_a_desk_asked_for_last_is_done_though_it_has_hung_up_by_then(stage):
    one = stage.desk()
    there, gate, update = threading.Event(), threading.Event(), stage.port._update

    def late(desk, _) -> None:
        there.set()
        gate.wait(10)
        desk.tell(Notice("Something that a desk which is gone will never read."))
        update(desk, 1e9)

    stage.port._update = late
    assert there.wait(10)
    one.act("framing.rename", {"camera": 3, "letter": "W", "name": "The last wish"})
    one.end_show()
    one.close()
    stage.desks.remove(one)
    gate.set()
    assert stage.ended.wait(10)
    until(lambda: any(f.name == "The last wish" for f in stage.session.state.show.framings))
