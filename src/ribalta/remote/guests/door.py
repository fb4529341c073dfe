"""The guests' door: a web server over TLS with one page. It is closed to pages of others, to addresses from beyond this
network unless that is allowed, and to whoever knocks too often."""

import asyncio
import contextlib
import json
import logging
import ssl
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import ifaddr
from aiohttp import web

from ribalta.attach.protocol import DoorSeen
from ribalta.core.base.codes import hashed, new_code
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.guests import Guest
from ribalta.fonts import FONTS
from ribalta.remote.answers import answer_to
from ribalta.remote.doors import Doors
from ribalta.remote.guests.access import GuestShow
from ribalta.remote.guests.certificate import Certificate
from ribalta.remote.guests.encoding import PROGRAM, SIZES, Encodings
from ribalta.remote.guests.entrance import Tries, guest_of, invitation_of, is_near
from ribalta.remote.guests.sound import CrewSound, Listener
from ribalta.remote.guests.station_protocol import HEARTBEAT_S as STATION_HEARTBEAT_S
from ribalta.remote.guests.station_protocol import LARGEST_ACK, LARGEST_SAID, STATION
from ribalta.remote.guests.stations import Station
from ribalta.remote.guests.streams import Encoder
from ribalta.remote.guests.talk import HEARTBEAT_S, LARGEST_MESSAGE, Talk
from ribalta.remote.guests.told import Framings

COOKIE = "__Host-ribalta"
PAGE = Path(__file__).parent / "page"
KINDS = {
    ".html": "text/html",
    ".css": "text/css",
    ".js": "text/javascript",
    ".ttf": "font/ttf",
    ".svg": "image/svg+xml",
}
LARGEST, IDLE_S = 8192, 20.0
HANDSHAKE_S = 15.0  # what is lost on a bad line is sent again after 1, 2, 4 … seconds
TICK_S, TELL_EVERY_S, AGAIN_S, ANSWER_WITHIN_S = 0.01, 0.5, 2.0, 3.0
NOBODY_S = 0.1
MOST_PAGES_OF_ONE, MOST_PAGES = 4, 40
BY_DOOR = Cause(By.GUEST, "the guests' door")
HEADERS = {
    "Content-Security-Policy": "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self';"
    " img-src 'self' blob:; media-src 'self' blob:; connect-src 'self'; base-uri 'none'; form-action 'none';"
    " frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cache-Control": "no-store",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=(self)",
}
_log = logging.getLogger(__name__)


def addresses(port: int) -> tuple[str, ...]:
    """At which this machine can be reached by others, those of its networks first."""
    found = [
        str(ip.ip)
        for adapter in ifaddr.get_adapters()
        for ip in adapter.ips
        if ip.is_IPv4 and is_near(str(ip.ip)) and not str(ip.ip).startswith("127.")
    ]
    return tuple(f"https://{host}:{port}" for host in (*found, "localhost"))


class Door:
    """All of it on the loop's thread."""

    def __init__(
        self,
        show: GuestShow,
        certificate: Certificate,
        tls: ssl.SSLContext,
        beyond: bool = False,
        server: Path | None = None,
    ) -> None:
        """`server` is where desks attach, for stations; None: none can come."""
        self._show, self._certificate, self._tls, self._beyond, self._server = show, certificate, tls, beyond, server
        self._stations: dict[str, Station] = {}
        self._pool = ThreadPoolExecutor(1, "stations' pictures")
        self._encodings, self._framings = Encodings(Encoder), Framings()
        self._sound: CrewSound | None = None
        self._sound_asked = False
        self._tries = Tries()
        self._talks: set[Talk] = set()
        self._there: Counter[str] = Counter()
        self._trouble = ""
        self._told: DoorSeen | None = None
        self._port = 0

    async def run(self, host: str, port: int, until: asyncio.Event) -> None:
        """Until it is set. A port that is in use is tried again."""
        self._port = port
        runner = web.AppRunner(self.app(), access_log=None, shutdown_timeout=0.5, keepalive_timeout=IDLE_S)
        await runner.setup()
        talk = runner.server
        assert talk is not None
        doors = Doors(talk, IDLE_S)
        loop = asyncio.get_running_loop()
        server: asyncio.Server | None = None
        ticks = asyncio.ensure_future(self._tick())
        try:
            while not until.is_set():
                if server is None:
                    server = await self._listen(loop, doors, host, port)
                self._tell()
                with contextlib.suppress(TimeoutError):
                    await asyncio.wait_for(until.wait(), TELL_EVERY_S if server is not None else AGAIN_S)
        finally:
            ticks.cancel()
            if self._sound is not None:
                self._sound.close()
            for talk_ in list(self._talks):
                talk_.end("The show is over, or its door was closed.")
            for station in self._stations.values():
                station.end()
            await asyncio.sleep(0.1)  # so that pages hear it
            if server is not None:
                server.close()
            doors.close()
            await runner.cleanup()
            self._encodings.close()
            self._pool.shutdown(cancel_futures=True)

    async def _listen(
        self, loop: asyncio.AbstractEventLoop, doors: Doors, host: str, port: int
    ) -> asyncio.Server | None:
        try:
            server = await loop.create_server(
                doors.open, host, port, ssl=self._tls, reuse_address=True, ssl_handshake_timeout=HANDSHAKE_S
            )
        except OSError as error:
            why = "the port is in use" if error.errno == 98 else error.strerror or str(error)
            self._trouble = f"Guests cannot come in on port {port}: {why}. Choose another in Rig, under Guests."
            return None
        self._trouble = ""
        return server

    def _tell(self) -> None:
        delays = {talk.guest.id: talk.delay_ms for talk in self._talks if talk.delay_ms is not None}
        open_at = () if self._trouble else addresses(self._port)
        seen = DoorSeen(open_at, self._certificate.fingerprint, self._trouble, delays, self._tries.count)
        if seen != self._told:
            self._told = seen
            self._show.outside.guests.tell(seen)

    async def _tick(self) -> None:
        """Whatever is watched by anybody is asked for and encoded."""
        asked: dict[str, tuple[int, int]] = {}
        loop = asyncio.get_running_loop()

        def made(where: str) -> None:
            with contextlib.suppress(RuntimeError):
                loop.call_soon_threadsafe(self._wake, where)

        def sent(where: str, packets: Sequence[Any], age_s: float) -> None:
            with contextlib.suppress(RuntimeError):
                loop.call_soon_threadsafe(self._give, where, packets, age_s)

        while True:
            await asyncio.sleep(TICK_S if self._talks else NOBODY_S)
            watched, streamed = dict[str, str](), dict[str, str]()
            for talk in self._talks:
                places = talk.peer.places
                for where, size in talk.watched.items():
                    (streamed if where in places else watched)[where] = size
            sizes = {where: SIZES[size] for where, size in (watched | streamed).items()}
            if sizes != asked:
                asked = sizes
                self._show.media.show_at(sizes)
            pictures = self._show.media.pictures
            self._encodings.look(watched, pictures.shown, pictures.captured_s, made)
            self._encodings.stream(streamed, pictures.shown, pictures.captured_s, sent)
            self._open_sound()

    def _open_sound(self) -> None:
        """As soon as somebody hears it, and not before."""
        guests = self._show.outside.guests
        if self._sound is None and self._sound_asked and guests.crew is not None:
            self._sound = CrewSound(guests.crew, self._listeners, lambda: self._show.state.guests.talking)
            self._sound.begin()
        elif not self._sound_asked and self._listeners():
            self._sound_asked = True
            guests.listen()

    def _listeners(self) -> dict[str, list[Listener]]:
        """The pages with sound, by guest."""
        found: dict[str, list[Listener]] = {}
        for talk in self._talks:
            if talk.peer.is_up and talk.peer.sound is not None:
                found.setdefault(talk.guest.id, []).append(talk.peer.sound)
        return found

    def _wake(self, where: str) -> None:
        for talk in self._talks:
            if where in talk.watched:
                talk.wake()

    def _give(self, where: str, packets: Sequence[Any], age_s: float) -> None:
        for talk in self._talks:
            if where in talk.peer.places:
                if not where.startswith(PROGRAM):  # which is as it is now
                    talk.age_s = age_s
                talk.peer.give(where, packets)

    # What is asked of it

    def app(self) -> web.Application:
        """Its pages."""
        app = web.Application(client_max_size=LARGEST, middlewares=[self._guard])
        app.on_response_prepare.append(self._dress)
        app.router.add_get("/", self._page("index.html"))
        for name in ("page.css", "page.js", "picture.js", "hands.js", "mark.svg"):
            app.router.add_get(f"/{name}", self._page(name))
        for font in ("FiraSans-Regular.ttf", "FiraSans-SemiBold.ttf"):
            app.router.add_get(f"/{font}", self._file(FONTS / font))
        app.router.add_post("/enter", self._enter)
        app.router.add_post("/leave", self._leave)
        app.router.add_get("/framing/{name}", self._framing)
        app.router.add_get("/live", self._live)
        app.router.add_get("/station", self._station)
        app.router.add_get("/station/pictures", self._station_pictures)
        return app

    def _page(self, name: str) -> Callable[[web.Request], Any]:
        return self._file(PAGE / name)

    @staticmethod
    def _file(path: Path) -> Callable[[web.Request], Any]:
        body, kind = path.read_bytes(), KINDS[path.suffix]

        async def given(_: web.Request) -> web.Response:
            return web.Response(body=body, content_type=kind, charset=None if kind.startswith("font") else "utf-8")

        return given

    @web.middleware
    async def _guard(self, request: web.Request, handler: Any) -> web.StreamResponse:
        if not self._beyond and not is_near(request.remote or ""):
            return _said(403, "Guests come from this network only.")
        try:
            found: web.StreamResponse = await handler(request)
        except web.HTTPException as error:
            found = _said(error.status, error.reason)
        except (ValueError, LookupError, UnicodeError):
            found = _said(400, "That cannot be understood.")
        return found

    @staticmethod
    async def _dress(_: web.Request, response: web.StreamResponse) -> None:
        """What every answer carries, and not what it is made with."""
        response.headers.update(HEADERS)
        response.headers.pop("Server", None)

    @staticmethod
    def _is_own_page(request: web.Request) -> bool:
        """What a browser sends for another page is refused."""
        same = request.headers.get("Origin", "") == f"https://{request.headers.get('Host', '')}"
        return same and request.headers.get("Sec-Fetch-Site", "same-origin") == "same-origin"

    def _guest(self, request: web.Request) -> Guest | None:
        session = request.cookies.get(COOKIE, "")
        return guest_of(self._show.state, session) if session else None

    async def _enter(self, request: web.Request) -> web.Response:
        is_station = request.headers.get("User-Agent", "") == STATION and "Origin" not in request.headers
        if not is_station and not self._is_own_page(request):
            return _said(403, "Only the door's own page may ask that.")
        address = request.remote or ""
        if not self._tries.may(address):
            return _said(429, "Too many wrong codes: wait a minute.")
        try:
            given = json.loads(await request.text())
            code, name = str(given["code"]), str(given.get("name", ""))[:40]
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            return _said(400, "That is no code.")
        invitation = invitation_of(self._show.state, code)
        if invitation is None:
            self._tries.wrong(address)
            return _said(403, "This code opens nothing: it was taken back, is over, or was mistyped.")
        session = new_code()
        printable = "".join(c for c in name if c.isprintable()).strip()
        asked = {"invitation": invitation.id, "session": hashed(session), "name": printable}
        asked |= {"by": "station"} if is_station else {}
        refusal = await self._ask("guest.enter", asked)
        if refusal:
            return _said(409, refusal)
        answer = web.json_response({"done": True})
        answer.set_cookie(COOKIE, session, path="/", secure=True, httponly=True, samesite="Strict")
        return answer

    async def _ask(self, action: str, arguments: dict[str, Any]) -> str:
        def ask(answer: Callable[[str], None]) -> None:
            self._show.act(action, arguments, cause=BY_DOOR, answer=answer)

        try:
            return await answer_to(ask, ANSWER_WITHIN_S)
        except TimeoutError:
            return "The show does not answer: try again in a moment."

    async def _leave(self, request: web.Request) -> web.Response:
        if not self._is_own_page(request):
            return _said(403, "Only the door's own page may ask that.")
        answer = web.json_response({"done": True})
        answer.del_cookie(COOKIE, path="/", secure=True, httponly=True, samesite="Strict")
        return answer

    async def _framing(self, request: web.Request) -> web.Response:
        guest, name = self._guest(request), request.match_info["name"]
        if guest is None:
            return _said(401, "Nobody is known by that.")
        show = self._show.state.show
        if not any(f.picture == name and guest.may_touch(f.camera_id) for f in show.framings):
            return _said(404, "There is no such picture.")
        data = await asyncio.get_running_loop().run_in_executor(None, self._show.file.picture_waited_for, name)
        if data is None:
            return _said(404, "There is no such picture.")
        return web.Response(body=data, content_type="image/jpeg")

    async def _live(self, request: web.Request) -> web.StreamResponse:
        guest = self._guest(request)
        if not self._is_own_page(request):
            return _said(403, "Only the door's own page may ask that.")
        if guest is None:
            return _said(401, "Nobody is known by that.")
        if self._there[guest.id] >= MOST_PAGES_OF_ONE or len(self._talks) >= MOST_PAGES:
            return _said(503, "Too many pages are open.")
        socket = web.WebSocketResponse(heartbeat=HEARTBEAT_S, max_msg_size=LARGEST_MESSAGE, compress=False)
        await socket.prepare(request)
        talk = Talk(self._show, self._encodings, self._framings, guest, socket)
        self._talks.add(talk)
        self._presence(guest.id, 1)
        try:
            await talk.run()
        finally:
            self._talks.discard(talk)
            self._presence(guest.id, -1)
        return socket

    async def _station(self, request: web.Request) -> web.StreamResponse:
        """A full desk on another machine; a browser's page cannot be one."""
        guest = self._guest(request)
        if guest is None or guest.by != "station" or "Origin" in request.headers or self._server is None:
            return _said(401, "No station is known by that.")
        socket = web.WebSocketResponse(heartbeat=STATION_HEARTBEAT_S, max_msg_size=LARGEST_SAID, compress=False)
        await socket.prepare(request)
        before = self._stations.get(guest.id)
        if before is not None:
            before.end()
        station = self._stations[guest.id] = Station(self._show, self._server, guest, self._pool)
        try:
            await station.talk(socket)
        finally:
            station.end()
            if self._stations.get(guest.id) is station:
                del self._stations[guest.id]
        return socket

    async def _station_pictures(self, request: web.Request) -> web.StreamResponse:
        guest = self._guest(request)
        station = self._stations.get(guest.id) if guest is not None else None
        if station is None or "Origin" in request.headers:
            return _said(401, "No station is known by that.")
        socket = web.WebSocketResponse(heartbeat=STATION_HEARTBEAT_S, max_msg_size=LARGEST_ACK, compress=False)
        await socket.prepare(request)
        with contextlib.suppress(ConnectionError):  # it is opened again from over there
            await station.show_pictures(socket)
        return socket

    def _presence(self, guest_id: str, by: int) -> None:
        before = self._there[guest_id]
        self._there[guest_id] += by
        if bool(before) != bool(self._there[guest_id]):
            told = {"guest": guest_id, "there": bool(self._there[guest_id])}
            self._show.act("guest.presence", told, cause=BY_DOOR)


def _said(status: int, sentence: str) -> web.Response:
    return web.json_response({"done": False, "said": sentence}, status=status)
