"""Which driver speaks which protocol: one line each."""

from ribalta.core.show.model import Camera
from ribalta.devices.drivers.visca.driver import ViscaDriver

Driver = ViscaDriver


def driver_for(camera: Camera, now_s: float) -> Driver | None:
    """The driver of a camera, or None for a fixed one."""
    if camera.control is None or camera.head is None:
        return None
    return {"visca-ip": ViscaDriver}[camera.control.protocol](camera.id, camera.head, now_s)
