"""ONVIF calls through a client library on a thread of its own, so that the rig never waits for HTTP.

The library reads the WSDL files that it ships; nothing is fetched. It is imported only when a camera needs it.
"""

import asyncio
import contextlib
import json
import logging
import math
import socket
import threading
from collections.abc import Callable, Coroutine
from typing import Any

from ribalta.core.base.faults import RemoteFault
from ribalta.core.ports.troubles import REFUSED_LOGIN
from ribalta.devices.links.addresses import check_host
from ribalta.devices.links.link import NEVER_S
from ribalta.devices.links.onvif_imaging import Imaging, Refusal
from ribalta.workers.crew import Crew

CALL_WITHIN_S = 2.5
OPEN_WITHIN_S = 8.0  # the first time, the library reads its descriptions
GREETED_WITHIN_S = 1.2
ENDED_WITHIN_S = OPEN_WITHIN_S + 1.0
LATE, NOBODY = "it does not answer in time", "nothing answers ONVIF there"


def quiet_library() -> Any:
    """The client class. Importing the library sets up logging for everybody: that is undone."""
    root = logging.getLogger()
    level, handlers = root.level, list(root.handlers)
    import onvif

    root.setLevel(level)
    root.handlers[:] = handlers
    for name in ("onvif", "zeep", "httpx"):
        logging.getLogger(name).setLevel(logging.CRITICAL)
    return onvif.ONVIFCamera


def greeting(host: str, port: int) -> bytes:
    """An HTTP request for the time, which any ONVIF device answers to anybody; see `GREETED`."""
    body = (
        b'<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body>'
        b'<GetSystemDateAndTime xmlns="http://www.onvif.org/ver10/device/wsdl"/></s:Body></s:Envelope>'
    )
    head = (
        f"POST /onvif/device_service HTTP/1.1\r\nHost: {host}:{port}\r\nConnection: close\r\n"
        f"Content-Type: application/soap+xml; charset=utf-8\r\nContent-Length: {len(body)}\r\n\r\n"
    )
    return head.encode() + body


GREETED = (b"SystemDateAndTime", b"NotAuthorized", b" 401 ")  # it may want a login even for that


async def _greet(host: str, port: int) -> None:
    """Come back when a device answers. Raises OSError when something else does, or nothing listens."""
    reader, writer = await asyncio.open_connection(host, port)
    try:
        writer.write(greeting(host, port))
        heard = b""
        while not any(word in heard for word in GREETED):
            more = await reader.read(4096)
            if not more or len(heard) > 65536:
                raise ConnectionError("it does not speak ONVIF")
            heard += more
    finally:
        writer.close()


async def _whole(making: Coroutine[Any, Any, Any]) -> Any:
    """A service of the library. It is made to its end even when nobody waits for it any more: the library forgets one
    that is given up while its description is read from the disk, and nobody could close what that had opened."""
    made = asyncio.ensure_future(making)
    try:
        return await asyncio.shield(made)
    except asyncio.CancelledError:
        await asyncio.wait([made])
        raise


class OnvifClient:
    """One camera; see `drivers/onvif/wire.py` for what `do` takes and gives. Used from one event loop."""

    def __init__(self, host: str, port: int, user: str, password: str) -> None:
        self._who = (host, port, user, password)
        self._camera: Any = None
        self._ptz: Any = None
        self._profile = ""
        self._imaging: Imaging | None = None
        self._opening = asyncio.Lock()  # one at a time: what a second one would replace could not be closed

    async def do(self, asked: dict[str, Any]) -> dict[str, Any]:
        name = asked.get("call")
        if name == "open":
            async with self._opening:
                return await asyncio.wait_for(self._open(), OPEN_WITHIN_S)
        if self._ptz is None:
            return {"error": "it is not open"}
        return await asyncio.wait_for(self._call(str(name), asked), CALL_WITHIN_S)

    async def _open(self) -> dict[str, Any]:
        await self.close()
        host, port, *_ = self._who
        await asyncio.wait_for(_greet(host, port), GREETED_WITHIN_S)  # so one that is back is found out soon
        try:
            await self._meet(adjusts=True)
        except Exception as error:
            if phrase_of(error)[0] != REFUSED_LOGIN:
                raise
            await self.close()
            await self._meet(adjusts=False)  # it tells even the time only to those it knows
        media = await _whole(self._camera.create_media_service())
        profiles = await media.GetProfiles()
        with_head = [p for p in profiles if p.PTZConfiguration is not None]
        if not with_head:
            return {"error": "it says that it cannot be steered", "refused": True}
        self._profile = with_head[0].token
        stream = {"StreamSetup": {"Stream": "RTP-Unicast", "Transport": {"Protocol": "RTSP"}}}
        address = await media.GetStreamUri({**stream, "ProfileToken": self._profile})
        self._ptz = await _whole(self._camera.create_ptz_service())
        self._imaging = await self._open_imaging(with_head[0])
        known = {"picture": str(address.Uri), "auxiliary": await self._auxiliary()}
        return known | {"imaging": self._imaging is not None}

    async def _open_imaging(self, profile: Any) -> Imaging | None:
        """None for a camera whose picture cannot be set."""
        with contextlib.suppress(Exception):
            source = str(profile.VideoSourceConfiguration.SourceToken)
            made = Imaging(await _whole(self._camera.create_imaging_service()), source)
            await made.open()
            return made
        return None

    async def _meet(self, adjusts: bool) -> None:
        """`adjusts`: the difference between its clock and ours goes into the login."""
        host, port, user, password = self._who
        library = quiet_library()
        self._camera = library(host, port, user, password, no_cache=True, nat_override=True, adjust_time=adjusts)
        await _whole(self._camera.create_devicemgmt_service())
        await self._camera.update_xaddrs()

    async def _auxiliary(self) -> list[str]:
        """The names of commands of its own, if it tells any."""
        with contextlib.suppress(Exception):  # not every camera tells about its nodes
            nodes = await self._ptz.GetNodes()
            return [str(command)[:200] for node in nodes for command in node.AuxiliaryCommands or ()][:100]
        return []

    async def _call(self, name: str, asked: dict[str, Any]) -> dict[str, Any]:
        ptz, token = self._ptz, {"ProfileToken": self._profile}
        if name == "status":
            status = await ptz.GetStatus(token)
            return _position(status)
        if name == "move":
            position = {"PanTilt": {"x": asked["x"], "y": asked["y"]}, "Zoom": {"x": asked["z"]}}
            request = {**token, "Position": position}
            if "speed" in asked:
                speed = asked["speed"]
                request["Speed"] = {"PanTilt": {"x": speed, "y": speed}, "Zoom": {"x": speed}}
            await ptz.AbsoluteMove(request)
        elif name == "nudge":
            shift = {"PanTilt": {"x": asked["x"], "y": asked["y"]}, "Zoom": {"x": asked["z"]}}
            await ptz.RelativeMove({**token, "Translation": shift})
        elif name == "drive":
            velocity = {"PanTilt": {"x": asked["x"], "y": asked["y"]}, "Zoom": {"x": asked["z"]}}
            await ptz.ContinuousMove({**token, "Velocity": velocity})
        elif name == "stop":
            await ptz.Stop({**token, "PanTilt": True, "Zoom": True})
        elif name == "recall":
            await ptz.GotoPreset({**token, "PresetToken": str(asked["preset"])})
        elif name == "remember":
            preset = {"PresetName": f"Ribalta {asked['preset']}", "PresetToken": str(asked["preset"])}
            await ptz.SetPreset({**token, **preset})
        elif name == "presets":
            return {"presets": [str(p.token) for p in await ptz.GetPresets(token)]}
        elif name == "auxiliary":
            await ptz.SendAuxiliaryCommand({**token, "AuxiliaryData": str(asked["command"])})
        elif name == "home":
            await ptz.GotoHomePosition(token)
        elif name == "settings" and self._imaging is not None:
            return {"settings": await self._imaging.settings()}
        elif name == "adjust" and self._imaging is not None:
            try:
                await self._imaging.adjust(str(asked["setting"]), asked["value"])
            except Refusal as refusal:
                return {"error": str(refusal), "refused": True}
        else:
            return {"error": f"there is no call {name}"}
        return {}

    async def close(self) -> None:
        camera, self._camera, self._ptz, self._imaging = self._camera, None, None, None
        if camera is not None:
            with contextlib.suppress(Exception):
                await camera.close()


def _position(status: Any) -> dict[str, Any]:
    """x, y and z of a status that has them."""
    position = getattr(status, "Position", None)
    turn, zoom = getattr(position, "PanTilt", None), getattr(position, "Zoom", None)
    if turn is None:
        return {}
    values = {"x": turn.x, "y": turn.y, "z": zoom.x if zoom is not None else 0.0}
    return {name: float(v) for name, v in values.items() if v is not None and math.isfinite(float(v))}


def phrase_of(error: BaseException) -> tuple[str, bool]:
    """What went wrong, and whether the camera itself refused."""
    said = str(error)
    kind = type(error).__name__
    if "ONVIFAuthError" in kind or "not authorized" in said.lower() or "NotAuthorized" in said or "401" in said:
        return REFUSED_LOGIN, True
    if isinstance(error, asyncio.TimeoutError | TimeoutError) or "Timeout" in kind:
        return LATE, False
    if "onnect" in said or "onnect" in kind or isinstance(error, OSError):
        return NOBODY, False
    if "Fault" in kind:
        return f"“{said[:80]}”", True
    return f"its answer is not ONVIF ({kind})", False


class OnvifLink:
    """See `link.Link`: JSON messages instead of bytes on a line. `password` is asked for on the link's thread."""

    opening = False

    def __init__(self, host: str, port: int, user: str, password: Callable[[], str], crew: Crew | None = None) -> None:
        self._host, self._port, self._user, self._password = host, port, user, password
        self.trouble: str | None = None
        self._ours, self._theirs = socket.socketpair()
        self._ours.setblocking(False)
        self._arrived: list[bytes] = []
        self._lock = threading.Lock()
        self._loop = asyncio.new_event_loop()
        self._closed = False
        self._worker = (crew or Crew()).worker(f"onvif {host}", self._run, again=False)
        self._worker.start()

    def fileno(self) -> int:
        """See `Link`."""
        return self._ours.fileno()

    def tend(self, now_s: float) -> None:
        """It opens when the driver asks it to."""

    def next_deadline_s(self) -> float:
        """See `Link`."""
        return NEVER_S

    def send(self, data: bytes) -> None:
        """See `Link`."""
        if not self._closed:
            self._loop.call_soon_threadsafe(lambda: self._begin(json.loads(data)))

    def receive(self) -> list[bytes]:
        """See `Link`."""
        with contextlib.suppress(BlockingIOError):
            self._ours.recv(4096)
        with self._lock:
            arrived, self._arrived = self._arrived, []
        return arrived

    def close(self) -> None:
        """The thread ends when its call does, and within its time limit; nobody waits for it here."""
        self._closed = True
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._ours.close()

    def wait(self) -> None:
        """Wait for the end of its thread, a few seconds at most."""
        self._worker.join(ENDED_WITHIN_S + 1.0)

    # The link's thread

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._client: OnvifClient | None = None
        self._tasks: set[asyncio.Task[None]] = set()
        try:
            self._loop.run_forever()
            if self._tasks:  # a call that is cut off in its middle leaves things open
                self._loop.run_until_complete(asyncio.wait(self._tasks, timeout=ENDED_WITHIN_S))
            for task in list(self._tasks):
                task.cancel()
            self._loop.run_until_complete(asyncio.gather(*self._tasks, return_exceptions=True))
            if self._client is not None:
                self._loop.run_until_complete(self._client.close())
            self._loop.run_until_complete(self._loop.shutdown_asyncgens())
            self._loop.run_until_complete(self._loop.shutdown_default_executor())
        finally:
            self._loop.close()
            self._theirs.close()

    def _begin(self, asked: dict[str, Any]) -> None:
        task = self._loop.create_task(self._do(asked))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _do(self, asked: dict[str, Any]) -> None:
        try:
            if self._client is None:
                check_host(self._host)
                self._client = OnvifClient(self._host, self._port, self._user, self._password())
            answer = await self._client.do(asked)
        except RemoteFault as fault:
            answer = {"error": str(fault).rstrip(".")}
        except Exception as error:  # a library and a device: anything may come, and all of it is the device's trouble
            phrase, refused = phrase_of(error)
            answer = {"error": phrase, "refused": refused, "answered": phrase not in (LATE, NOBODY, REFUSED_LOGIN)}
        if asked.get("call") == "open" or answer.get("error") == REFUSED_LOGIN:
            self.trouble = answer.get("error")
        with self._lock:
            self._arrived.append(json.dumps({"id": asked.get("id"), **answer}).encode())
        with contextlib.suppress(OSError):
            self._theirs.send(b"!")
