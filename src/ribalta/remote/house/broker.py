"""The line to a broker: what is retained there is right again whenever it comes back, and what is asked from there
meets the same roles as a guest at the door."""

import asyncio
import contextlib
import json
import ssl
import time
from collections import deque
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import aiomqtt
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from ribalta.core.base.back_off import BackOff
from ribalta.core.base.codes import hashed
from ribalta.core.engine.state.guests import seat_of_guest
from ribalta.core.ports.as_run import AsRunLine
from ribalta.core.ports.causes import ActionRan, By, Cause
from ribalta.core.ports.guests import Guest
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.house import House
from ribalta.remote.answers import answer_to
from ribalta.remote.bucket import Bucket
from ribalta.remote.guests.entrance import guest_of, invitation_of
from ribalta.remote.house import topics
from ribalta.remote.house.status import HouseStatus, Other
from ribalta.remote.house.topics import COMMAND, EVENT, HEALTH, ON_AIR, ROOT, topic
from ribalta.remote.show_access import ShowAccess

LOOK_S, KEEPALIVE_S, WITHIN_S = 0.03, 10, 5.0
FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.5, 5.0
LARGEST, MOST_OTHERS = 8192, 50
COMMANDS_A_SECOND, AT_ONCE = 30.0, 8
BY_BROKER = Cause(By.GUEST, "the broker")


class Broker:
    """On the messages' loop. `password` is asked for as the line is opened; it may wait."""

    def __init__(
        self,
        desk: ShowAccess,
        password: Callable[[House], str],
        version: str,
        events: deque[AsRunLine],
        tell: Callable[[HouseStatus], None],
    ) -> None:
        """`events` are lines of the log that are still to be told; `tell` is told how the line stands."""
        self._desk, self._password, self._version = desk, password, version
        self._events, self._tell_status = events, tell
        self._others: dict[str, Other] = {}
        self._said_lost = False
        self._commands = Bucket(COMMANDS_A_SECOND, COMMANDS_A_SECOND)

    async def run(self, house: House) -> None:
        """Until it is cancelled: the line, opened again whenever it is lost."""
        back_off = BackOff(FIRST_PAUSE_S, LONGEST_PAUSE_S)
        self._said_lost = False
        try:
            while True:
                self._tell("opening")
                began_s = time.monotonic()
                try:
                    await self._line(house)
                except (aiomqtt.MqttError, OSError, ssl.SSLError, ValueError) as error:
                    self._lost(house, error)
                if time.monotonic() - began_s > LONGEST_PAUSE_S:
                    back_off.worked()
                await asyncio.sleep(back_off.pause_s())
        finally:
            self._tell_status(HouseStatus())

    def _tell(self, word: str, trouble: str = "") -> None:
        others = tuple(sorted(self._others.values(), key=lambda one: one.name))
        self._tell_status(HouseStatus(word, trouble, others))

    def _lost(self, house: House, error: Exception) -> None:
        said = f"The broker at {house.host}:{house.port} does not answer: {error}. It is tried again."
        self._tell("lost", said)
        if not self._said_lost:
            self._said_lost = True
            self._desk.say(Notice(said, Severity.FAULT))

    async def _line(self, house: House) -> None:
        secret = await asyncio.get_running_loop().run_in_executor(None, self._password, house)
        will = aiomqtt.Will(topic(house.name, HEALTH), _packed(topics.health(False)), qos=1, retain=True)
        async with aiomqtt.Client(
            house.host,
            house.port,
            username=house.user or None,
            password=secret or None,
            identifier=f"{ROOT}-{house.name}",
            protocol=aiomqtt.ProtocolVersion.V5,
            will=will,
            keepalive=KEEPALIVE_S,
            timeout=WITHIN_S,
            tls_context=ssl.create_default_context() if house.tls else None,
            max_queued_incoming_messages=1000,
        ) as client:
            for one in (topic(house.name, COMMAND), topic("+", HEALTH), topic("+", ON_AIR)):
                await client.subscribe(one, qos=1)
            await self._publish(client, house, HEALTH, topics.health(True, self._desk.state.show.title, self._version))
            self._tell("on")
            if self._said_lost:
                self._said_lost = False
                self._desk.say(Notice("The broker answers again: all that it keeps is right again."))
            telling = asyncio.ensure_future(self._keep_telling(client, house))
            try:
                hearing = asyncio.ensure_future(self._hear(client, house))
                done, _ = await asyncio.wait((telling, hearing), return_when=asyncio.FIRST_COMPLETED)
                for ended in done:
                    ended.result()
            finally:
                telling.cancel()
                hearing.cancel()
                await asyncio.gather(telling, hearing, return_exceptions=True)
                with contextlib.suppress(aiomqtt.MqttError):  # it ends here, and that is no accident
                    await self._publish(client, house, HEALTH, topics.health(False))

    async def _publish(self, client: aiomqtt.Client, house: House, name: str, said: topics.Payload | None) -> None:
        """None takes back what is retained."""
        payload = _packed(said) if said is not None else b""
        await client.publish(topic(house.name, *name.split("/")), payload, qos=1, retain=name != EVENT)

    # What is told

    async def _keep_telling(self, client: aiomqtt.Client, house: House) -> None:
        """What changed is said as soon as it is seen; what is gone from the show is taken back from the broker."""
        told: dict[str, topics.Payload] = {}
        before: object = None
        while True:
            state = self._desk.state
            if state is not before:
                before, now = state, topics.published(state, self._desk.clock.now_s())
                fresh: list[tuple[str, topics.Payload | None]] = [(n, s) for n, s in now.items() if told.get(n) != s]
                fresh += [(name, None) for name in told.keys() - now.keys()]
                told = now
                for first in range(0, len(fresh), AT_ONCE):
                    some = fresh[first : first + AT_ONCE]
                    await asyncio.gather(*(self._publish(client, house, name, said) for name, said in some))
            while self._events:
                await self._publish(client, house, EVENT, topics.event_of(self._events.popleft()))
            await asyncio.sleep(LOOK_S)

    # What is heard

    async def _hear(self, client: aiomqtt.Client, house: House) -> None:
        async for message in client.messages:
            parts = str(message.topic).split("/")
            if len(parts) != 3 or not isinstance(message.payload, bytes) or len(message.payload) > LARGEST:
                continue
            if parts[2] == COMMAND:
                await self._command(client, message)
            elif parts[1] != house.name:
                self._hear_other(parts[1], parts[2], message.payload)

    def _hear_other(self, name: str, what: str, payload: bytes) -> None:
        said = _unpacked(payload)
        if said is None or (name not in self._others and len(self._others) >= MOST_OTHERS):
            return
        one = self._others.get(name, Other(name[:40]))
        if what == HEALTH:
            one = replace(one, online=said.get("online") is True)
        else:
            one = replace(one, on_air=str(said.get("words", ""))[:80])
        self._others[name] = one
        self._tell("on")

    async def _command(self, client: aiomqtt.Client, message: aiomqtt.Message) -> None:
        said, refusal = _unpacked(message.payload), ""
        match said:
            case {"code": str(code), "do": str(action), "with": dict(arguments)} if self._commands.take():
                refusal = await self._run(code, action, arguments)
            case {"code": str(), "do": str(), "with": dict()}:
                refusal = "Too many commands at once: it was not done."
            case _:
                refusal = "A command is an object of “code”, “do” and “with”."
        properties = message.properties
        answer_to = getattr(properties, "ResponseTopic", "")
        if not answer_to or any(c in answer_to for c in "+#$\x00") or len(answer_to) > 200:
            return
        answer = Properties(PacketTypes.PUBLISH)  # type: ignore[no-untyped-call]
        told_by = getattr(properties, "CorrelationData", None)
        if told_by is not None:
            answer.CorrelationData = told_by
        await client.publish(answer_to, _packed({"done": not refusal, "said": refusal}), qos=1, properties=answer)

    async def _run(self, code: str, action: str, arguments: dict[str, Any]) -> str:
        """The refusal, if it was one. Whoever has the code of an invitation is its guest."""
        guest = self._guest(code)
        if guest is None:
            invitation = invitation_of(self._desk.state, code)
            if invitation is None:
                return "This code opens nothing: it was taken back, is over, or was mistyped."
            entered = {"invitation": invitation.id, "session": hashed(f"broker {code}"), "by": "broker"}
            refusal = await self._asked("guest.enter", entered, BY_BROKER)
            guest = self._guest(code)
            if refusal or guest is None:
                return refusal or "The show does not answer: try again in a moment."
            await self._asked("guest.presence", {"guest": guest.id, "there": True}, BY_BROKER)
        cause = Cause(By.GUEST, guest.name, desk=seat_of_guest(guest.id), guest=guest.id)
        return await self._asked(action, arguments, cause)

    def _guest(self, code: str) -> Guest | None:
        return guest_of(self._desk.state, f"broker {code}")

    async def _asked(self, action: str, arguments: dict[str, Any], cause: Cause) -> str:
        def ask(answer: Callable[[ActionRan], None]) -> None:
            self._desk.ask(action, arguments, cause, answer)

        try:
            return (await answer_to(ask, WITHIN_S)).refused
        except TimeoutError:
            return "It was taken in, but not done yet."


def _packed(said: topics.Payload) -> bytes:
    return json.dumps(said, ensure_ascii=False).encode()


def _unpacked(payload: object) -> dict[str, Any] | None:
    try:
        said = json.loads(payload) if isinstance(payload, bytes) else None
    except (ValueError, RecursionError):
        return None
    return said if isinstance(said, dict) else None
