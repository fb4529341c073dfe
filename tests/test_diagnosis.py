"""Each fault is switched on in a running stand-in, and checking the camera says which one it is.

One session with four steered cameras, each reached in another way; the faults of a round are checked side by side.
"""

import os
import threading
import time
from collections.abc import Callable, Mapping
from typing import Any

import pytest

from ribalta.assembly import Session
from ribalta.core.base.faults import LocalFault
from ribalta.core.show.model import Camera, Control, Framing, Protocol
from ribalta.core.show.storage import StoredShow, load
from ribalta.core.survey.job import Finding, Kind
from ribalta.demo.children import StandIns
from ribalta.demo.clay_cup import SHIPPED, connected
from ribalta.standins.faults import Faults
from ribalta.standins.onvif import PASSWORD, USER

WAYS = {1: Protocol.VISCA_IP, 2: Protocol.VISCA_TCP, 3: Protocol.VISCA_UDP, 4: Protocol.ONVIF}
HEALTHY: dict[str, Any] = {
    name: list(value) if isinstance(value, tuple) else value
    for name, value in ((n, getattr(Faults(), n)) for n in Faults.__dataclass_fields__)
}


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


class Bench:
    """A session, its stand-ins, and what a person would do with both."""

    def __init__(self) -> None:
        self.standins = StandIns(f"ribalta-faults-{os.getpid()}", again=False)
        self.session = Session(reached_in_many_ways(self.standins.announcement), None)
        control = self.camera(4).control
        self.session.workshop.keep_password(f"{control.host}:{control.port}", USER, PASSWORD)
        self.session.start()
        wait_for(self.all_there)
        self.act("ready.camera", camera=5)
        self.act("take")

    def camera(self, number: int) -> Camera:
        return self.session.state.show.camera_numbered(number)

    def live(self, number: int):
        return self.session.state.live(self.camera(number).id)

    def act(self, action: str, **arguments: Any) -> None:
        self.session.act(action, arguments)

    def all_there(self) -> bool:
        return all(
            self.live(c.number).picture and (self.live(c.number).aim is not None or not c.steered)
            for c in self.session.state.show.cameras
        )

    def shot_is_next_or_on_air(self, framing: Framing) -> bool:
        state = self.session.state
        return any(shot is not None and shot.framing_id == framing.id for shot in (state.next, state.program))

    def check(self, *numbers: int) -> dict[int, tuple[Finding, ...]]:
        workshop, keys = self.session.workshop, {n: (Kind.CHECK, self.camera(n).id) for n in numbers}
        for key in keys.values():
            workshop.begin(*key)
        wait_for(lambda: all(workshop.jobs[key].done for key in keys.values()), 60)
        return {n: workshop.jobs[key].findings for n, key in keys.items()}

    def close(self) -> None:
        self.session.stop()
        self.standins.stop()


@pytest.fixture(scope="module")
def bench():
    before = os.environ.get("PYTHON_KEYRING_BACKEND")
    os.environ["PYTHON_KEYRING_BACKEND"] = "keyring.backends.null.Keyring"
    made = Bench()
    yield made
    made.close()
    if before is None:
        del os.environ["PYTHON_KEYRING_BACKEND"]
    else:
        os.environ["PYTHON_KEYRING_BACKEND"] = before


@pytest.fixture
def faulty(bench):
    """Switches faults on, lets them work, and takes them away again at the end."""
    numbers: set[int] = set()

    def switch(faults: Mapping[int, dict[str, Any]]) -> None:
        numbers.update(faults)
        for number, some in faults.items():
            bench.standins.fault(number, **some)

    yield switch
    for number in numbers:
        bench.standins.fault(number, **HEALTHY)
    wait_for(bench.all_there)


def wrong(findings: tuple[Finding, ...]) -> list[str]:
    return [f.sentence for f in findings if f.fine is False]


def remedy(findings: tuple[Finding, ...], label: str):
    return next(f.remedy for f in findings if f.remedy is not None and f.remedy.label == label)


def test_healthy_cameras_are_said_to_be_well_however_they_are_reached(bench):
    found = bench.check(1, 2, 3, 4, 5)
    for number, findings in found.items():
        assert wrong(findings) == [], number
    for number in WAYS:
        assert {"address", "answer", "line", "position", "picture", "axes", "match"} <= {f.step for f in found[number]}
    assert "login" in {f.step for f in found[4]}
    assert "It is a fixed camera" in found[5][0].sentence
    assert bench.session.workshop.jobs[(Kind.CHECK, bench.camera(1).id)].sentence == "All is well."


def test_silence_a_wrong_port_a_stuck_axis_and_a_refused_login_are_named(bench, faulty):
    faulty({1: {"silence": True}, 2: {"closed": ["visca-tcp"]}, 3: {"stuck": "pan"}, 4: {"refuse_login": True}})
    wait_for(lambda: not any(bench.live(n).answers for n in (1, 2, 4)))
    found = bench.check(1, 2, 3, 4)
    host = bench.camera(1).control.host
    assert wrong(found[1]) == [
        f"Camera 1: {host} is there, but nothing answers VISCA over IP on UDP 52381, nor any other way to steer it."
        " Switch network control on in the camera's menu, or restart the camera."
    ]
    (said,) = wrong(found[2])
    assert said == ("Camera 2 does not answer bare VISCA on TCP 5678. It answers VISCA over IP on UDP 52381: use that?")
    assert "Camera 3 does not move its pan. Is something in its way?" in wrong(found[3])
    assert any("user name or password is refused" in s for s in wrong(found[4]))
    use = remedy(found[2], "Use that")
    bench.act(use.action, **use.arguments)
    wait_for(lambda: bench.live(2).answers and bench.live(2).aim is not None, 3)
    bench.act("edit.undo")


def test_loss_reordering_a_frozen_picture_and_the_wrong_mount_are_named(bench, faulty):
    bench.act("camera.place", camera=4, hung=False)
    faulty({1: {"loss_percent": 20.0}, 3: {"reorder_percent": 60.0}, 2: {"frozen": True}})
    found = bench.check(1, 2, 3, 4)
    assert any(s.startswith("Camera 1 loses messages") for s in wrong(found[1]))
    assert any(s.startswith(("Camera 3 answers unevenly", "Camera 3 loses")) for s in wrong(found[3]))
    assert any("its picture stands still: it is frozen, or another camera's" in s for s in wrong(found[2]))
    assert wrong(found[4]) == ["Camera 4's picture moves the wrong way: is it hung upside down?"]
    mend = remedy(found[4], "It hangs upside down")
    bench.act(mend.action, **mend.arguments)
    wait_for(lambda: bench.camera(4).place.hung)


def test_delay_standby_a_bump_and_no_position_are_named(bench, faulty):
    faulty(
        {
            1: {"bump_pan_deg": 3.0, "bump_tilt_deg": -1.0},
            2: {"standby": True},
            3: {"delay_ms": 180.0},
            4: {"no_position": True},
        }
    )
    wait_for(lambda: bench.live(4).no_position)
    found = bench.check(1, 2, 3, 4)
    (said,) = wrong(found[1])
    assert said.startswith("Camera 1 was knocked: “")
    assert 2.4 < float(said.partition(" is ")[2].partition("°")[0]) < 4.0
    assert "Camera 2 is in standby." in wrong(found[2])
    assert any(s.startswith("Camera 3 answers late: after ") for s in wrong(found[3]))
    assert any(s.startswith("Camera 4 does not say where it stands.") for s in wrong(found[4]))
    switch_on = remedy(found[2], "Switch it on")
    bench.act(switch_on.action, **switch_on.arguments)
    wait_for(lambda: bench.live(2).aim is not None, 5)
    memories = remedy(found[4], "Use its memories")
    bench.act(memories.action, **memories.arguments)
    wait_for(lambda: bench.camera(4).recall_only and bench.live(4).answers, 5)
    bench.act("edit.undo")
    wait_for(lambda: not bench.camera(4).recall_only)


def test_a_black_picture_a_missing_one_and_swapped_ones_are_named_and_swapped_back(bench, faulty):
    before = [bench.camera(n).picture.name for n in (2, 3)]
    bench.act("camera.swap_pictures", camera=2, other=3)
    bench.act("camera.picture", camera=4, kind="stream", name="rtsp://127.0.0.1:9/none")
    faulty({1: {"black": True}})
    wait_for(lambda: not bench.live(4).picture)
    found = bench.check(1, 2, 4)
    assert "Camera 1's picture is black. Is the lens covered, or the iris closed?" in wrong(found[1])
    assert wrong(found[2]) == ["When camera 2 moves, the picture of camera 3 moves: their pictures are swapped."]
    assert any(
        s.startswith("Camera 4 has no picture: nothing listens at its picture's address") for s in wrong(found[4])
    )
    swap = remedy(found[2], "Swap them")
    bench.act(swap.action, **swap.arguments)
    wait_for(lambda: [bench.camera(n).picture.name for n in (2, 3)] == before)
    bench.act("edit.undo")
    bench.act("edit.undo")
    bench.act("edit.undo")
    wait_for(lambda: [bench.camera(n).picture.name for n in (2, 3)] == before)


def test_a_camera_on_air_is_checked_without_being_moved(bench):
    bench.act("ready.camera", camera=1)
    wait_for(lambda: bench.session.state.is_next(bench.camera(1).id))
    before = bench.live(1).asked_s
    found = bench.check(1)[1]
    assert "It is on air or Next, so it was not moved: check it again later." in [f.sentence for f in found]
    assert bench.live(1).asked_s == before
    bench.act("take.back")


def test_a_check_can_be_stopped_and_a_second_press_does_not_begin_it_twice(bench):
    workshop, key = bench.session.workshop, (Kind.CHECK, bench.camera(3).id)
    workshop.begin(*key)
    first = workshop.jobs[key]
    workshop.begin(*key)
    assert workshop.jobs[key].findings[: len(first.findings)] == first.findings
    workshop.cancel(*key)
    wait_for(lambda: workshop.jobs[key].done, 3)
    assert workshop.jobs[key].sentence == "Stopped."


def test_a_bad_network_never_lands_a_take_wrong_and_a_camera_that_comes_back_is_in_use_within_three_seconds(
    bench, faulty
):
    """20 % of all messages lost, and each up to 100 ms late; then unplugged, and plugged in again."""
    faulty({n: {"loss_percent": 20.0, "jitter_ms": 100.0} for n in WAYS})
    framings = {n: [f for f in bench.session.state.show.framings if f.camera_id == bench.camera(n).id] for n in WAYS}
    before = len(bench.session.state.records)
    gaps = []
    for k in range(8):
        number = (1, 2, 3, 4)[k % 4]
        framing = framings[number][k % len(framings[number])]
        start_s = time.monotonic()
        bench.act("ready.framing", camera=number, letter=framing.letter, page=framing.slot // 10)
        wait_for(lambda f=framing: bench.shot_is_next_or_on_air(f), 2)
        gaps.append(time.monotonic() - start_s)
        bench.act("take")
        wait_for(lambda k=k: len(bench.session.state.records) > before + k, 20, lambda n=number: bench.live(n))
    made = bench.session.state.records[before:]
    assert all(r.landed and r.error_percent <= 1.0 for r in made)
    assert max(gaps) < 0.5

    for number in WAYS:
        bench.standins.fault(number, **{**HEALTHY, "silence": True})
    wait_for(lambda: not any(bench.live(n).answers for n in WAYS), 6)
    bench.act("ready.camera", camera=5)
    bench.act("take")
    for number in WAYS:
        bench.standins.fault(number, **HEALTHY)
    start_s = time.monotonic()
    wait_for(lambda: all(bench.live(n).answers and bench.live(n).aim is not None for n in WAYS), 10)
    assert time.monotonic() - start_s < 3.0
    bench.act("ready.framing", camera=2, letter=framings[2][0].letter)
    bench.act("take")
    wait_for(lambda: bench.session.state.records[-1].camera_number == 2, 10)
    assert bench.session.state.records[-1].landed


@pytest.mark.parametrize(
    "faults", [{"salt": 1}, {"loss_percent": "many"}, {"stuck": "nose"}, {"closed": ["door"]}, {"silence": 1}]
)
def test_a_fault_that_there_is_not_is_refused(bench, faults):
    with pytest.raises(LocalFault, match="The stand-ins say"):
        bench.standins.fault(1, **faults)
