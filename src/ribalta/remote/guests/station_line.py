"""A station's own end of its line: a window on this machine attaches here as to a server, and never knows that the show
is on another one.

While the line is lost the window keeps what it has; when it is back the window is let go of, and attaches anew.
"""

import asyncio
import contextlib
import os
import socket
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import aiohttp
import cv2
import msgspec
import numpy as np

from ribalta.attach.line import Damaged, Line
from ribalta.attach.pictures import PicturesOut
from ribalta.attach.protocol import Said
from ribalta.core.base.back_off import BackOff
from ribalta.core.base.faults import LocalFault, RemoteFault
from ribalta.core.picture.colours import picture_of
from ribalta.core.ports.guests import OUT
from ribalta.remote.guests.station_protocol import HEARTBEAT_S, LARGEST_SAID, STATION

FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.2, 1.5
WITHIN_S, CONNECTS_S, CLOSES_S = 6.0, 1.5, 0.15


class StationLine:
    """All of it on one loop. `link` is that of an invitation, `fingerprint` the SHA-256 of the door's certificate
    (None: the certificate has to be one that this machine trusts)."""

    def __init__(self, link: str, fingerprint: bytes | None, name: str, at: Path) -> None:
        """Raises LocalFault for what is no link."""
        address, _, self._code = link.partition("#")
        self._url = address.rstrip("/")
        if not self._url.startswith("https://") or not self._code:
            raise LocalFault("That is no link of an invitation: it begins with https:// and has its code behind a #.")
        self._name, self._at = name, at
        self._tls: Any = aiohttp.Fingerprint(fingerprint) if fingerprint is not None else True
        self._window: Line | None = None
        self._pictures: PicturesOut | None = None
        self._early: list[Any] = []  # what the window says before the show is there

    async def run(self, ready: Callable[[], None]) -> None:
        """Until it is cancelled, or the invitation is over. Raises RemoteFault when the door cannot be passed."""
        jar = aiohttp.CookieJar(unsafe=True)
        connector = aiohttp.TCPConnector(ssl=self._tls)
        headers = {"User-Agent": STATION}
        try:
            async with aiohttp.ClientSession(connector=connector, cookie_jar=jar, headers=headers) as client:
                await self._with(client, ready)
        finally:
            await asyncio.sleep(CLOSES_S)  # encrypted connections take a moment to be closed

    async def _with(self, client: aiohttp.ClientSession, ready: Callable[[], None]) -> None:
        await self._enter(client)
        listening = socket.socket(socket.AF_UNIX)
        try:
            with contextlib.suppress(OSError):
                self._at.unlink()
            listening.bind(os.fspath(self._at))
            listening.listen(4)
            listening.setblocking(False)
            ready()
            loop = asyncio.get_running_loop()
            while True:
                made, _ = await loop.sock_accept(listening)
                await self._serve(client, Line(made))
        finally:
            listening.close()
            with contextlib.suppress(OSError):
                self._at.unlink()

    async def _enter(self, client: aiohttp.ClientSession) -> None:
        given = {"code": self._code, "name": self._name}
        try:
            async with asyncio.timeout(WITHIN_S), client.post(f"{self._url}/enter", json=given) as answer:
                said = await answer.json()
        except aiohttp.ServerFingerprintMismatch as error:
            got = error.got.hex().upper()
            said = f"The door has another certificate than was said: {got}. Nothing was sent to it."
            raise RemoteFault(said) from None
        except aiohttp.ClientConnectorCertificateError:
            raise RemoteFault(
                "The door's certificate is known to nobody here. Compare its fingerprint with what Rig shows under"
                " Guests, and add it: --fingerprint …"
            ) from None
        except (aiohttp.ClientError, TimeoutError, ValueError) as error:
            raise RemoteFault(f"The show at {self._url} does not answer: {error or 'it takes too long'}.") from None
        if not said.get("done"):
            raise RemoteFault(f"The show does not let this station in. {said.get('said', '')}")

    async def _serve(self, client: aiohttp.ClientSession, window: Line) -> None:
        """One window, for as long as it is there and the line to the show is."""
        hello = await self._hello(window)
        if hello is None:
            window.close()
            return
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        try:
            while True:
                try:
                    async with asyncio.timeout(CONNECTS_S):
                        line = await client.ws_connect(
                            f"{self._url}/station", heartbeat=HEARTBEAT_S, max_msg_size=8 * LARGEST_SAID
                        )
                    break
                except aiohttp.WSServerHandshakeError as error:
                    if error.status == 401:  # the invitation is over
                        window.put([Said.REFUSED, OUT])
                        window.send()
                        return
                except (aiohttp.ClientError, TimeoutError, OSError):
                    pass
                if self._is_gone(window):
                    return
                await asyncio.sleep(back_off.pause_s())
            async with line:
                await line.send_bytes(msgspec.msgpack.encode(hello))
                await self._hand_on(client, line, window)
        finally:
            if not self._is_gone(window):
                await self._wait_for_line(client)
            window.close()

    async def _wait_for_line(self, client: aiohttp.ClientSession) -> None:
        """The window keeps what it has until the show answers again: only then is it let go of."""
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        while True:
            with contextlib.suppress(aiohttp.ClientError, TimeoutError, OSError):
                async with asyncio.timeout(CONNECTS_S), client.get(f"{self._url}/mark.svg") as answer:
                    if answer.status == 200:
                        return
            await asyncio.sleep(back_off.pause_s())

    async def _hello(self, window: Line) -> list[Any] | None:
        self._early = []
        end_s = time.monotonic() + WITHIN_S
        while time.monotonic() < end_s and not self._is_gone(window):
            if self._early:
                message = self._early.pop(0)
                return message if isinstance(message, list) and message and message[0] == Said.HELLO else None
            await asyncio.sleep(0.005)
        return None

    def _is_gone(self, window: Line) -> bool:
        """What it has said meanwhile is kept."""
        try:
            self._early += window.receive()
        except (OSError, Damaged):
            return True
        return False

    async def _hand_on(
        self, client: aiohttp.ClientSession, line: aiohttp.ClientWebSocketResponse, window: Line
    ) -> None:
        loop, gone, leaving = asyncio.get_running_loop(), asyncio.Event(), asyncio.Queue[bytes]()

        def from_window() -> None:
            try:
                for message in window.receive():
                    leaving.put_nowait(msgspec.msgpack.encode(message))
            except (OSError, Damaged):
                gone.set()

        async def to_show() -> None:
            while True:
                await line.send_bytes(await leaving.get())

        for message in self._early:
            leaving.put_nowait(msgspec.msgpack.encode(message))
        loop.add_reader(window.fileno(), from_window)
        tasks = [
            asyncio.ensure_future(one)
            for one in (gone.wait(), to_show(), self._to_window(line, window), self._see(client))
        ]
        try:
            await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
        finally:
            loop.remove_reader(window.fileno())
            loop.remove_writer(window.fileno())
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    async def _to_window(self, line: aiohttp.ClientWebSocketResponse, window: Line) -> None:
        async for message in line:
            if message.type is not aiohttp.WSMsgType.BINARY:
                return
            said = msgspec.msgpack.decode(message.data)
            files: tuple[int, ...] = ()
            if said[0] == Said.WELCOME:
                said = [Said.WELCOME, said[1], float(said[2]) - time.monotonic()]
            if said[0] == Said.UPDATE and "pictures" in said[1]:
                sizes = {str(p): (int(w), int(h)) for p, (w, h) in said[1]["pictures"].items()}
                self._pictures = PicturesOut(sizes)
                files = (self._pictures.file,)
            window.put(said, files)
            while window.waits:
                window.send()
                if window.waits:
                    await asyncio.sleep(0.002)

    async def _see(self, client: aiohttp.ClientSession) -> None:
        """Pictures, on a line of their own; it is opened again when it is lost."""
        while True:
            with contextlib.suppress(aiohttp.ClientError, TimeoutError, OSError, ValueError, msgspec.DecodeError):
                async with client.ws_connect(f"{self._url}/station/pictures", heartbeat=HEARTBEAT_S) as line:
                    async for message in line:
                        if message.type is not aiohttp.WSMsgType.BINARY:
                            break
                        place, count, at_s, data = msgspec.msgpack.decode(message.data)
                        self._draw(place, at_s, data)
                        await line.send_bytes(msgspec.msgpack.encode([place, count]))
            await asyncio.sleep(FIRST_PAUSE_S)

    def _draw(self, place: str, at_s: float | None, data: bytes) -> None:
        picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
        if picture is not None and self._pictures is not None:
            self._pictures.show(place, picture_of(np.asarray(picture, np.uint8)), at_s or 0.0)
