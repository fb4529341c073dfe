"""Which driver speaks which protocol: one line each."""

from collections.abc import Callable
from typing import Protocol as Shape

from ribalta.core.ports.messages import Report, Request
from ribalta.core.show.document.model import Camera, Head, Protocol
from ribalta.devices.drivers.onvif.driver import OnvifDriver
from ribalta.devices.drivers.visca.dialects import Bare, Headered
from ribalta.devices.drivers.visca.driver import ViscaDriver


class Driver(Shape):
    """A state machine of one camera: requests and bytes in, bytes and reports out."""

    camera_id: str

    def request(self, request: Request, now_s: float) -> None:
        """Take in what is asked of the camera. Nothing is raised for what the camera cannot do: it is reported."""
        ...

    def receive(self, data: bytes, now_s: float) -> None:
        """Take in bytes as they came from the link, one datagram or any piece of a stream; of anybody, so of any
        content."""
        ...

    def drain(self) -> tuple[list[bytes], list[Report]]:
        """What is to be sent, each as one message, and what is reported, since the last call."""
        ...

    def tick(self, now_s: float) -> None:
        """Let happen what is due by now."""
        ...

    def next_deadline_s(self) -> float:
        """When `tick` next has something to do, in clock time."""
        ...


DRIVERS: dict[Protocol, Callable[[str, Head, float], Driver]] = {
    Protocol.VISCA_IP: lambda name, head, now_s: ViscaDriver(name, head, now_s, Headered()),
    Protocol.VISCA_UDP: lambda name, head, now_s: ViscaDriver(name, head, now_s, Bare(stream=False)),
    Protocol.VISCA_TCP: lambda name, head, now_s: ViscaDriver(name, head, now_s, Bare(stream=True)),
    Protocol.ONVIF: OnvifDriver,
    Protocol.VISCA_SERIAL: lambda name, head, now_s: ViscaDriver(name, head, now_s, Bare(stream=True, chain=True)),
}


def driver_for(camera: Camera, now_s: float) -> Driver | None:
    """The driver of a camera, or None for a fixed one."""
    if camera.control is None or camera.head is None:
        return None
    return DRIVERS[camera.control.protocol](camera.id, camera.head, now_s)
