"""Real stand-ins over real sockets: what only the network can do wrong, and what a take does meanwhile.

One session with four steered cameras, each reached in another way. Every fault by itself is named in
tests/survey/test_checking.py, on a hand-wound clock. These machines stand still at times, for half a second and more;
what was measured in such a time is measured again, and left out when that does not help.
"""

import threading
import time
from collections.abc import Callable
from typing import Any

import pytest

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import Camera, Control, Framing, Protocol
from ribalta.core.show.files.storage import StoredShow, load
from ribalta.core.survey.job import Finding, Kind
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.server.session import Session
from ribalta.standins.faults import Faults
from ribalta.standins.onvif.services import PASSWORD, USER
from tests.stalls import attempted

WAYS = {1: Protocol.VISCA_IP, 2: Protocol.VISCA_TCP, 3: Protocol.VISCA_UDP, 4: Protocol.ONVIF}
HEALTHY: dict[str, Any] = {
    name: list(value) if isinstance(value, tuple) else value
    for name, value in ((n, getattr(Faults(), n)) for n in Faults.__dataclass_fields__)
}
pytestmark = pytest.mark.xdist_group("diagnosis")


def wait_for(true: Callable[[], bool], limit_s: float = 30, about: Callable[[], object] = lambda: "") -> None:
    nap, end_s = threading.Event(), time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end_s, f"waited in vain: {about()}"
        nap.wait(0.005)


def reached_in_many_ways(announcement: dict[str, Any]) -> StoredShow:
    stored = load(SHIPPED)
    show = connected(stored.show, announcement)
    for row in announcement["standins"]:
        way = WAYS.get(row["number"])
        camera = show.camera_numbered(row["number"])
        if way is not None:
            user = USER if way is Protocol.ONVIF else ""
            control = Control(protocol=way, host=row["host"], port=row[way.value], user=user)
            show = show.with_camera(camera.model_copy(update={"control": control}))
    return StoredShow(show, stored.pictures)


class Hall:
    """A session, its stand-ins, and what a person would do with both."""

    def __init__(self, standins: StandIns) -> None:
        self.standins = standins
        self.session = Session(reached_in_many_ways(self.standins.announcement), None)
        control = self.camera(4).control
        self.session.setup.passwords.keep(f"{control.host}:{control.port}", USER, PASSWORD)
        self.session.start()
        wait_for(self.all_there, 60)
        self.act("ready.camera", camera=5)
        self.act("take")

    def camera(self, number: int) -> Camera:
        return self.session.state.show.camera_numbered(number)

    def live(self, number: int):
        return self.session.state.live(self.camera(number).id)

    def act(self, action: str, **arguments: Any) -> None:
        self.session.act(action, arguments)

    def fault(self, number: int, **faults: Any) -> None:
        """These faults, and no others."""
        self.standins.fault(number, **{**HEALTHY, **faults})

    def steered_there(self) -> bool:
        return all(self.live(n).answers and self.live(n).aim is not None for n in WAYS)

    def all_there(self) -> bool:
        return self.steered_there() and all(self.live(c.number).picture for c in self.session.state.show.cameras)

    def shot_is_next_or_on_air(self, framing: Framing) -> bool:
        state = self.session.state
        return any(
            shot is not None and shot.framing_id == framing.id for shot in (state.program.next, state.program.on_air)
        )

    def framings(self, number: int) -> list[Framing]:
        return [f for f in self.session.state.show.framings if f.camera_id == self.camera(number).id]

    def check(self, *numbers: int) -> dict[int, tuple[Finding, ...]]:
        workshop, keys = self.session.setup.jobs, {n: (Kind.CHECK, self.camera(n).id) for n in numbers}
        for key in keys.values():
            workshop.begin(*key)
        wait_for(lambda: all(workshop.jobs[key].done for key in keys.values()), 120)
        return {n: workshop.jobs[key].findings for n, key in keys.items()}

    def steadily(self, attempt: Callable[[], None]) -> None:
        attempted(attempt, lambda: wait_for(self.all_there, 60))

    def close(self) -> None:
        self.session.stop()


@pytest.fixture(scope="module")
def hall(standins):
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PYTHON_KEYRING_BACKEND", "keyring.backends.null.Keyring")
        made = Hall(standins)
        yield made
        made.close()


@pytest.fixture(autouse=True)
def healthy(hall):
    yield
    for number in WAYS:
        hall.fault(number)
    wait_for(hall.all_there, 60)


def wrong(findings: tuple[Finding, ...]) -> list[str]:
    return [f.sentence for f in findings if f.fine is False]


def test_healthy_cameras_are_said_to_be_well_however_they_are_reached(hall):
    def attempt() -> None:
        found = hall.check(2, 4, 5)
        assert {n: wrong(findings) for n, findings in found.items()} == {n: [] for n in found}
        for number in (2, 4):
            steps = {"address", "answer", "line", "position", "picture", "axes", "match", "knock"}
            assert steps <= {f.step for f in found[number]}
        assert "login" in {f.step for f in found[4]}
        assert hall.session.setup.jobs.jobs[(Kind.CHECK, hall.camera(2).id)].sentence == "All is well."

    hall.steadily(attempt)


def test_silence_a_closed_port_and_a_refused_login_are_named(hall):
    hall.fault(1, silence=True)
    hall.fault(2, closed=["visca-tcp"])
    hall.fault(4, refuse_login=True)
    wait_for(lambda: not any(hall.live(n).answers for n in (1, 2, 4)))
    found = hall.check(1, 2, 4)
    host = hall.camera(1).control.host
    assert wrong(found[1]) == [
        f"Camera 1: {host} is there, but nothing answers VISCA over IP on UDP 52381, nor any other way to steer it."
        " Switch network control on in the camera's menu, or restart the camera."
    ]
    assert wrong(found[2]) == [
        "Camera 2 does not answer bare VISCA on TCP 5678. It answers VISCA over IP on UDP 52381: use that?"
    ]
    assert "Camera 4: its user name or password is refused. Type them again under Reach." in wrong(found[4])
    (remedy,) = [f.remedy for f in found[2] if f.remedy is not None]
    hall.act(remedy.action, **remedy.arguments)
    wait_for(lambda: hall.live(2).answers and hall.live(2).aim is not None)
    hall.act("edit.undo")


def test_a_check_can_be_stopped_and_a_second_press_does_not_begin_it_twice(hall):
    workshop, key = hall.session.setup.jobs, (Kind.CHECK, hall.camera(3).id)
    workshop.begin(*key)
    first = workshop.jobs[key]
    workshop.begin(*key)
    assert workshop.jobs[key].findings[: len(first.findings)] == first.findings
    workshop.cancel(*key)
    wait_for(lambda: workshop.jobs[key].done)
    assert workshop.jobs[key].sentence == "Stopped."


@pytest.mark.alone
def test_with_a_fifth_of_all_messages_lost_and_others_late_no_take_lands_wrong_and_nothing_freezes(hall):
    for number in WAYS:
        hall.fault(number, loss_percent=20.0, jitter_ms=100.0)

    def attempt(number: int, framing: Framing) -> None:
        before, start_s = len(hall.session.state.program.records), time.monotonic()
        hall.act("ready.framing", camera=number, letter=framing.letter, page=framing.slot // 10)
        wait_for(lambda: hall.shot_is_next_or_on_air(framing))
        assert time.monotonic() - start_s < 0.5
        hall.act("take")
        wait_for(lambda: len(hall.session.state.program.records) > before, 30, lambda: hall.live(number))
        record = hall.session.state.program.records[-1]
        assert record.camera_number == number
        assert record.landed
        assert record.error_percent <= hall.session.state.show.settings.tolerance_percent

    for k, number in enumerate((1, 2, 3, 4)):
        framing = hall.framings(number)[k % len(hall.framings(number))]
        hall.steadily(lambda n=number, f=framing: attempt(n, f))


@pytest.mark.alone
def test_cameras_that_are_unplugged_and_back_are_in_use_again_within_three_seconds_of_answering(hall):
    hall.act("ready.camera", camera=5)
    hall.act("take")

    def attempt() -> None:
        for number in WAYS:
            hall.fault(number, silence=True)
        wait_for(lambda: not any(hall.live(n).answers for n in WAYS))
        for number in WAYS:
            hall.fault(number)
        start_s = time.monotonic()
        wait_for(hall.steered_there)
        assert time.monotonic() - start_s < 3.0

    hall.steadily(attempt)
    framing = hall.framings(2)[0]
    before = len(hall.session.state.program.records)
    hall.act("ready.framing", camera=2, letter=framing.letter)
    hall.act("take")
    wait_for(lambda: len(hall.session.state.program.records) > before)
    assert hall.session.state.program.records[-1].landed


def test_a_fault_that_there_is_not_is_refused(hall):
    for faults in ({"salt": 1}, {"loss_percent": "many"}, {"stuck": "nose"}, {"closed": ["door"]}, {"silence": 1}):
        with pytest.raises(LocalFault, match="The stand-ins say"):
            hall.standins.fault(1, **faults)
