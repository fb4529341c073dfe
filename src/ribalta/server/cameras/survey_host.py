"""The hands and probes of work on cameras in a real session: they wait for the real clock, on the work's own thread."""

import contextlib
import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from ribalta.core.base.faults import RemoteFault
from ribalta.core.base.hosts import split_port
from ribalta.core.engine.state.live import LiveState
from ribalta.core.picture.reading import decoded
from ribalta.core.picture.registration import Grey, grey, grey_of
from ribalta.core.ports.messages import Compared, Position
from ribalta.core.show.document.model import Control
from ribalta.core.show.document.model import Protocol as Spoken
from ribalta.core.survey.checking import SPOKEN
from ribalta.core.survey.job import Finding, Remedy
from ribalta.core.survey.probes import Door
from ribalta.core.survey.surveyor import Look, Stopped
from ribalta.devices import discovery, picture_search, probing
from ribalta.devices.picture_search import FoundPicture
from ribalta.devices.secrets import Secrets
from ribalta.server.cameras.camera_access import CameraAccess

LOOK_EVERY_S = 0.005
BEST = (Spoken.VISCA_IP, Spoken.VISCA_TCP, Spoken.ONVIF, Spoken.VISCA_UDP)  # the surest first
Tell = Callable[[float, str, tuple[Finding, ...]], None]


class LiveSurveyor:
    """See `core/survey/surveyor.py`. `stop` and `hear` come from other threads."""

    def __init__(self, access: CameraAccess, camera_id: str, tell: Tell, turn: threading.Lock) -> None:
        self._access, self._camera_id, self._tell_all, self._turn = access, camera_id, tell, turn
        self._stop = threading.Event()
        self._reports: deque[Position] = deque(maxlen=4000)
        self._seen: dict[str, tuple[int, Look]] = {}

    def stop(self) -> None:
        self._stop.set()

    @property
    def stopped(self) -> bool:
        return self._stop.is_set()

    def hear(self, report: Position) -> None:
        if report.camera_id == self._camera_id:
            self._reports.append(report)

    def now_s(self) -> float:
        return self._access.clock.now_s()

    @property
    def state(self) -> LiveState:
        return self._access.state

    def act(self, action_id: str, **arguments: Any) -> None:
        if not self.stopped or action_id == "camera.aim":  # it may still be sent back to where it was
            self._access.act(action_id, arguments)

    def wait(self, seconds: float, until: Callable[[LiveState], bool] = lambda _: False) -> bool:
        end_s = self.now_s() + seconds
        while not until(self.state):
            if self._stop.wait(max(0.0, min(LOOK_EVERY_S, end_s - self.now_s()))):
                raise Stopped
            if self.now_s() >= end_s:
                return until(self.state)
        return True

    @contextlib.contextmanager
    def alone(self) -> Iterator[None]:
        while not self._turn.acquire(timeout=0.1):
            if self.stopped:
                raise Stopped
        try:
            yield
        finally:
            self._turn.release()

    def reports(self, camera_id: str) -> Sequence[Position]:
        heard = []
        while self._reports:
            heard.append(self._reports.popleft())
        return heard

    def look(self, camera_id: str) -> Look | None:
        frame = self._access.look(camera_id)
        if frame is None:
            return None
        before = self._seen.get(camera_id)
        if before is None or before[0] != frame.number:
            before = self._seen[camera_id] = (frame.number, Look(grey_of(frame.picture), frame.captured_s))
        return before[1]

    def stored(self, picture: str) -> Grey | None:
        data = self._access.stored_picture(picture)
        if data is None:
            return None
        pixels = decoded(data)
        return grey(pixels) if pixels is not None else None

    def report(self, report: Compared) -> None:
        self._access.report(report)

    def tell(self, share: float, sentence: str, *findings: Finding) -> None:
        self._tell_all(share, sentence, findings)


class RealProbes:
    """See `core/survey/probes.py`."""

    def __init__(self, access: CameraAccess, secrets: Secrets) -> None:
        self._access, self._secrets = access, secrets

    def resolve(self, host: str) -> str:
        return probing.resolve(host)

    def ask(self, control: Control, address: str) -> Door:
        if control.protocol is Spoken.VISCA_SERIAL:
            return probing.visca_serial(control.line, control.baud_rate)
        return probing.ASK[control.protocol](address, control.port)

    def present(self, address: str) -> bool:
        doors = {probing.tcp_door(address, port) for port in (80, 8080, 554, 8554)}
        return bool(doors & {Door.OPEN, Door.REFUSED})

    def others(self, address: str) -> Iterator[tuple[Spoken, int]]:
        for answer in probing.answers(address, lambda: False):
            yield answer.protocol, answer.port

    def login(self, control: Control) -> tuple[str | None, str]:
        password = self._secrets.get(f"{control.host}:{control.port}", control.user)
        return probing.onvif_login(control.host, control.port, control.user, password)

    def picture_trouble(self, camera_id: str) -> str | None:
        return self._access.picture_trouble(camera_id)


def search(where: str, hands: LiveSurveyor, known: frozenset[str]) -> str:
    """Find cameras and tell each as it answers; returns the last sentence. Raises Stopped, RemoteFault."""
    found = _ask_network(hands, known) if not where.strip() else _look_at(where, hands, known)
    if not found:
        return "Nothing answered. Is the camera switched on, and on the same network as this machine?"
    return f"{found} answered." if found > 1 else "One answered."


def _ask_network(hands: LiveSurveyor, known: frozenset[str]) -> int:
    count = 0
    for found in discovery.cameras(lambda: hands.stopped):
        if hands.stopped:
            raise Stopped
        if isinstance(found, float):
            hands.tell(found, "Asking the network; cameras with ONVIF answer by themselves")
        else:
            count += 1
            hands.tell(0.0, "Asking the network", _offer(found.host, [], _of_onvif(found), found.name, known))
    return count


def _of_onvif(found: discovery.Found) -> tuple[probing.Answer, FoundPicture]:
    return probing.Answer(Spoken.ONVIF, found.port), picture_search.onvif_picture(found.host, found.port)


def _look_at(where: str, hands: LiveSurveyor, known: frozenset[str]) -> int:
    where, port = split_port(where)
    places, count = probing.addresses(where), 0
    for k, host in enumerate(places):
        hands.tell(k / len(places), f"Looking at {host}")
        address = probing.resolve(host) if len(places) == 1 else host
        answers = list(probing.answers(address, lambda: hands.stopped, port))
        pictures = () if hands.stopped else probing.picture_ports(address, port)
        if hands.stopped:
            raise Stopped
        if answers or pictures:
            count += 1
            hands.tell((k + 1) / len(places), f"Looking at {host}", _answering(host, answers, pictures, known))
        elif len(places) == 1:
            there = any(probing.tcp_door(address, port) is Door.REFUSED for port in (80, 554))
            why = "is there, but nothing that steers a camera answers" if there else "does not answer at all"
            raise RemoteFault(f"{host} {why}.")
    return count


def _answering(host: str, answers: list[probing.Answer], pictures: tuple[int, ...], known: frozenset[str]) -> Finding:
    """One line for one address, the way to reach it that serves best, and its picture if there is one."""
    best = min(answers, key=lambda answer: BEST.index(answer.protocol), default=None)
    found = FoundPicture()
    onvif = next((answer for answer in answers if answer.protocol is Spoken.ONVIF), None)
    if onvif is not None:
        found = picture_search.onvif_picture(host, onvif.port)
    for port in pictures:
        if not found.address:
            found = picture_search.rtsp_picture(host, port)
    ways = [f"{SPOKEN[answer.protocol]} {answer.port}" for answer in answers]
    ways += [f"RTSP on TCP {port}" for port in pictures]
    return _offer(host, ways, (best, found), "", known)


def _offer(
    host: str, ways: list[str], way: tuple[probing.Answer | None, FoundPicture], called: str, known: frozenset[str]
) -> Finding:
    """A camera that was found: what it answers, where its picture is, and one press that adds it with both."""
    best, picture = way
    ways = ways or ([f"{SPOKEN[best.protocol]} {best.port}"] if best is not None else [])
    said = f"{host}{f' “{called}”' if called else ''} answers {'; '.join(ways)}."
    if picture.address:
        said += f" Its picture: {picture.address}{', with a user and a password' if picture.locked else ''}."
    if host in known:
        return Finding("found", None, said + " The show has a camera there.")
    if best is None and not picture.address:
        return Finding("found", None, said + " Nothing that steers a camera answers, and no picture.")
    arguments: dict[str, Any] = {"name": called, "picture": picture.address}
    if best is None:
        return Finding("found", True, said + " It is not steered.", Remedy("Add fixed", "camera.add", arguments))
    arguments |= {"protocol": best.protocol.value, "host": host, "port": best.port}
    return Finding("found", True, said, Remedy("Add", "camera.add", arguments))
