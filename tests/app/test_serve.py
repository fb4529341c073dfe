"""The keeper of a show: it starts a server that died again, and knows when to begin anew and when to give up."""

import io
import os
import signal
import socket
from pathlib import Path

import pytest

from ribalta.app import launch, serve
from ribalta.app.cli import main
from ribalta.attach.runtime_folder import Meeting, meeting_of
from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow

pytestmark = pytest.mark.real_time


class Died:
    """Servers that live so long and end so, one after another; whether each was to go on, and what it was told."""

    def __init__(self, monkeypatch, lives: list[tuple[float, int]]) -> None:
        self.lives, self.started, self.now_s = list(lives), list[tuple[bool, str]](), 0.0
        monkeypatch.setattr(serve, "_start", self._start)
        monkeypatch.setattr(serve._Ending, "wait", lambda _, child: self._wait())
        monkeypatch.setattr(serve.time, "monotonic", lambda: self.now_s)
        monkeypatch.setattr(serve, "write_report", lambda show, code: f"({code})")
        monkeypatch.setattr(serve.signal, "signal", lambda *_: None)

    def _start(self, served: serve.Served, resume: bool, sentence: str) -> int:
        self.started.append((resume, sentence))
        return 1

    def _wait(self) -> int:
        lived_s, code = self.lives.pop(0)
        self.now_s += lived_s
        return code


SERVED = serve.Served(Path("show.ribalta"), lambda: StoredShow(Show(), {}))


def test_a_server_that_dies_is_started_again_from_the_journal_however_often(monkeypatch):
    died = Died(monkeypatch, [(60.0, -9)] * 20 + [(60.0, 0)])
    assert serve.serve(SERVED) == 0
    assert [resume for resume, _ in died.started] == [False] + [True] * 20
    assert "from the journal. (-9)" in died.started[-1][1]


def test_one_that_dies_at_once_begins_anew_and_in_the_end_not_at_all(monkeypatch, capsys):
    died = Died(monkeypatch, [(1.0, -11)] * 6)
    assert serve.serve(SERVED) == 1
    assert [resume for resume, _ in died.started] == [False, True, True, False, False, False]
    assert "dies whenever it is started" in capsys.readouterr().err


def test_what_cannot_be_served_is_said_once(monkeypatch):
    died = Died(monkeypatch, [(0.1, serve.REFUSED_CODE)])
    assert serve.serve(SERVED) == serve.REFUSED_CODE
    assert len(died.started) == 1


def test_which_show_a_desk_is_for_is_asked_only_where_somebody_can_answer(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    assert main(["desk"]) == 2
    assert "No show runs on this machine" in capsys.readouterr().err
    assert main(["desk", "Other"]) == 2
    assert "called “Other”" in capsys.readouterr().err
    found = (Meeting("one", tmp_path), Meeting("two", tmp_path))
    monkeypatch.setattr("sys.stdin", io.StringIO())
    with pytest.raises(LocalFault, match="“one”, “two”"):
        launch._chosen(found)
    monkeypatch.setattr("sys.stdin.isatty", lambda: True)
    monkeypatch.setattr("builtins.input", lambda _: "2")
    assert launch._chosen(found).name == "two"
    monkeypatch.setattr("builtins.input", lambda _: "7")
    with pytest.raises(LocalFault, match="none of them"):
        launch._chosen(found)


def test_a_crash_is_written_down_for_its_user_alone(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    from ribalta.workers.crash_report import write_report

    said = write_report("final.ribalta", -signal.SIGSEGV)
    path = next((tmp_path / "ribalta").glob("crash-*.txt"))
    assert str(path) in said
    assert "SIGSEGV" in path.read_text()
    assert path.stat().st_mode & 0o777 == 0o600
    monkeypatch.setenv("XDG_STATE_HOME", "/proc/nowhere")
    assert "No report could be written" in write_report("final.ribalta", 3)


def test_a_server_that_cannot_begin_says_why_to_whoever_starts_it(tmp_path, monkeypatch):
    from ribalta.app.server_process import ServerProcess

    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    damaged = tmp_path / "damaged.ribalta"
    damaged.write_bytes(b"no show")
    server = ServerProcess(damaged)
    server.begin()
    with pytest.raises(LocalFault, match=r"damaged\.ribalta"):
        server.ready()
    held = socket.socket(socket.AF_UNIX)
    taken = tmp_path / "taken.ribalta"
    taken.write_bytes(b"no show")
    held.bind(os.fspath(meeting_of(taken).path))
    held.close()
    assert not server.is_back(0.1)
