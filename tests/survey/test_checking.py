"""Checking a camera: each thing that can be wrong is named, with its remedy; nothing else is."""

from collections.abc import Iterator

import pytest

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import RemoteFault
from ribalta.core.show.document.model import Control, Framing, Protocol
from ribalta.core.survey.checking import Checking
from ribalta.core.survey.job import Finding
from ribalta.core.survey.probes import Door
from ribalta.standins.cameras import BUILDS
from tests.survey.wound import PROFILE, World, seen

HEAD = PROFILE.head.model_copy(update={"settings": ("power",)})


class Probes:
    """A network in which nothing is where it should be, but perhaps elsewhere."""

    def __init__(self, door: Door = Door.SILENT, there: bool = True, *others: tuple[Protocol, int]) -> None:
        self.door, self.there, self.found = door, there, others
        self.login_phrase: str | None = None

    def resolve(self, host: str) -> str:
        if host == "nowhere":
            raise RemoteFault("There is no machine called “nowhere”: is the name right?")
        return host

    def ask(self, control: Control, address: str) -> Door:
        return self.door

    def present(self, address: str) -> bool:
        return self.there

    def others(self, address: str) -> Iterator[tuple[Protocol, int]]:
        yield from self.found

    def login(self, control: Control) -> tuple[str | None, str]:
        return self.login_phrase, "rtsp://127.0.0.1/1"

    def picture_trouble(self, camera_id: str) -> str | None:
        return "nothing listens at its picture's address"


def check(world: World, number: int, probes: Probes | None = None) -> list[Finding]:
    world.findings.clear()
    Checking(world, probes or Probes(), f"c{number}").run()
    return list(world.findings)


def wrong(findings: list[Finding]) -> list[str]:
    return [f.sentence for f in findings if f.fine is False]


def use(world: World, findings: list[Finding]) -> None:
    """Press the one remedy that is offered."""
    (remedy,) = [f.remedy for f in findings if f.remedy is not None]
    world.act(remedy.action, **remedy.arguments)


@pytest.fixture
def world() -> World:
    """Camera 1 stands, camera 4 hangs; each has a framing with its picture."""
    world = World(1, 4, head=HEAD)
    show = world.state.show
    table = tuple((k / 20, BUILDS[0].hfov_deg(k / 20)) for k in range(21))
    for number in (1, 4):
        camera = show.camera(f"c{number}").model_copy(update={"zoom_table": table})
        aim = Aim(20.0, 5.0, 0.4)
        framing = Framing(
            id=f"f{number}",
            camera_id=camera.id,
            slot=0,
            name="Kiln",
            pan_deg=20,
            tilt_deg=5,
            zoom=0.4,
            picture=f"p{number}.jpg",
        )
        show = show.with_camera(camera).with_framing(framing)
        world.pictures[f"p{number}.jpg"] = seen(aim, BUILDS[number - 1].hfov_deg(0.4), number == 4)
    world.engine.state = world.state.with_show(show)
    world.act("camera.home", camera=1)
    world.wait(2)
    return world


def test_of_a_healthy_camera_everything_is_said_to_be_well_and_it_is_brought_back(world):
    before = world.state.live("c1").aim
    findings = check(world, 1)
    assert wrong(findings) == []
    assert [f.step for f in findings] == ["address", "answer", "line", "position", "picture", "match", "axes", "knock"]
    world.wait(4)
    assert abs(world.state.live("c1").aim.pan_deg - before.pan_deg) < 0.02
    assert wrong(check(world, 4)) == []
    assert next(f.sentence for f in check(world, 5)) == "It is a fixed camera: only its picture is looked at."


@pytest.mark.parametrize(
    ("fault", "said"),
    [
        ({"loss_percent": 20.0}, "Camera 1 loses messages: "),
        ({"reorder_percent": 40.0}, "Camera 1 answers unevenly: after "),
        ({"delay_ms": 180.0}, "Camera 1 answers late: after "),
        ({"delay_ms": 500.0}, "Camera 1 answers late: after "),
        ({"stuck": "pan"}, "Camera 1 does not move its pan. Is something in its way?"),
        ({"stuck": "tilt"}, "Camera 1 does not move its tilt."),
        ({"stuck": "zoom"}, "Camera 1 does not move its zoom."),
        ({"no_position": True}, "Camera 1 does not say where it stands. Switch position replies on in its menu"),
        ({"standby": True}, "Camera 1 is in standby."),
        ({"bump_pan_deg": 2.0, "bump_tilt_deg": -1.5}, "Camera 1 was knocked: “Kiln” is 2.4° off its stored picture."),
        ({"frozen": True}, "Camera 1 moves, but its picture stands still: it is frozen, or another camera's."),
        ({"black": True}, "Camera 1's picture is black. Is the lens covered, or the iris closed?"),
    ],
    ids=str,
)
def test_each_fault_is_named_and_only_that(world, fault, said):
    world.fault(1, **fault)
    world.wait(1.5)
    found = wrong(check(world, 1))
    assert len(found) == 1, found
    assert found[0].startswith(said)


def test_silence_is_told_from_a_camera_that_is_not_there_and_from_one_at_another_port(world):
    world.fault(1, silence=True)
    world.wait(3)
    (said,) = wrong(check(world, 1, Probes(Door.REFUSED)))
    assert said.startswith("Camera 1: 127.0.0.1 is there, but nothing answers VISCA over IP on UDP 52381")
    (said,) = wrong(check(world, 1, Probes(there=False)))
    assert said.startswith("Camera 1: nothing is at 127.0.0.1. Is it switched on, is its cable in")
    findings = check(world, 1, Probes(Door.SILENT, True, (Protocol.VISCA_TCP, 5678), (Protocol.ONVIF, 80)))
    assert wrong(findings) == [
        "Camera 1 does not answer VISCA over IP on UDP 52381. It answers bare VISCA on TCP 5678: use that?"
    ]
    use(world, findings)
    assert world.state.show.camera("c1").control == Control(protocol=Protocol.VISCA_TCP, port=5678)


@pytest.mark.parametrize(
    ("control", "probes", "said"),
    [
        (Control(host="nowhere"), Probes(), "There is no machine called “nowhere”: is the name right?"),
        (
            Control(protocol=Protocol.VISCA_SERIAL, line="/dev/ttyUSB0"),
            Probes(Door.UNREACHABLE),
            "Camera 1: There is no serial line /dev/ttyUSB0: is the adapter plugged in?",
        ),
        (
            Control(protocol=Protocol.VISCA_SERIAL, line="/dev/ttyUSB0"),
            Probes(Door.REFUSED),
            "Camera 1: The serial line /dev/ttyUSB0 is in use, or not allowed for you.",
        ),
        (
            Control(protocol=Protocol.VISCA_SERIAL, line="/dev/ttyUSB0"),
            Probes(Door.SILENT),
            "Camera 1: Nothing answers on /dev/ttyUSB0: check the cable, and the speed in the camera's menu.",
        ),
    ],
)
def test_the_way_to_the_camera_is_checked_first(world, control, probes, said):
    world.fault(1, silence=True)
    camera = world.state.show.camera("c1").model_copy(update={"control": control})
    world.engine.state = world.state.with_show(world.state.show.with_camera(camera))
    world.wait(2)
    assert wrong(check(world, 1, probes)) == [said]


def test_a_refused_login_is_named_and_a_picture_is_offered_to_a_camera_that_has_none(world):
    control = Control(protocol=Protocol.ONVIF, port=80, user="crew")
    camera = world.state.show.camera("c1").model_copy(update={"control": control})
    world.engine.state = world.state.with_show(world.state.show.with_camera(camera))
    probes = Probes(Door.OPEN)
    probes.login_phrase = "its user name or password is refused"
    assert wrong(check(world, 1, probes)) == [
        "Camera 1: its user name or password is refused. Type them again under Reach."
    ]
    probes.login_phrase = None
    use(world, check(world, 1, probes))
    assert world.state.show.camera("c1").picture.name == "rtsp://127.0.0.1/1"


def test_swapped_pictures_are_found_and_swapped_back(world):
    world.shown_by = {"c1": "c4", "c4": "c1"}
    findings = check(world, 1)
    assert wrong(findings) == ["When camera 1 moves, the picture of camera 4 moves: their pictures are swapped."]
    (remedy,) = [f.remedy for f in findings if f.remedy is not None]
    assert (remedy.action, remedy.arguments) == ("camera.swap_pictures", {"camera": 1, "other": 4})


def test_a_picture_that_moves_because_its_own_camera_does_is_not_accused(world):
    """Somebody steers camera 4 while camera 1, whose picture is frozen, is checked."""
    world.fault(1, frozen=True)
    tell = world.tell

    def steer(share, sentence, *findings):
        tell(share, sentence, *findings)
        if sentence == "Moving it a little":
            world.act("camera.aim", camera=4, pan_deg=60, tilt_deg=10, zoom=0.1)

    world.tell = steer
    (said,) = wrong(check(world, 1))
    assert "it is frozen, or another camera's" in said


def test_a_camera_that_hangs_and_is_said_to_stand_is_found(world):
    world.act("camera.place", camera=4, hung=False)
    findings = check(world, 4)
    assert wrong(findings) == ["Camera 4's picture moves the wrong way: is it hung upside down?"]
    use(world, findings)
    assert world.state.show.camera("c4").place.hung


def test_a_camera_on_air_or_next_is_not_moved(world):
    world.act("ready.camera", camera=1)
    before = world.state.live("c1").asked_s
    findings = check(world, 1)
    assert "It is on air or Next, so it was not moved: check it again later." in [f.sentence for f in findings]
    assert world.state.live("c1").asked_s == before
    assert wrong(findings) == []


def test_a_camera_that_falls_silent_meanwhile_is_not_said_to_be_well(world):
    world.fault(1, silence=True)
    assert wrong(check(world, 1)) == ["Camera 1 stopped answering while it was listened to: check it again."]


def test_the_remedies_of_standby_and_of_no_position_do_what_they_say(world):
    world.fault(1, standby=True)
    world.wait(1)
    use(world, check(world, 1))
    world.wait(2)
    assert world.state.live("c1").aim is not None
    world.fault(1, no_position=True)
    world.wait(1)
    use(world, check(world, 1))
    assert world.state.show.camera("c1").recall_only
    assert world.state.show.camera("c1").head.memories > 0


def test_no_picture_at_all_is_told_with_the_reason(world):
    world.engine.state = world.state.with_live("c1", picture=False)
    assert wrong(check(world, 1)) == ["Camera 1 has no picture: nothing listens at its picture's address. See Reach."]
