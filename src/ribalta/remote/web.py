"""Actions over HTTP: POST /actions/ID with a JSON object of arguments (or a query) runs one and says what came of it.

GET /actions lists them with their schemas, GET /state says what is on air, POST /messages/WORDS is heard by triggers.
Beyond this machine, and on a machine that several people use, a request carries the token as `Authorization: Bearer …`.

Pages of a browser on the same machine are no friends: what a browser sends for a page is refused, and so is a request
for a name that is not this machine's (a page can have its own name point here).
"""

import contextlib
import ipaddress
import json
import socket
from collections.abc import Callable
from typing import Any

from aiohttp import web

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.addresses import HTTP_ROOT, arguments_of, described
from ribalta.core.ports.causes import ActionRan, By, Cause
from ribalta.remote.answers import answer_to
from ribalta.remote.incoming import Incoming
from ribalta.remote.show_access import ShowAccess

LARGEST = 65536
ANSWER_WITHIN_S = 2.0


def on_air(state: LiveState) -> dict[str, Any]:
    """What others may know of the show as it is."""
    return {
        "show": state.show.title,
        "on_air": state.shot_words(state.program.on_air) if state.program.on_air is not None else None,
        "next": state.shot_words(state.program.next) if state.program.next is not None else None,
        "held": state.program.held is not None,
        "recording": state.output("recording").on,
        "streaming": state.output("stream").on,
        "macros": [run.name for run in state.automation.runs],
    }


class Web:
    def __init__(self, desk: ShowAccess, incoming: Incoming) -> None:
        self._desk, self._incoming = desk, incoming
        self._listed = b""
        self._names = {"localhost", socket.gethostname().lower(), socket.gethostname().partition(".")[0].lower()}

    def app(self) -> web.Application:
        app = web.Application(client_max_size=LARGEST, middlewares=[self._guard])
        app.router.add_get(HTTP_ROOT, self._list)
        app.router.add_get("/state", self._state)
        app.router.add_post(f"{HTTP_ROOT}/{{action}}", self._run)
        app.router.add_post("/messages/{words:.*}", self._message)
        return app

    @web.middleware
    async def _guard(self, request: web.Request, handler: Any) -> web.StreamResponse:
        if not self._is_ours(request.headers.get("Host", "")):
            return _said(421, "This is not a name of this machine: use its address, or localhost.")
        if request.headers.get("Origin") or request.headers.get("Sec-Fetch-Site", "none") != "none":
            return _said(403, "Pages of a browser may not do this.")
        host = request.remote or ""
        token = request.headers.get("Authorization", "").removeprefix("Bearer ").strip()
        if not self._incoming.allowed(host, token):
            return _said(401, f"{self._incoming.who_needs_it(host)} needs the token as “Authorization: Bearer …”.")
        if self._incoming.full():
            return _said(503, "More is waiting than can be done: try again in a moment.")
        found: web.StreamResponse = await handler(request)
        return found

    async def _list(self, request: web.Request) -> web.Response:
        if not self._listed:
            self._listed = json.dumps([described(row) for row in CATALOGUE.rows]).encode()
        return web.Response(body=self._listed, content_type="application/json")

    def _is_ours(self, named: str) -> bool:
        """Is a request meant for this machine, by its address or a name that nobody else can give it?"""
        name = named.rpartition(":")[0] if named.rpartition(":")[2].isdigit() else named
        with contextlib.suppress(ValueError):
            ipaddress.ip_address(name.strip("[]"))
            return True
        return name.lower().rstrip(".").removesuffix(".local") in self._names

    async def _state(self, request: web.Request) -> web.Response:
        return web.json_response(on_air(self._desk.state))

    async def _run(self, request: web.Request) -> web.Response:
        action, host = request.match_info["action"], request.remote or ""
        row = CATALOGUE.by_id.get(action)
        if row is None:
            return _said(404, f"There is no action called “{action[:80]}”. GET {HTTP_ROOT} lists them.")
        try:
            given = await self._given(request)
            by_query = [f"{name}={value}" for name, value in request.query.items()]
            unknown = [n for n in (*given, *request.query) if n not in row.params.model_fields]
            if unknown:
                raise ActionRefused(f"{row.sentence}: there is no argument “{unknown[0][:60]}”.")
            arguments = arguments_of(row, by_query) | given
        except ActionRefused as refusal:
            return _said(400, str(refusal))
        cause, line = Cause(By.HTTP, f"{host} {action}"), f"http {action} {json.dumps(arguments)[:120]}"

        def ask(answer: Callable[[ActionRan], None]) -> None:
            self._incoming.run(action, arguments, cause, line, host, answer)

        try:
            ran = await answer_to(ask, ANSWER_WITHIN_S)
        except TimeoutError:
            return _said(504, "It was taken in, but not done yet.")
        if ran.refused:
            return web.json_response({"done": False, "said": ran.refused}, status=409)
        return web.json_response({"done": True, "said": ran.words, "number": ran.number})

    @staticmethod
    async def _given(request: web.Request) -> dict[str, Any]:
        if not request.can_read_body:
            return {}
        try:
            body = await request.text()
            given = json.loads(body) if body.strip() else {}
        except (ValueError, RecursionError, LookupError):
            raise ActionRefused("What was sent is no JSON.") from None
        if not isinstance(given, dict):
            raise ActionRefused("Arguments are a JSON object of names and values.")
        return given

    async def _message(self, request: web.Request) -> web.Response:
        """Anything else: triggers hear it."""
        line = f"http /{request.match_info['words']}"
        if not line.isprintable():
            return _said(400, "A message is of printable signs.")
        self._incoming.value(line, request.remote or "")
        return web.json_response({"done": True})


def _said(status: int, sentence: str) -> web.Response:
    return web.json_response({"done": False, "said": sentence}, status=status)
