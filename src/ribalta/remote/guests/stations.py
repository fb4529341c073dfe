"""The door's end of a station: a full desk on another machine. What it and the server say to each other is handed on as
it is; pictures go on a line of their own, so that they never hold up what is said."""

import asyncio
import contextlib
import os
import socket
from collections.abc import Mapping
from concurrent.futures import Executor
from pathlib import Path
from typing import Any

import cv2
import msgspec
from aiohttp import WSMsgType, web

from ribalta.attach.line import Damaged, Line
from ribalta.attach.pictures import PicturesIn
from ribalta.attach.protocol import Said, Who
from ribalta.core.picture.colours import image_of
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.guests import Guest
from ribalta.remote.guests.access import GuestShow
from ribalta.remote.guests.station_protocol import LARGEST_SAID

PICTURE_EVERY_S, QUALITY, IN_FLIGHT = 0.08, 68, 2
CONNECTS_WITHIN_S = 3.0


class Station:
    """One that has attached. On the loop's thread."""

    def __init__(self, show: GuestShow, server: Path, guest: Guest, pool: Executor) -> None:
        self._show, self._server, self.guest, self._pool = show, server, guest, pool
        self._line: Line | None = None
        self._pictures = PicturesIn()
        self._places: Mapping[str, tuple[int, int]] = {}
        self._sent: dict[str, float] = {}
        self._drawn: dict[str, int] = {}
        self._counts: dict[str, int] = {}
        self._leaving: asyncio.Queue[bytes] = asyncio.Queue()
        self._over = asyncio.Event()

    def end(self) -> None:
        """It is over."""
        self._over.set()

    async def talk(self, station: web.WebSocketResponse) -> None:
        """Hand on what both say, until one of them is gone."""
        hello = await asyncio.wait_for(station.receive(), CONNECTS_WITHIN_S)
        said = _said(hello.data) if hello.type is WSMsgType.BINARY else None
        if not isinstance(said, list) or len(said) != 6 or said[0] != Said.HELLO:
            await station.send_bytes(_packed([Said.REFUSED, "What attached is no desk of Ribalta."]))
            return
        made = socket.socket(socket.AF_UNIX)
        made.connect(os.fspath(self._server))
        line = self._line = Line(made)
        version = said[1] if isinstance(said[1], int) else 0
        line.put([Said.HELLO, version, os.getpid(), str(said[3])[:20], Who.STATION, self.guest.id])
        loop = asyncio.get_running_loop()
        loop.add_reader(line.fileno(), self._from_server)
        sender = asyncio.ensure_future(self._to_station(station))
        ended = asyncio.ensure_future(self._over.wait())
        hearing = asyncio.ensure_future(self._from_station(station))
        try:
            self._send()
            await asyncio.wait((sender, ended, hearing), return_when=asyncio.FIRST_COMPLETED)
        finally:
            loop.remove_reader(line.fileno())
            for task in (ended, hearing):
                task.cancel()
            with contextlib.suppress(TimeoutError, ConnectionError):  # its last words
                await asyncio.wait_for(self._flushed(station), 1.0)
            sender.cancel()
            await asyncio.gather(sender, ended, hearing, return_exceptions=True)
            loop.remove_writer(line.fileno())
            line.close()
            self._line = None

    async def _flushed(self, station: web.WebSocketResponse) -> None:
        while not self._leaving.empty():
            await station.send_bytes(self._leaving.get_nowait())

    def _from_server(self) -> None:
        line = self._line
        if line is None:
            return
        try:
            for message in line.receive():
                if isinstance(message, list) and message and message[0] == Said.UPDATE and "pictures" in message[1]:
                    self._places = {str(p): (int(w), int(h)) for p, (w, h) in message[1]["pictures"].items()}
                    self._pictures = PicturesIn(line.file(), self._places)
                    self._drawn, self._counts, self._sent = {}, {}, {}
                welcome = isinstance(message, list) and message and message[0] == Said.WELCOME
                told = [*message, self._show.clock.now_s()] if welcome else message
                self._leaving.put_nowait(_packed(told))
        except (OSError, ValueError, TypeError, KeyError, Damaged):
            self.end()

    async def _to_station(self, station: web.WebSocketResponse) -> None:
        while True:
            await station.send_bytes(await self._leaving.get())

    async def _from_station(self, station: web.WebSocketResponse) -> None:
        async for message in station:
            said = _said(message.data) if message.type is WSMsgType.BINARY else None
            if not isinstance(said, list) or not said or said[0] != Said.CALL:
                return
            if self._line is not None:
                self._line.put(said)
                self._send()

    def _send(self) -> None:
        line, loop = self._line, asyncio.get_running_loop()
        if line is None:
            return
        try:
            line.send()
        except OSError:
            self.end()
            return
        if line.waits:
            loop.add_writer(line.fileno(), self._send)
        else:
            loop.remove_writer(line.fileno())

    async def show_pictures(self, viewer: web.WebSocketResponse) -> None:
        """The newest picture of each place, as small encodings; as many as the station says that it has drawn."""
        acks = asyncio.ensure_future(self._hear_drawn(viewer))
        loop = asyncio.get_running_loop()
        try:
            while not self._over.is_set() and not acks.done():
                await asyncio.sleep(PICTURE_EVERY_S)
                for place in list(self._places):
                    count, at_s = self._counts.get(place, 0), self._pictures.captured_s(place)
                    picture = self._pictures.get(place)
                    if picture is None or count - self._drawn.get(place, 0) >= IN_FLIGHT:
                        continue
                    if at_s is not None and at_s == self._sent.get(place):
                        continue
                    self._sent[place], self._counts[place] = at_s or 0.0, count + 1
                    data = await loop.run_in_executor(self._pool, _encoded, picture)
                    await viewer.send_bytes(_packed([place, count + 1, at_s, data]))
        finally:
            acks.cancel()
            await asyncio.gather(acks, return_exceptions=True)

    async def _hear_drawn(self, viewer: web.WebSocketResponse) -> None:
        async for message in viewer:
            match _said(message.data) if message.type is WSMsgType.BINARY else None:
                case [str(place), int(count)] if place in self._places:
                    self._drawn[place] = count
                case _:
                    return


def _encoded(picture: Picture) -> bytes:
    _, data = cv2.imencode(".jpg", image_of(picture), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    return bytes(data)


def _packed(said: object) -> bytes:
    return msgspec.msgpack.encode(said)


def _said(data: object) -> Any:
    try:
        return msgspec.msgpack.decode(data) if isinstance(data, bytes) and len(data) <= LARGEST_SAID else None
    except (msgspec.DecodeError, ValueError, RecursionError):
        return None
