"""No thread dies silently, and what fails in one place stays there."""

import logging
import os
import subprocess
import sys
import threading
import time

import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.base.clock import SystemClock
from ribalta.core.ports.messages import Contact, GoTo, LinkTrouble, Notice, Position
from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.core.show.files.storage import StoredShow
from ribalta.devices import rig as rig_module
from ribalta.devices.drivers.index import driver_for
from ribalta.devices.drivers.tsl.wire import Display
from ribalta.devices.rig import Rig
from ribalta.devices.tally import TallySender
from ribalta.media.sound import rtp
from ribalta.media.sound.rtp import RtpSound
from ribalta.server.session import Session
from ribalta.standins.tally_display import Shown, TallyDisplay
from ribalta.workers import crew as crew_module
from ribalta.workers.crew import Crew
from ribalta.workers.logfile import LogFile
from tests.abuse.poison import Poison, Poisoner
from tests.core.hand_wound import Hall, small_show
from tests.devices.test_rig import LoopbackCamera, Reports, camera

pytestmark = pytest.mark.real_time


def until(true, limit_s: float = 10.0) -> None:
    pause, end_s = threading.Event(), time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end_s
        pause.wait(0.005)


@pytest.fixture(autouse=True)
def soon(monkeypatch):
    monkeypatch.setattr(crew_module, "FIRST_PAUSE_S", 0.01)
    monkeypatch.setattr(rig_module, "LEFT_ALONE_S", 0.05)


def test_a_worker_that_fails_begins_again_and_it_is_said_once(caplog):
    said: list[str] = []
    crew, rounds, over = Crew(said.append), [], threading.Event()

    def run() -> None:
        rounds.append(1)
        if len(rounds) < 4:
            raise Poison("in a round")
        over.wait(5)

    worker = crew.worker("left lamp", run)
    worker.start()
    until(lambda: len(rounds) == 4)
    assert said == ["Left lamp met a mistake of Ribalta's (Poison). It begins again."]
    assert crew.workers == (worker,)
    over.set()
    worker.join(5)
    assert crew.workers == ()
    assert "left lamp failed in thread “left lamp”" in caplog.text


def test_a_worker_that_is_told_to_stop_does_not_begin_again():
    crew = Crew()
    worker = crew.worker("lamp", lambda: 1 / 0)
    worker.start()
    worker.stop()
    worker.join(5)
    assert not worker.is_alive()


def test_one_that_stands_still_is_said_and_that_it_works_again():
    said: list[str] = []
    crew, over = Crew(said.append), threading.Event()
    worker = crew.worker("mixer", lambda: over.wait(5), limit_s=1.0)
    worker.start()
    worker.beat()
    crew.look(worker.beat_s + 0.5)
    assert said == []
    for late_s in (3.0, 4.0):
        crew.look(worker.beat_s + late_s)
    assert said == ["The thread “mixer” has stood still for 3 s. It is waited for."]
    worker.beat()
    crew.look(worker.beat_s + 0.1)
    assert said[1:] == ["The thread “mixer” works again."]
    over.set()
    worker.join(5)


def test_the_log_has_what_nobody_met_is_the_owners_alone_and_does_not_grow_without_end(tmp_path):
    hook = threading.excepthook
    log = LogFile(tmp_path / "state" / "ribalta.log").open()
    try:
        thread = threading.Thread(target=lambda: 1 / 0, name="stray")
        thread.start()
        thread.join()
        for _ in range(300):
            logging.getLogger("ribalta.test").error("x" * 10_000)
    finally:
        log.close()
    files = sorted(log.path.parent.glob("ribalta.log*"))
    whole = "".join(path.read_text() for path in files)
    assert "nobody met this in thread “stray”" in whole
    assert "ZeroDivisionError" in whole
    assert sum(path.stat().st_size for path in files) < 6_000_000
    assert {path.stat().st_mode & 0o777 for path in log.path.parent.iterdir()} == {0o600}
    assert threading.excepthook is hook


def test_a_log_that_cannot_be_written_is_said_and_stops_nothing(tmp_path):
    (tmp_path / "file").write_text("")
    log = LogFile(tmp_path / "file" / "ribalta.log").open()
    assert "cannot be written" in log.trouble
    log.close()
    link = tmp_path / "ribalta.log"
    os.symlink(tmp_path / "elsewhere", link)
    assert LogFile(link).open().trouble
    assert not (tmp_path / "elsewhere").exists()


def test_a_crash_of_the_interpreter_leaves_its_stacks(tmp_path):
    code = (
        "import faulthandler, pathlib, sys\nfrom ribalta.workers.logfile import LogFile\n"
        "LogFile(pathlib.Path(sys.argv[1])).open()\nfaulthandler._sigsegv()"
    )
    path = tmp_path / "ribalta.log"
    subprocess.run([sys.executable, "-c", code, str(path)], check=False, timeout=60, capture_output=True)
    assert "Segmentation fault" in path.with_name("crash.log").read_text()


@pytest.fixture
def pair():
    cameras = [LoopbackCamera(), LoopbackCamera()]
    yield cameras
    for one in cameras:
        one.stop()


@pytest.mark.parametrize("fails", ["making", "tick", "drain", "request", "next_deadline_s", "receive"])
def test_a_camera_whose_driver_fails_costs_the_others_nothing(pair, monkeypatch, fails):
    """One wrong profile ended the thread that drives all heads."""
    said: list[str] = []

    def made(one, now_s):
        driver = driver_for(one, now_s)
        if one.id != "c1":
            return driver
        if fails == "making":
            raise Poison("a profile that cannot be")
        poison = Poisoner(1, 1.0)
        poison.on = True
        return poison.of(driver, "driver", (fails,))

    monkeypatch.setattr(rig_module, "driver_for", made)
    heard = Reports()
    cameras = [camera(1, pair[0].port), camera(2, pair[1].port)]
    rig = Rig(cameras, SystemClock(), heard, crew=Crew(said.append))
    rig.start()
    try:
        rig.send(GoTo("c1", Aim(10.0, 0.0, 0.0)))
        heard.wait(lambda r: r == Contact("c2", True))
        rig.send(GoTo("c2", Aim(10.0, 0.0, 0.0)))
        heard.wait(lambda r: isinstance(r, Position) and r.camera_id == "c2" and abs(r.aim.pan_deg - 10) < 0.1)
    finally:
        rig.stop()
    assert len([s for s in said if "camera 1 “Camera 1”" in s]) == (1 if fails != "request" or said else 0)
    if fails == "making":
        assert [r for r in heard.heard if isinstance(r, LinkTrouble) and r.camera_id == "c1"]


def test_a_receiver_that_cannot_be_reached_costs_the_others_nothing_and_all_are_told_the_end():
    displays = [TallyDisplay("127.0.0.1", 0) for _ in range(2)]
    sender = TallySender()
    sender.start()
    try:
        wrong = TallyReceiver(host="x" * 70, port=8900)  # no label of a name is that long
        far = TallyReceiver(host="no.such.host.invalid")
        receivers = tuple(TallyReceiver(host="127.0.0.1", port=d.port, version="5.0") for d in displays)
        sender.follow((wrong, far, *receivers), (Display(2, "Kiln", True, True),))
        until(lambda: all(d.shown.get(2) == Shown("Kiln", "red", "green") for d in displays))
        until(lambda: len(sender.troubles) == 2 and "is not an address" in sender.troubles[wrong.host, 8900])
    finally:
        sender.stop()
    until(lambda: all(d.shown.get(2) == Shown("Kiln", "", "") for d in displays))
    for display in displays:
        display.close()


def test_sound_over_a_network_is_taken_from_one_sender_until_it_falls_silent(monkeypatch):
    monkeypatch.setattr(rtp, "UNLOCKED_AFTER_S", 0.2)
    source = RtpSound("127.0.0.1", 0)
    try:
        one = b"\x80\x60\0\1" + (1).to_bytes(4, "big") + b"\0\0\0\7" + b"\0\1" * 480
        other = one[:8] + b"\0\0\0\x09" + one[12:]
        another = b"\x80\x61" + one[2:]
        assert source._ours(one, ("127.0.0.1", 4000), 10.0)
        assert not source._ours(one, ("127.0.0.1", 4001), 10.05)
        assert not source._ours(other, ("127.0.0.1", 4000), 10.05)
        assert not source._ours(another, ("127.0.0.1", 4000), 10.05)
        assert source._ours(one, ("127.0.0.1", 4000), 10.1)
        assert source._ours(other, ("127.0.0.1", 4001), 10.5)
    finally:
        source.stop()
        source.join()


def test_a_rig_waits_for_lines_beyond_the_thousand_and_twenty_fourth(pair):
    """`select` counts no further; recordings, clips and clients of a long evening need numbers too."""
    held = []
    try:
        while len(held) < 1100:
            held.append(os.dup(0))
    except OSError:
        pytest.skip("this machine does not allow so many files")
    heard = Reports()
    rig = Rig([camera(1, pair[0].port)], SystemClock(), heard)
    rig.start()
    try:
        heard.wait(lambda r: r == Contact("c1", True))
    finally:
        rig.stop()
        for number in held:
            os.close(number)


def test_what_listens_to_a_session_hears_on_the_engines_thread_whoever_speaks():
    session, where = Session(StoredShow(small_show()), None), []
    session.listen(lambda event: where.append((threading.current_thread().name, type(event).__name__)))
    session.start()
    try:
        session._crew.failed("a lamp", Poison("x"))
        session.file.save()  # it has no file: the thread for chores says so
        session._chores.put(lambda: session.host.say(Notice("from the chores")))
        session.setup.jobs.find("not an address")
        session.act("framing.rename", {"camera": 2, "letter": "W", "name": "Hands"})
        until(lambda: {"ShowEdited", "ActionRan"} <= {kind for _, kind in where} and len(where) > 5)
        readers = [session.log.history.lines for _ in range(200)]
        assert readers[-1]
    finally:
        session.stop()
    assert {name for name, _ in where} == {"engine"}


def test_the_address_of_a_tally_receiver_is_checked_when_it_is_entered():
    hall = Hall()
    for host in ("x" * 70, "a b", "1.2.3", "-a"):
        hall.act("outputs.tally", host=host)
        assert "is not an address" in hall.sentences[-1]
    hall.act("outputs.tally", host="192.0.2.7")
    assert len(hall.state.show.outputs.tally) == 1
