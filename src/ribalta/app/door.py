"""`ribalta door`: the process that lets guests in. It attaches to a show's server, and ends with it."""

import asyncio
import signal
from pathlib import Path

from ribalta.attach.protocol import DoorSeen, Who
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.shortcut_file import config_folder
from ribalta.remote.guests.certificate import certificate_in, context
from ribalta.remote.guests.door import Door

ANYWHERE = "0.0.0.0"


def keep_door(socket: Path, port: int, beyond: bool, host: str = ANYWHERE) -> int:
    """Until the show ends, or whoever started it ends it. Raises LocalFault when the show does not answer."""
    loop = asyncio.new_event_loop()
    over = asyncio.Event()

    def lost() -> None:
        loop.call_soon_threadsafe(over.set)

    show = RemoteShow(socket, on_lost=lost, who=Who.DOOR)
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, over.set)
    try:
        certificate = certificate_in(config_folder() / "door")
        door = Door(show, certificate, context(certificate), beyond, socket)
        loop.run_until_complete(door.run(host, port, over))
    except LocalFault as fault:
        show.outside.guests.tell(DoorSeen(trouble=str(fault)))
        loop.run_until_complete(over.wait())  # it stays where it is, so that what is wrong is said once
    finally:
        show.close()
        loop.run_until_complete(loop.shutdown_default_executor())
        loop.close()
    return 0
