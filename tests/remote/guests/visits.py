"""A hall with a guests' door as the door sees it, and somebody who comes to it."""

import asyncio
import json
import time
from collections.abc import Mapping
from typing import Any

import aiohttp
import numpy as np
import pytest

from ribalta.attach.protocol import DoorSeen
from ribalta.core.base.codes import hashed, new_code
from ribalta.core.ports.causes import BY_HAND, Cause
from ribalta.core.ports.guests import Role
from tests.core.engine.test_roles import House
from tests.pictures import grey


class Pictures:
    def __init__(self) -> None:
        self.shown: dict[str, np.ndarray] = {}
        self.captured_s: dict[str, float] = {}


class Media:
    """A new picture of each place, whenever `turn` is called."""

    def __init__(self) -> None:
        self.pictures, self.sizes = Pictures(), dict[str, tuple[int, int]]()

    def show_at(self, sizes: Mapping[str, tuple[int, int]]) -> None:
        self.sizes = dict(sizes)

    def turn(self) -> None:
        for place, (w, h) in self.sizes.items():
            self.pictures.shown[place] = grey(90, w, h)
            self.pictures.captured_s[place] = time.monotonic()


class Stored:
    def picture_waited_for(self, name: str) -> bytes | None:
        return b"\xff\xd8 " + name.encode()


class Told:
    def __init__(self) -> None:
        self.door = DoorSeen()

    def tell(self, door: DoorSeen) -> None:
        self.door = door


class Outside:
    def __init__(self) -> None:
        self.guests = Told()


class Hosted(House):
    """A hall as the door sees it."""

    def __init__(self) -> None:
        super().__init__()
        self.media, self.file, self.outside = Media(), Stored(), Outside()
        self.asked: list[tuple[str, dict[str, Any], Cause]] = []
        self.act_here = super().act

    def act(self, action_id: str, arguments: Mapping[str, Any] | None = None, **more: Any) -> None:
        if arguments is None:
            self.act_here(action_id, **more)
            return
        cause, answer = more.get("cause", BY_HAND), more.get("answer")
        self.asked.append((action_id, dict(arguments), cause))
        ran = self.engine.act(action_id, arguments, self.clock.now_s(), cause=cause)
        self._serve()
        if answer is not None:
            answer(ran.refused)

    def invited(self, role: Role, *cameras: int, **more: Any) -> str:
        """The code of an invitation."""
        code = new_code()
        self.act_here("guests.open", on=True)
        self.act_here("guest.invite", name="Bram", role=role, cameras=cameras, code=hashed(code), **more)
        return code


class Visit:
    """A door that is open, and whoever comes to it."""

    def __init__(self, hall: Hosted, port: int) -> None:
        self.hall, self.url = hall, f"https://127.0.0.1:{port}"
        self.own = {"Origin": self.url}
        self.client = aiohttp.ClientSession(
            connector=aiohttp.TCPConnector(ssl=False), cookie_jar=aiohttp.CookieJar(unsafe=True)
        )

    async def enter(self, code: str, headers: Mapping[str, str] | None = None, **more: str) -> tuple[int, str]:
        given = {"code": code} | more
        async with self.client.post(
            f"{self.url}/enter", json=given, headers=self.own if headers is None else headers
        ) as answer:
            said = await answer.json()
            return answer.status, str(said.get("said", ""))

    def live(self, headers: Mapping[str, str] | None = None):
        return self.client.ws_connect(f"{self.url}/live", headers=headers or self.own)

    async def knocked(self, headers: Mapping[str, str] | None) -> int:
        """The status with which a page is turned away."""
        with pytest.raises(aiohttp.WSServerHandshakeError) as refused:
            await self.live(headers)
        return refused.value.status


async def heard(socket: aiohttp.ClientWebSocketResponse, key: str, limit_s: float = 5.0) -> Any:
    """The next thing of a kind that a page is told."""
    async with asyncio.timeout(limit_s):
        while True:
            message = await socket.receive()
            assert message.type in (aiohttp.WSMsgType.TEXT, aiohttp.WSMsgType.BINARY), f"closed before “{key}”"
            if message.type is aiohttp.WSMsgType.BINARY:
                if key == "picture":
                    return message.data
                continue
            said = json.loads(message.data)
            if key in said:
                return said[key]


async def closed(socket: aiohttp.ClientWebSocketResponse, limit_s: float = 5.0) -> str:
    """Until it is closed; why, if it was said."""
    why = ""
    async with asyncio.timeout(limit_s):
        async for message in socket:
            if message.type is aiohttp.WSMsgType.TEXT:
                why = json.loads(message.data).get("out", why)
    return why
