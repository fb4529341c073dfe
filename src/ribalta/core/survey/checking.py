"""Checking a camera: from its address to whether its picture is its own; what is wrong, and what mends it.

A camera that is on air or Next is not moved: the steps that need a move are then left out, and that is said.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import RemoteFault
from ribalta.core.optics.projection import Picture, pan_tilt_to_pixel
from ribalta.core.picture.comparison import SURE as COMPARED_SURELY
from ribalta.core.picture.comparison import SURE_NEAR
from ribalta.core.picture.registration import Shift, difference, shift_between
from ribalta.core.ports.shots import CameraLive
from ribalta.core.show.document.model import Camera, Framing, PictureKind, Protocol
from ribalta.core.survey.comparing import compared
from ribalta.core.survey.job import Finding, Remedy
from ribalta.core.survey.line import listen, trouble
from ribalta.core.survey.probes import Door, Probes
from ribalta.core.survey.surveyor import Look, Surveyor

TURN_SHARE = 0.07  # of the picture's width: small enough to be no trouble, large enough to be seen
MOVE_WITHIN_S, POWER_WITHIN_S = 4.0, 2.0
SHARP_S = 0.3  # beyond the known delay: a mechanism springs, and a stream's pictures come in groups
CONTACT_WITHIN_S = 2.5
RESTED_WITHIN_S, LOOK_AGAIN_S = 4.0, 0.1
BLACK, SURE = 0.02, 0.05
KNOCKED_PERCENT = 1.0
SPOKEN = {
    Protocol.VISCA_IP: "VISCA over IP on UDP",
    Protocol.VISCA_UDP: "bare VISCA on UDP",
    Protocol.VISCA_TCP: "bare VISCA on TCP",
    Protocol.VISCA_SERIAL: "VISCA on a serial line",
    Protocol.ONVIF: "ONVIF on TCP",
}


@dataclass(frozen=True)
class _Seen:
    """Every camera's picture at one moment, and where its head pointed, as far as that is known."""

    looks: dict[str, Look]
    aims: dict[str, Aim | None]


class Checking:
    """One camera's check. `run` tells its findings as they come; it may raise `Stopped`."""

    def __init__(self, hands: Surveyor, probes: Probes, camera_id: str) -> None:
        self._hands, self._probes, self._id = hands, probes, camera_id
        self._wrong: set[str] = set()

    def run(self) -> None:
        """Every step in order, each telling what it found. Raises Stopped, Failed."""
        steps: tuple[tuple[str, Callable[[Camera], Iterator[Finding]]], ...] = (
            ("Looking its address up", self._address),
            ("Asking whether it answers", self._answer),
            ("Trying user and password", self._login),
            ("Listening to the line", self._line),
            ("Asking whether it is switched on", self._power),
            ("Asking where it stands", self._position),
            ("Looking at its picture", self._picture),
            ("Moving it a little", self._moves),
            ("Comparing with a stored picture", self._knock),
        )
        for k, (words, step) in enumerate(steps):
            self._hands.tell(k / len(steps), words)
            for finding in step(self._camera()):
                if finding.fine is False:
                    self._wrong.add(finding.step)
                self._hands.tell(k / len(steps), words, finding)

    def _camera(self) -> Camera:
        camera = self._hands.state.show.camera(self._id)
        if camera is None:
            raise RemoteFault("The camera was removed.")
        return camera

    @property
    def _answers(self) -> bool:
        return self._hands.state.live(self._id).answers

    def _free(self) -> bool:
        state = self._hands.state
        return not state.on_air(self._id) and not state.is_next(self._id)

    # Between here and the camera

    def _address(self, camera: Camera) -> Iterator[Finding]:
        control = camera.control
        if control is None:
            yield Finding("address", None, "It is a fixed camera: only its picture is looked at.")
        elif control.protocol is Protocol.VISCA_SERIAL:
            yield Finding("address", None, f"It is on the serial line {control.line}.")
        else:
            try:
                self._numeric = self._probes.resolve(control.host)
            except RemoteFault as fault:
                yield Finding("address", False, str(fault))
                return
            numeric = "" if self._numeric == control.host else f", that is {self._numeric}"
            yield Finding("address", True, f"Its address is {control.host}{numeric}.")

    _numeric = ""

    def _answer(self, camera: Camera) -> Iterator[Finding]:
        control = camera.control
        if control is None or "address" in self._wrong:
            return
        if self._answers or self._hands.wait(CONTACT_WITHIN_S, lambda s: s.live(self._id).answers):
            yield Finding(
                "answer", True, f"It answers {SPOKEN[control.protocol]} {self._port(camera)}.".replace(" .", ".")
            )
            return
        door = self._probes.ask(control, self._numeric)
        asked = f"{SPOKEN[control.protocol]} {self._port(camera)}".strip()
        if control.protocol is Protocol.VISCA_SERIAL:
            said = {
                Door.UNREACHABLE: f"There is no serial line {control.line}: is the adapter plugged in?",
                Door.REFUSED: f"The serial line {control.line} is in use, or not allowed for you.",
            }.get(door, f"Nothing answers on {control.line}: check the cable, and the speed in the camera's menu.")
            yield Finding("answer", False, f"Camera {camera.number}: {said}")
            return
        if door is Door.OPEN and control.protocol is not Protocol.ONVIF:
            yield Finding("answer", False, f"Camera {camera.number} answers {asked}, but no conversation comes about.")
            return
        if door is Door.OPEN:
            return  # what keeps it away is its login
        for protocol, port in self._probes.others(self._numeric):
            yield self._elsewhere(camera, asked, protocol, port)
            return
        yield Finding("answer", False, self._silence(camera, asked, door))

    def _port(self, camera: Camera) -> str:
        control = camera.control
        return str(control.port) if control is not None and control.protocol is not Protocol.VISCA_SERIAL else ""

    def _elsewhere(self, camera: Camera, asked: str, protocol: Protocol, port: int) -> Finding:
        assert camera.control is not None
        said = f"Camera {camera.number} does not answer {asked}. It answers {SPOKEN[protocol]} {port}: use that?"
        arguments: dict[str, Any] = {"camera": camera.number, "protocol": protocol.value, "port": port}
        arguments |= {"host": camera.control.host, "user": camera.control.user}
        return Finding("answer", False, said, Remedy("Use that", "camera.connect", arguments))

    def _silence(self, camera: Camera, asked: str, door: Door) -> str:
        control = camera.control
        assert control is not None
        if door is Door.REFUSED or self._probes.present(self._numeric):
            return (
                f"Camera {camera.number}: {control.host} is there, but nothing answers {asked}, nor any other way to"
                " steer it. Switch network control on in the camera's menu, or restart the camera."
            )
        return (
            f"Camera {camera.number}: nothing is at {control.host}. Is it switched on, is its cable in, and is it on"
            " this network?"
        )

    def _login(self, camera: Camera) -> Iterator[Finding]:
        control = camera.control
        if control is None or control.protocol is not Protocol.ONVIF or self._wrong & {"address", "answer"}:
            return
        phrase, address = self._probes.login(control)
        if phrase is not None:
            yield Finding("login", False, f"Camera {camera.number}: {phrase}. Type them again under Reach.")
            return
        remedy = None
        if address and not camera.picture.name:
            arguments = {"camera": camera.number, "kind": "stream", "name": address, "user": control.user}
            remedy = Remedy("Use its picture", "camera.picture", arguments)
        yield Finding("login", True, "Its user and password are accepted.", remedy)

    def _line(self, camera: Camera) -> Iterator[Finding]:
        if not self._answers:
            return
        heard = listen(self._hands, self._id)
        wrong = trouble(heard) if self._answers else "stopped answering while it was listened to: check it again."
        if wrong is not None:
            yield Finding("line", False, f"Camera {camera.number} {wrong}")
        else:
            yield Finding("line", True, f"It answers after {1000 * heard.mean_s:.0f} ms, and nothing is lost.")

    def _power(self, camera: Camera) -> Iterator[Finding]:
        live = self._hands.state.live(self._id)
        if not self._answers or camera.head is None or "power" not in camera.head.settings:
            return
        if live.no_position or "power" not in live.settings:
            self._hands.wait(POWER_WITHIN_S, lambda s: _in_standby(s.live(self._id)))
        if _in_standby(self._hands.state.live(self._id)):
            arguments = {"camera": camera.number, "setting": "power", "value": "on"}
            said = f"Camera {camera.number} is in standby."
            yield Finding("power", False, said, Remedy("Switch it on", "camera.set", arguments))

    def _position(self, camera: Camera) -> Iterator[Finding]:
        if not self._answers or camera.head is None or "power" in self._wrong:
            return
        if camera.recall_only:
            yield Finding("position", None, "It goes to its own memories: it does not say where it stands.")
            return
        known = self._hands.wait(2.0, lambda s: s.live(self._id).aim is not None or s.live(self._id).no_position)
        if known and not self._hands.state.live(self._id).no_position:
            yield Finding("position", True, "It says where it stands.")
            return
        head = camera.head.model_copy(update={"reports_position": False, "memories": camera.head.memories or 64})
        arguments = {"camera": camera.number, "head": head.model_dump()}
        said = (
            f"Camera {camera.number} does not say where it stands. Switch position replies on in its menu; or have it"
            " use its own memories, with travel times that are learned."
        )
        yield Finding("position", False, said, Remedy("Use its memories", "camera.learn", arguments))

    # The picture

    def _picture(self, camera: Camera) -> Iterator[Finding]:
        hands = self._hands
        if not hands.state.live(self._id).picture and not hands.wait(3.0, lambda s: s.live(self._id).picture):
            phrase = self._probes.picture_trouble(self._id) or "nothing comes from where it should"
            said = f"Camera {camera.number} has no picture: {phrase}."
            yield Finding("picture", False, f"{said} See Reach.")
            return
        look = hands.look(self._id)
        if look is None:
            return
        if float(look.picture.mean()) < BLACK and float(look.picture.std()) < BLACK:
            said = f"Camera {camera.number}'s picture is black. Is the lens covered, or the iris closed?"
            yield Finding("picture", False, said)
        else:
            yield Finding("picture", True, "Its picture comes.")

    def _moves(self, camera: Camera) -> Iterator[Finding]:
        """Each axis, by what is reported; and pan by what is seen, in this picture and in all others."""
        live = self._hands.state.live(self._id)
        if camera.head is None or not self._answers or live.aim is None or camera.recall_only:
            return
        if not self._free():
            yield Finding("axes", None, "It is on air or Next, so it was not moved: check it again later.")
            return
        with self._hands.alone():
            yield from self._each_axis(camera, _rest(live.aim, live.goal))

    def _each_axis(self, camera: Camera, start: Aim) -> Iterator[Finding]:
        turn = max(0.5, TURN_SHARE * camera.lens.hfov_deg(start.zoom))
        here, stuck, goal = self._all_looks(camera), [], start
        for name, way in (("pan", Aim(turn, 0, 0)), ("tilt", Aim(0, turn, 0)), ("zoom", Aim(0, 0, 0.04))):
            goal = self._inside(camera, goal, way)
            self._send(camera, goal)
            if not self._arrives(goal, way):
                stuck.append(name)
            elif name == "pan":
                yield from self._match(camera, start, here)
        self._send(camera, start)
        self._hands.wait(MOVE_WITHIN_S, lambda s: _near(s.live(self._id).aim, start))
        if stuck:
            said = f"Camera {camera.number} does not move its {' and '.join(stuck)}. Is something in its way?"
            yield Finding("axes", False, said)
        else:
            yield Finding("axes", True, "It pans, tilts and zooms.")

    def _send(self, camera: Camera, aim: Aim) -> None:
        where = {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom}
        self._hands.act("camera.aim", camera=camera.number, **where)

    def _arrives(self, goal: Aim, way: Aim) -> bool:
        return self._hands.wait(MOVE_WITHIN_S, lambda s: _there(s.live(self._id).aim, goal, way))

    @staticmethod
    def _inside(camera: Camera, start: Aim, way: Aim) -> Aim:
        """A step from an aim, the other way when it would meet a limit."""
        assert camera.head is not None
        goal, met = camera.head.limits.clamp(start + way)
        return camera.head.limits.clamp(start - way)[0] if met else goal

    def _all_looks(self, camera: Camera) -> _Seen:
        """What all pictures show once this one's is sure to show its head standing still."""
        self._hands.wait(camera.picture.delay_s + SHARP_S)
        state = self._hands.state
        looks = {c.id: self._hands.look(c.id) for c in state.show.cameras}
        aims = {c.id: state.live(c.id).aim for c in state.show.cameras}
        return _Seen({name: look for name, look in looks.items() if look is not None}, aims)

    def _match(self, camera: Camera, start: Aim, before: _Seen) -> Iterator[Finding]:
        live = self._hands.state.live(self._id)
        mine = before.looks.get(self._id)
        if mine is None or live.aim is None or "picture" in self._wrong:
            return
        after = self._all_looks(camera)
        height, width = mine.picture.shape
        expected = _expected(camera, start, live.aim, width, height)
        moved = {
            name: shift_between(before.looks[name].picture, look.picture)
            for name, look in after.looks.items()
            if name in before.looks and difference(before.looks[name].picture, look.picture) > 0
        }
        own = moved.get(self._id)
        if own is not None and own.sure > SURE and abs(own.right - expected) < 0.5 * abs(expected):
            yield Finding("match", True, "Its picture moves with it.")
            return
        if own is not None and own.sure > SURE and abs(own.right + expected) < 0.5 * abs(expected):
            hung = not camera.place.hung
            said = f"Camera {camera.number}'s picture moves the wrong way: is it hung upside down?"
            arguments = {"camera": camera.number, "hung": hung}
            label = "It hangs upside down" if hung else "It stands upright"
            yield Finding("match", False, said, Remedy(label, "camera.place", arguments))
            return
        stood = {name for name, aim in after.aims.items() if aim == before.aims.get(name)}
        yield self._not_mine(camera, {name: shift for name, shift in moved.items() if name in stood})

    def _not_mine(self, camera: Camera, moved: dict[str, Shift]) -> Finding:
        """`moved`: the pictures of cameras whose heads stood still meanwhile."""
        for other in self._hands.state.show.cameras:
            shift = moved.get(other.id)
            if other.id != camera.id and shift is not None and shift.sure > SURE and abs(shift.right) > 4:
                said = (
                    f"When camera {camera.number} moves, the picture of camera {other.number} moves: their pictures"
                    " are swapped."
                )
                arguments = {"camera": camera.number, "other": other.number}
                return Finding("match", False, said, Remedy("Swap them", "camera.swap_pictures", arguments))
        said = f"Camera {camera.number} moves, but its picture stands still: it is frozen, or another camera's."
        if camera.picture.kind is PictureKind.SHARED_MEMORY:
            return Finding("match", False, said + " Restart what makes the picture.")
        return Finding("match", False, said + " Restart the camera, or look at its address under Reach.")

    # The mount

    def _knock(self, camera: Camera) -> Iterator[Finding]:
        """Go to a stored framing and compare with its picture: a knocked mount shows the same, shifted."""
        state = self._hands.state
        framing = next((f for f in state.show.framings if f.camera_id == self._id and f.picture is not None), None)
        live = state.live(self._id)
        if framing is None or not self._free() or self._wrong or live.aim is None or not camera.steered:
            return
        start = _rest(live.aim, live.goal)
        self._send(camera, framing.aim)
        there = self._hands.wait(MOVE_WITHIN_S * 2, lambda s: _near(s.live(self._id).aim, framing.aim))
        if there:
            self._hands.wait(camera.picture.delay_s + 0.9)
            yield from self._knocked(camera, framing)
        self._send(camera, start)

    def _knocked(self, camera: Camera, framing: Framing) -> Iterator[Finding]:
        found, until_s = compared(self._hands, camera, framing, framing.aim), self._hands.now_s() + RESTED_WITHIN_S
        while found is None and self._hands.now_s() < until_s:
            self._hands.wait(LOOK_AGAIN_S)
            found = compared(self._hands, camera, framing, framing.aim)
        if found is None:
            yield Finding("knock", None, f"No picture of “{framing.name}” came to compare with the stored one.")
            return
        hfov_deg = camera.lens.hfov_deg(framing.zoom)
        if found.sure < (SURE_NEAR if found.off < KNOCKED_PERCENT else COMPARED_SURELY):
            yield Finding("knock", None, f"“{framing.name}” looks too different from its stored picture to compare.")
        elif found.off <= KNOCKED_PERCENT:
            yield Finding("knock", True, f"“{framing.name}” looks as it did when it was stored.")
        else:
            yield Finding(
                "knock",
                False,
                f"Camera {camera.number} was knocked: “{framing.name}” is {found.off / 100 * hfov_deg:.1f}° off its"
                " stored picture. Turn its mount back, or sweep it in Frame and re-level it.",
            )


def _there(aim: Aim | None, goal: Aim, way: Aim) -> bool:
    """Has the axis that was to move come to its goal? The others may be stuck."""
    if aim is None:
        return False
    off = aim - goal
    return (
        (not way.pan_deg or abs(off.pan_deg) < 0.1)
        and (not way.tilt_deg or abs(off.tilt_deg) < 0.1)
        and (not way.zoom or abs(off.zoom) < 0.005)
    )


def _in_standby(live: CameraLive) -> bool:
    power = live.settings.get("power")
    return power is not None and power.reported == "standby"


def _rest(aim: Aim, goal: Aim | None) -> Aim:
    """Where to bring it back to: its goal if it is there, give or take its last springing."""
    return goal if goal is not None and _near(aim, goal) else aim


def _near(aim: Aim | None, goal: Aim) -> bool:
    if aim is None:
        return False
    off = aim - goal
    return abs(off.pan_deg) < 0.1 and abs(off.tilt_deg) < 0.1 and abs(off.zoom) < 0.005


def _expected(camera: Camera, start: Aim, end: Aim, width: int, height: int) -> float:
    """By how many pixels to the right the middle of the first picture is in the second."""
    seen = pan_tilt_to_pixel(start.pan_deg, start.tilt_deg, end, camera.lens, camera.place.hung, Picture(width, height))
    return (seen[0] - width / 2) if seen is not None else 0.0
