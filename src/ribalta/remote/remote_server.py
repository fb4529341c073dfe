"""The thread on which messages come and go. `follow`, `send` and `light` come from any other and return at once."""

import asyncio
import contextlib
import logging
import re
from collections import Counter, deque
from collections.abc import Callable, Mapping
from typing import Any

from ribalta import __version__
from ribalta.core.engine.faders.codings import encoded
from ribalta.core.engine.faders.hands import Back
from ribalta.core.ports.as_run import AsRunLine
from ribalta.core.ports.messages import Notice, Send, Severity
from ribalta.core.show.automation.house import House
from ribalta.core.show.automation.triggers_pads_shortcuts import Listening
from ribalta.remote import osc
from ribalta.remote.datagrams import Datagrams, Peer
from ribalta.remote.doors import Doors
from ribalta.remote.house.status import HouseStatus
from ribalta.remote.incoming import Incoming, without_token
from ribalta.remote.log import Log
from ribalta.remote.midi import Midi, Ports
from ribalta.remote.outgoing import Outgoing
from ribalta.remote.show_access import FaderAccess, ShowAccess, Work
from ribalta.remote.subscribers import SUBSCRIBE, UNSUBSCRIBE, Subscribers
from ribalta.workers.crew import Crew

MIDI_EVERY_S, TELL_EVERY_S, NOBODY_S = 2.0, 0.04, 0.2
LONGEST_LINE, MOST_LINES, MOST_OF_ONE = 4096, 32, 16
IDLE_S, TALK_IDLE_S = 15.0, 600.0
MOST_EVENTS = 500
IS_HTTP = re.compile(r"^[A-Z]{3,8} \S+ HTTP/\d")
_log = logging.getLogger(__name__)


class RemoteServer:
    """`work` is told of controls, `ports` are the machine's MIDI; `token` is what messages from others carry."""

    def __init__(
        self,
        desk: ShowAccess,
        work: Work,
        ports: Ports,
        token: Callable[[], str],
        crew: Crew | None = None,
        faders: FaderAccess | None = None,
        password: Callable[[House], str] = lambda _: "",
    ) -> None:
        self._desk, self._token = desk, token
        self.log = Log()
        self.incoming = Incoming(desk, work, self.log, token, faders=faders)
        self.subscribers = Subscribers(desk)
        self.midi = Midi(ports, self.incoming)
        self._outgoing = Outgoing(desk, self.log, self.midi)
        self.house = HouseStatus()
        self._password = password
        self._happened: deque[AsRunLine] = deque(maxlen=MOST_EVENTS)  # and not told to the house yet
        self._house: House | None = None
        self._line: asyncio.Task[None] | None = None
        self._loop = asyncio.new_event_loop()
        self._listening: Listening | None = None
        self._opened: dict[str, tuple[tuple[Any, ...], Callable[[], Any]]] = {}
        self._lines: Counter[str] = Counter()
        self._stopping = False
        self.troubles: dict[str, str] = {}
        self._crew = crew or Crew()
        self._worker = self._crew.worker("messages", self._run)

    # From any thread

    def start(self) -> None:
        self._worker.start()

    def stop(self) -> None:
        self._stopping = True
        self._worker.stop()
        if self._worker.is_alive():
            with contextlib.suppress(RuntimeError):  # it has just been closed
                self._loop.call_soon_threadsafe(self._loop.stop)
            self._worker.join()
        elif not self._loop.is_closed():  # it was never started
            self._loop.close()

    def follow(self, listening: Listening) -> None:
        """Listen as the show says."""
        if listening is not self._listening:
            self._listening = listening
            self._soon(lambda: self._spawn(self._listen(listening)))

    def follow_house(self, house: House | None) -> None:
        """Tell this broker, or none."""
        if house != self._house:
            self._house = house
            self._soon(lambda: self._join(house))

    def happened(self, line: AsRunLine) -> None:
        """A line of the log."""
        if self._house is not None:
            self._happened.append(line)

    def send(self, wanted: Send) -> None:
        self._soon(lambda: self._outgoing.send(wanted))

    def light(self, port: str, channel: int, values: Mapping[int, int]) -> None:
        self._soon(lambda: self.midi.light(port, channel, values))

    def show_value(self, back: Back) -> None:
        """A value for a fader or knob that moves or shows it."""
        fader = back.fader
        if fader.control.startswith("midi "):
            raw = encoded(fader.coding, back.place)
            self._soon(lambda: self.midi.show_value(fader.port, fader.control, fader.coding, raw))
        else:
            self._soon(lambda: self.subscribers.value(fader.control.removeprefix("osc "), back.place))

    def _soon(self, work: Callable[[], object]) -> None:
        if not self._stopping:
            with contextlib.suppress(RuntimeError):  # it has just been closed
                self._loop.call_soon_threadsafe(work)

    # On its own

    def _run(self) -> None:
        if self._loop.is_closed():  # it has failed once, and begins anew
            self._loop, self._listening, self._house = asyncio.new_event_loop(), None, None
        loop = self._loop
        asyncio.set_event_loop(loop)
        loop.set_exception_handler(lambda _, context: _log.error("messages: %s", context.get("message")))
        self._tasks: set[asyncio.Task[Any]] = set()
        self._turn = asyncio.Lock()
        self._spawn(self._watch_midi())
        self._spawn(self._tell_subscribers())
        try:
            loop.run_forever()
        finally:
            loop.run_until_complete(self._end())
            loop.close()

    def _spawn(self, work: Any) -> "asyncio.Task[Any]":
        task = self._loop.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        return task

    def _join(self, house: House | None) -> None:
        if self._line is not None:
            self._line.cancel()
        self._line = None
        if house is not None:
            from ribalta.remote.house.broker import Broker  # loaded when a house is told: it takes a while

            self._happened.clear()
            broker = Broker(self._desk, self._password, __version__, self._happened, self._house_stands)
            self._line = self._spawn(broker.run(house))

    def _house_stands(self, status: HouseStatus) -> None:
        self.house = status

    async def _end(self) -> None:
        await asyncio.sleep(0)  # what was asked for before the end has begun by now, and can be ended
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)
        for name in list(self._opened):
            await self._close(name)
        await self._outgoing.close()
        self.midi.close()
        await self._loop.shutdown_default_executor()

    async def _watch_midi(self) -> None:
        """Devices come and go. Looking can take a moment, so it is done aside."""
        while True:
            wanted = self._listening.midi if self._listening is not None else ()
            await self._loop.run_in_executor(None, self.midi.follow, wanted)
            await asyncio.sleep(MIDI_EVERY_S)

    async def _tell_subscribers(self) -> None:
        while True:
            await asyncio.sleep(TELL_EVERY_S if self.subscribers.there else NOBODY_S)
            with self._crew.guarded("what touch surfaces are told", "The show goes on."):
                self.subscribers.tell()

    async def _listen(self, listening: Listening) -> None:
        async with self._turn:
            host = "0.0.0.0" if listening.beyond else "127.0.0.1"
            wanted = {
                "OSC": (host, listening.osc_port) if listening.osc else None,
                "HTTP": (host, listening.http_port) if listening.http else None,
                "TCP": (host, listening.tcp_port) if listening.tcp_port else None,
                "UDP": (host, listening.udp_port) if listening.udp_port else None,
            }
            openers = {"OSC": self._open_osc, "HTTP": self._open_http, "TCP": self._open_tcp, "UDP": self._open_udp}
            fresh = {name: where for name, where in wanted.items() if self._opened.get(name, (None,))[0] != where}
            for name in fresh:  # each port is let go before it is taken anew
                await self._close(name)
                self.troubles.pop(name, None)
            for name, where in fresh.items():
                if where is None:
                    continue
                try:
                    self._opened[name] = where, await openers[name](*where)
                except OSError as error:
                    why = "the port is in use" if error.errno == 98 else error.strerror or str(error)
                    said = f"{name} cannot come in on port {where[1]}: {why}. Choose another in Rig, under Messages."
                    self.troubles[name] = said
                    self._desk.say(Notice(said, Severity.FAULT))

    async def _close(self, name: str) -> None:
        opened = self._opened.pop(name, None)
        if opened is not None:
            done = opened[1]()
            if asyncio.iscoroutine(done):
                await done

    async def _open_osc(self, host: str, port: int) -> Callable[[], Any]:
        return self._datagrams(host, port, self._osc_came, self.subscribers)

    async def _open_udp(self, host: str, port: int) -> Callable[[], Any]:
        return self._datagrams(host, port, self._text_came)

    def _datagrams(
        self, host: str, port: int, came: Callable[[bytes, Peer], None], told: Subscribers | None = None
    ) -> Callable[[], Any]:
        line = Datagrams(self._loop, host, port, came)
        if told is not None:
            told.line = line

        def close() -> None:
            if told is not None:
                told.close()
            line.close()

        return close

    def _osc_came(self, data: bytes, peer: Peer) -> None:
        host = peer[0]
        try:
            for message in osc.parse(data):
                if not self._subscribes(message, peer):
                    self.incoming.osc(message, host)
        except osc.Malformed as error:
            self.log.add(self._desk.clock.now_s(), "in", host, f"{len(data)} bytes", f"no OSC: {error}", True)

    def _subscribes(self, message: osc.Message, peer: Peer) -> bool:
        """Is it somebody who wants to be told, or no more?"""
        if message.address not in (SUBSCRIBE, UNSUBSCRIBE):
            return False
        given, token = without_token(message.arguments)
        port = next((int(a) for a in given if isinstance(a, int | float) and 0 < a < 65536), peer[1])
        now_s, host = self._desk.clock.now_s(), peer[0]
        if not self.incoming.allowed(host, token):
            self.incoming.refuse(host, message.line)
        elif message.address == UNSUBSCRIBE:
            self.subscribers.leave((host, port))
            self.log.add(now_s, "in", host, message.line)
        else:
            fresh, refused = self.subscribers.come((host, port))
            if fresh or refused:
                self.log.add(now_s, "in", host, message.line, refused, bool(refused))
        return True

    def _text_came(self, data: bytes, peer: Peer) -> None:
        text = data[:LONGEST_LINE].decode("utf-8", "replace").strip()
        if text and text.isprintable():
            self.incoming.line("udp", text, peer[0])

    async def _open_http(self, host: str, port: int) -> Callable[[], Any]:
        from aiohttp import web  # loaded when somebody listens: it takes a while

        from ribalta.remote.web import Web

        runner = web.AppRunner(
            Web(self._desk, self.incoming).app(), access_log=None, shutdown_timeout=1.0, keepalive_timeout=IDLE_S
        )
        await runner.setup()
        talk = runner.server
        assert talk is not None
        doors = Doors(talk, IDLE_S)
        try:
            server = await self._loop.create_server(doors.open, host, port, reuse_address=True)
        except OSError:
            await runner.cleanup()
            raise

        async def close() -> None:
            server.close()
            doors.close()
            await runner.cleanup()

        return close

    async def _open_tcp(self, host: str, port: int) -> Callable[[], Any]:
        talks: set[asyncio.StreamWriter] = set()

        async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            talks.add(writer)
            try:
                await self._talk(reader, writer)
            finally:
                talks.discard(writer)

        server = await asyncio.start_server(talk, host, port, limit=LONGEST_LINE, reuse_address=True)

        async def close() -> None:
            server.close()
            for writer in list(talks):
                writer.transport.abort()

        return close

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Lines of text, as many as somebody sends; a line that is too long, or a request of a browser, ends the talk,
        and so does a long silence."""
        host = writer.get_extra_info("peername")[0]
        self._lines[host] += 1
        try:
            while self._lines[host] <= MOST_OF_ONE and self._lines.total() <= MOST_LINES:
                data = await asyncio.wait_for(reader.readline(), TALK_IDLE_S)
                text = data.decode("utf-8", "replace").strip()
                if not data:
                    return
                if IS_HTTP.match(text):
                    said = "refused: this is a port for lines of text, not for web pages"
                    self.log.add(self._desk.clock.now_s(), "in", host, text[:80], said, True)
                    return
                if text and text.isprintable():
                    self.incoming.line("tcp", text, host)
        except (ValueError, ConnectionError, TimeoutError):
            return
        finally:
            self._lines[host] -= 1
            writer.close()
