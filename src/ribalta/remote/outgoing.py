"""Messages to other machines. Nothing here delays a cut: each is sent by itself, with a limit of time."""

import asyncio
import contextlib
import socket
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from ribalta.core.ports.messages import Notice, Send, Severity
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Wire
from ribalta.remote import osc
from ribalta.remote.log import Log
from ribalta.remote.midi import Midi
from ribalta.remote.show_access import ShowAccess

if TYPE_CHECKING:
    import aiohttp

MOST_AT_ONCE = 200
ANSWER = 300


class Outgoing:
    """All on the remote thread's loop."""

    def __init__(self, desk: ShowAccess, log: Log, midi: Midi) -> None:
        self._desk, self._log, self._midi = desk, log, midi
        self._session: aiohttp.ClientSession | None = None
        self._datagrams: dict[int, socket.socket] = {}
        self._failing: set[str] = set()
        self._tasks: set[asyncio.Task[None]] = set()

    def send(self, wanted: Send) -> None:
        number = self._log.add(self._desk.clock.now_s(), "out", wanted.destination.name, words_of(wanted))
        if len(self._tasks) >= MOST_AT_ONCE:
            self._failed(wanted.destination, number, f"{MOST_AT_ONCE} messages are under way already")
            return
        task = asyncio.get_running_loop().create_task(self._sending(wanted, number))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def close(self) -> None:
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)
        if self._session is not None:
            await self._session.close()
        for one in self._datagrams.values():
            one.close()

    async def _sending(self, wanted: Send, number: int) -> None:
        to = wanted.destination
        try:
            async with asyncio.timeout(to.timeout_s):
                answer = await self._over(to, dict(wanted.fields))
        except TimeoutError:
            self._failed(to, number, f"no answer within {to.timeout_s:g} s")
        except (OSError, ValueError) as error:
            self._failed(to, number, _phrase(error))
        else:
            self._failing.discard(to.id)
            self._log.answer(number, answer)

    def _failed(self, to: Destination, number: int, phrase: str) -> None:
        self._log.answer(number, phrase, True)
        if to.id not in self._failing:
            self._failing.add(to.id)
            self._desk.say(Notice(f"“{to.name}” did not take a message: {phrase}.", Severity.FAULT))

    async def _over(self, to: Destination, fields: Mapping[str, Any]) -> str:
        match to.wire:
            case Wire.OSC:
                await self._datagram(to, osc.build(fields["address"], fields["arguments"]))
                return "sent; UDP has no answer"
            case Wire.UDP:
                await self._datagram(to, _bytes(fields))
                return "sent; UDP has no answer"
            case Wire.TCP:
                return await self._stream(to, _bytes(fields))
            case Wire.HTTP:
                return await self._http(to, fields)
            case Wire.MIDI:
                self._midi.send(to.host, fields["midi"], fields["channel"], fields["number"], fields["value"])
                return "sent"

    async def _datagram(self, to: Destination, data: bytes) -> None:
        loop = asyncio.get_running_loop()
        family, address = socket.AF_INET, (to.host, to.port)
        try:
            socket.inet_aton(to.host)
        except OSError:
            found = await loop.getaddrinfo(to.host, to.port, type=socket.SOCK_DGRAM)
            family, address = found[0][0], found[0][4][:2]  # type: ignore[assignment]
        if family not in self._datagrams:
            one = self._datagrams[family] = socket.socket(family, socket.SOCK_DGRAM)
            one.setblocking(False)
        self._datagrams[family].sendto(data, address)

    async def _stream(self, to: Destination, data: bytes) -> str:
        reader, writer = await asyncio.open_connection(to.host, to.port)
        try:
            writer.write(data)
            await writer.drain()
            answer = b""
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(min(0.5, to.timeout_s / 2)):
                    answer = await reader.read(ANSWER)
            return answer.decode("utf-8", "replace").strip() or "sent"
        finally:
            writer.close()

    async def _http(self, to: Destination, fields: Mapping[str, Any]) -> str:
        import aiohttp  # loaded with the first message: it takes a while

        if self._session is None:
            self._session = aiohttp.ClientSession()
        path = fields["address"] or "/"
        url = f"http://{to.host}:{to.port}{path if path.startswith('/') else '/' + path}"
        body = fields["text"].encode() if fields["text"] else None
        try:
            async with self._session.request(fields["method"], url, data=body, allow_redirects=False) as answer:
                text = (await answer.content.read(ANSWER)).decode("utf-8", "replace").strip()
                if answer.status >= 400:
                    raise ValueError(f"it answered {answer.status} {text}".strip())
                return f"{answer.status} {text}".strip()
        except aiohttp.ClientError as error:
            raise error if isinstance(error, OSError) else ConnectionError(_phrase(error)) from error


def _bytes(fields: Mapping[str, Any]) -> bytes:
    if "bytes" in fields:
        return bytes.fromhex(fields["bytes"])
    return str(fields["text"]).encode() + b"\n"


def words_of(wanted: Send) -> str:
    """What goes out, as one line."""
    parts = []
    for name, value in wanted.fields:
        if isinstance(value, tuple):
            parts += [str(v) for v in value]
        elif value not in ("", None) and not (name == "method" and value == "GET"):
            parts.append(str(value))
    return f"{wanted.destination.wire} {' '.join(parts)}"


def _phrase(error: Exception) -> str:
    if isinstance(error, ConnectionRefusedError) or isinstance(
        getattr(error, "os_error", None), ConnectionRefusedError
    ):
        return "nothing listens there"
    if isinstance(error, socket.gaierror) or isinstance(getattr(error, "os_error", None), socket.gaierror):
        return "no machine has that name"
    said = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return str(said).rstrip(".")
