"""Guests of a show that is measured: the door is opened, somebody is invited, and a page comes in as a browser does."""

import contextlib
from collections.abc import AsyncIterator
from typing import Any

from bench.common.hall import wait_for
from ribalta.attach.remote_show import RemoteShow
from ribalta.core.base.codes import hashed, new_code


def invited(show: RemoteShow, port: int, role: str, **more: Any) -> str:
    """The code of an invitation, at a door that is open now."""
    code = new_code()
    show.act("guests.open", {"on": True, "port": port})
    wait_for(lambda: bool(show.outside.guests.door.addresses), 20)
    show.act("guest.invite", {"name": "Ines", "role": role, "code": hashed(code)} | more)
    wait_for(lambda: bool(show.state.guests.invitations), 5)
    return code


@contextlib.asynccontextmanager
async def page_at(url: str, code: str, name: str) -> AsyncIterator[Any]:
    """The line of a page that has come in."""
    import aiohttp

    jar, origin = aiohttp.CookieJar(unsafe=True), {"Origin": url}
    async with aiohttp.ClientSession(connector=aiohttp.TCPConnector(ssl=False), cookie_jar=jar) as client:
        async with client.post(f"{url}/enter", json={"code": code, "name": name}, headers=origin) as came:
            came.raise_for_status()
        async with client.ws_connect(f"{url}/live", headers=origin) as page:
            yield page
