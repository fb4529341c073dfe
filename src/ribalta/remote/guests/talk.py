"""One page of one guest: what it says, what it is told, and the newest pictures of what it watches.

A page that is slow gets the newest state and fewer pictures, never a queue of them; one that floods is closed.
"""

import asyncio
import contextlib
import json
import time
from collections.abc import Mapping
from typing import Any

from aiohttp import WSCloseCode, WSMsgType, web

from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.guests import OUT, Guest
from ribalta.remote.bucket import Bucket
from ribalta.remote.guests.access import GuestShow
from ribalta.remote.guests.encoding import PROGRAM, SIZES, Encodings, packed, place
from ribalta.remote.guests.streams import Peer
from ribalta.remote.guests.told import Framings, may, told

LARGEST_MESSAGE = 65536
A_SECOND, AT_ONCE = 150.0, 300.0  # messages: a page draws up to sixty times a second
ASKS_A_SECOND, ASKS_AT_ONCE = 40.0, 80.0
OFFERS_A_SECOND, OFFERS_AT_ONCE = 0.2, 10.0  # each costs a key of its own
MOST_WATCHED = 12
IN_FLIGHT = 2  # pictures of one place that a page has not said it has drawn
STATE_EVERY_S = 0.1
PUSHED_S = 1.0
LATE_PUSH_S = 0.7  # on a line that stalls they come all at once, when nobody wants them any more
HEARTBEAT_S = 5.0


class Talk:
    """All of it on the loop's thread."""

    def __init__(
        self,
        show: GuestShow,
        encodings: Encodings,
        framings: Framings,
        guest: Guest,
        socket: web.WebSocketResponse,
    ) -> None:
        self._show, self._encodings, self._framings = show, encodings, framings
        self.guest, self._socket = guest, socket
        self.peer = Peer(encodings.want_key, guest.hears, guest.talks)
        self.age_s = 0.0  # of packets as they are sent
        self._answering: asyncio.Task[None] | None = None
        self._bucket, self._asks = Bucket(A_SECOND, AT_ONCE), Bucket(ASKS_A_SECOND, ASKS_AT_ONCE)
        self._offers = Bucket(OFFERS_A_SECOND, OFFERS_AT_ONCE)
        self._news = asyncio.Event()
        self._said: list[dict[str, Any]] = []
        self._told = ""
        self._told_s = 0.0
        self._sent: dict[str, int] = {}
        self._drawn: dict[str, int] = {}
        self._pushed: dict[int, float] = {}
        self._over = ""
        self.watched: Mapping[str, str] = {}  # places with their size
        self.delay_ms: float | None = None

    @property
    def cause(self) -> Cause:
        """Who asks."""
        return Cause(By.GUEST, self.guest.name, guest=self.guest.id)

    def wake(self) -> None:
        """There may be something new."""
        self._news.set()

    def end(self, why: str) -> None:
        """It is over; the page says why."""
        self._over = self._over or why
        self._news.set()

    async def run(self) -> None:
        """Until it is over, from either side."""
        sender = asyncio.ensure_future(self._tell())
        try:
            async for message in self._socket:
                if message.type is not WSMsgType.TEXT:
                    break
                if not self._bucket.take():
                    self.end("Too much was asked at once.")
                    break
                self._hear(message.data)
        finally:
            for camera, at_s in self._pushed.items():
                if time.monotonic() - at_s < PUSHED_S:
                    self._show.act("steer.stop", {"camera": camera}, cause=self.cause)
            sender.cancel()
            if self._answering is not None:
                self._answering.cancel()
            await self.peer.close()
            with contextlib.suppress(asyncio.CancelledError, ConnectionError):
                await sender

    # What it says

    def _hear(self, text: str) -> None:
        try:
            said = json.loads(text)
        except (ValueError, RecursionError):
            said = None
        match said:
            case {"do": str(action), "with": dict(arguments)}:
                self._do(action, arguments)
            case {"push": dict(push)}:
                self._push(push)
            case {"watch": list(wanted)}:
                self._watch(wanted)
            case {"drawn": list(drawn)}:
                for one in drawn[:MOST_WATCHED]:
                    match one:
                        case [str(where), int(number)] if where in self.watched:
                            self._drawn[where] = number
                            self._news.set()
            case {"rtc": dict(offer)}:
                if (self._answering is None or self._answering.done()) and self._offers.take():
                    self._answering = asyncio.ensure_future(self._answer(offer))
            case {"delay": int(delay) | float(delay)}:
                self.delay_ms = float(min(max(delay, 0), 60_000))
            case {"ping": int(at) | float(at)}:
                self._say({"pong": [at, self._show.clock.now_s(), round(1000 * self.age_s)]})
            case _:
                self.end("The page said what cannot be understood.")

    async def _answer(self, offer: dict[str, Any]) -> None:
        try:
            self._say({"rtc": await self.peer.answer(offer)})
        except ValueError as error:
            self._say({"rtc": {"type": "none", "why": str(error)}})

    def _do(self, action: str, arguments: dict[str, Any]) -> None:
        if not self._asks.take():
            self._say({"refused": "Too much at once: it was not done.", "do": action[:60]})
            return
        if not may(self.guest, action):
            self._say({"refused": f"That is not for a {self.guest.role}.", "do": action[:60]})
            return
        loop = asyncio.get_running_loop()

        def answered(refusal: str) -> None:
            said = {"refused": refusal, "do": action} if refusal else {"done": action}
            with contextlib.suppress(RuntimeError):  # the loop is closed
                loop.call_soon_threadsafe(self._say, said)

        self._show.act(action, arguments, cause=self.cause, answer=answered)

    def _push(self, push: dict[str, Any]) -> None:
        """A stick, said again many times a second; `at` is when, by the show's clock."""
        camera, at_s = push.get("camera"), push.pop("at", None)
        if isinstance(at_s, int | float) and self._show.clock.now_s() - at_s > LATE_PUSH_S:
            return
        if isinstance(camera, int) and may(self.guest, "steer.push") and self._asks.take():
            self._pushed[camera] = time.monotonic()
            while len(self._pushed) > MOST_WATCHED:
                self._pushed.pop(next(iter(self._pushed)))
            self._show.act("steer.push", push, cause=self.cause)

    def _watch(self, wanted: list[Any]) -> None:
        """Pairs of what and size; what a guest may not see is passed over."""
        watched: dict[str, str] = {}
        show = self._show.state.show
        for pair in wanted[:MOST_WATCHED]:
            match pair:
                case [str(what), str(size)] if size in SIZES:
                    if what == PROGRAM or (show.camera(what) is not None and self.guest.may_touch(what)):
                        watched[place(what, size)] = size
        self.watched = watched
        self.peer.show(list(watched))
        self._sent = {where: n for where, n in self._sent.items() if where in watched}
        self._drawn = {where: n for where, n in self._drawn.items() if where in watched}
        self._news.set()

    # What it is told

    def _say(self, said: dict[str, Any]) -> None:
        if len(self._said) < 200:
            self._said.append(said)
        self._news.set()

    async def _tell(self) -> None:
        while not self._socket.closed:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(self._news.wait(), STATE_EVERY_S)
            self._news.clear()
            guest = self._show.state.guests.here.get(self.guest.id)
            if guest is None:
                self._over = self._over or OUT
            if self._over or guest is None:
                await self._socket.send_str(json.dumps({"out": self._over}))
                await self._socket.close(code=WSCloseCode.POLICY_VIOLATION)
                return
            self.guest = guest
            said, self._said = self._said, []
            for one in said:
                await self._socket.send_str(json.dumps(one))
            await self._tell_state()
            await self._tell_pictures()

    async def _tell_state(self) -> None:
        now_s = time.monotonic()
        if now_s - self._told_s < STATE_EVERY_S:
            return
        self._told_s = now_s
        text = json.dumps({"state": told(self._show.state, self.guest, self._show.clock.now_s(), self._framings)})
        if text != self._told:
            self._told = text
            await self._socket.send_str(text)

    async def _tell_pictures(self) -> None:
        streamed = self.peer.places
        for where, size in list(self.watched.items()):
            if where in streamed:
                continue
            one, last = self._encodings.newest(where), self._sent.get(where, 0)
            if one is None or not one.data or one.number <= last:
                continue
            if self._drawn.get(where, 0) < last and last - self._drawn.get(where, 0) >= IN_FLIGHT:
                continue
            self._sent[where] = one.number
            await self._socket.send_bytes(packed(size, one, where.partition("@")[0]))
