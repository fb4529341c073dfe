"""A real broker (Debian's mosquitto): what is retained there, who may ask for what, and what comes of its death."""

import asyncio
import json
import shutil
import subprocess
import time
from collections import deque
from pathlib import Path

import aiomqtt
import pytest
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from ribalta.core.base.codes import hashed
from ribalta.core.ports.causes import BY_HAND
from ribalta.core.show.automation.house import House
from ribalta.remote.house.broker import Broker
from ribalta.remote.house.status import HouseStatus
from ribalta.remote.house.topics import COMMAND, SCHEMAS, published, topic
from tests.core.engine.test_roles import CODE
from tests.core.engine.test_roles import House as Guests
from tests.remote.guests.browser import free_port

pytestmark = pytest.mark.real_time
MOSQUITTO = shutil.which("mosquitto") or "/usr/sbin/mosquitto"
V5 = aiomqtt.ProtocolVersion.V5


class Mosquitto:
    """It forgets everything when it is killed."""

    def __init__(self, folder: Path, more: str = "allow_anonymous true") -> None:
        self.port = free_port()
        self._config = folder / "mosquitto.conf"
        self._config.write_text(f"listener {self.port} 127.0.0.1\npersistence false\n{more}\n")
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self._process = subprocess.Popen([MOSQUITTO, "-c", str(self._config)], stderr=subprocess.DEVNULL)

    def kill(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()


class Hall(Guests):
    """As the messages' room sees a show."""

    def __init__(self) -> None:
        super().__init__()
        self.said: list[str] = []

    @property
    def backlog(self) -> int:
        return 0

    def ask(self, action_id, arguments, cause=BY_HAND, answer=None) -> None:
        ran = self.engine.act(action_id, arguments, self.clock.now_s(), cause=cause)
        self._serve()
        if answer is not None:
            answer(ran)

    def report(self, report) -> None:
        self.engine.report(report, self.clock.now_s())

    def say(self, notice) -> None:
        self.said.append(notice.sentence)


class Told(Broker):
    """It keeps how its line stands."""

    def __init__(self, hall: Hall, password) -> None:
        self.status = HouseStatus()
        super().__init__(hall, password, "0.1.0", deque(), self.stands)

    def stands(self, status: HouseStatus) -> None:
        self.status = status


class Reader:
    """A second client: what it was told last, by topic, and when."""

    def __init__(self) -> None:
        self.told: dict[str, dict] = {}
        self.at_s: dict[str, float] = {}

    async def read(self, client: aiomqtt.Client) -> None:
        async for message in client.messages:
            name = str(message.topic)
            if name.endswith(COMMAND):
                continue
            self.told[name] = json.loads(message.payload) if message.payload else None
            self.at_s[name] = time.monotonic()

    async def until(self, true, limit_s: float = 8.0) -> None:
        async with asyncio.timeout(limit_s):
            while not true():
                await asyncio.sleep(0.005)


@pytest.fixture
def mosquitto(tmp_path):
    made = Mosquitto(tmp_path)
    made.start()
    yield made
    made.kill()


def in_the_house(mosquitto: Mosquitto, visit, password=lambda _: "") -> Hall:
    hall = Hall()
    broker = Told(hall, password)

    async def all_of_it() -> None:
        house = House(on=True, name="stage", host="127.0.0.1", port=mosquitto.port, user="ribalta")
        line = asyncio.ensure_future(broker.run(house))
        try:
            async with asyncio.timeout(40):
                await visit(hall, broker)
        finally:
            line.cancel()
            await asyncio.gather(line, return_exceptions=True)

    asyncio.run(all_of_it())
    return hall


async def reading(mosquitto: Mosquitto, reader: Reader, visit) -> None:
    async with aiomqtt.Client("127.0.0.1", mosquitto.port, protocol=V5) as client:
        await client.subscribe("ribalta/#", qos=1)
        task = asyncio.ensure_future(reader.read(client))
        try:
            await visit(client)
        finally:
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)


async def connected(broker: Told) -> None:
    async with asyncio.timeout(10):
        while broker.status.word != "on":
            await asyncio.sleep(0.01)


async def direct(hall: Hall, broker: Told, mosquitto: Mosquitto, takes: int) -> list[float]:
    """So many takes, each read by a second client before the next; how long each was on its way (s)."""
    late_s: list[float] = []
    await connected(broker)
    reader = Reader()

    async def visit(_):
        await reader.until(lambda: len(reader.told) >= 3 + 2 * len(hall.state.show.cameras))
        assert reader.told["ribalta/stage/health"]["online"] is True
        for k in range(takes):
            hall.act("ready.framing", camera=1 + k % 3, letter="QWE"[k % 3])
            hall.turn(3.0)
            hall.act("take")
            name, began_s = f"ribalta/stage/tally/{1 + k % 3}", time.monotonic()
            await reader.until(lambda name=name: reader.told[name]["onAir"])
            late_s.append(reader.at_s[name] - began_s)
        tallies = [name for name in reader.told if "/tally/" in name]
        await reader.until(lambda: sum(reader.told[name]["onAir"] for name in tallies) == 1)
        await reader.until(lambda: reader.told["ribalta/stage/on-air"]["take"] == hall.state.program.takes)

    await reading(mosquitto, reader, visit)
    return late_s


def test_tally_of_every_take_is_read_by_others(mosquitto):
    late_s: list[float] = []

    async def visit(hall, broker):
        late_s.extend(await direct(hall, broker, mosquitto, 30))

    in_the_house(mosquitto, visit)
    assert len(late_s) == 30  # how soon is measured by `bench house`


def test_a_broker_that_is_killed_and_comes_back_knows_everything_again(mosquitto):
    async def visit(hall, broker):
        await connected(broker)
        mosquitto.kill()
        async with asyncio.timeout(10):
            while broker.status.word != "lost":
                await asyncio.sleep(0.01)
        hall.act("ready.framing", camera=2, letter="W")
        hall.turn(3.0)
        hall.act("take")
        mosquitto.start()
        await connected(broker)
        reader = Reader()

        async def looks(_):
            wanted = published(hall.state, hall.clock.now_s())
            await reader.until(lambda: {f"ribalta/stage/{n}" for n in wanted} <= set(reader.told))
            for name, said in wanted.items():
                assert reader.told[f"ribalta/stage/{name}"] == said
            assert reader.told["ribalta/stage/tally/2"]["onAir"]

        await reading(mosquitto, reader, looks)
        assert any("does not answer" in said for said in hall.said)
        assert any("answers again" in said for said in hall.said)

    in_the_house(mosquitto, visit)


def test_commands_meet_the_roles_of_their_invitation(mosquitto):
    async def visit(hall, broker):
        await connected(broker)
        reader = Reader()
        hall.act("guests.open", on=True)
        hall.act("guest.invite", name="Signs", role="watcher", code=hashed("watches"))
        hall.act("guest.invite", name="The other hall", role="deputy", code=hashed("directs"))

        async def asks(client):
            number = 0

            async def asked(said: object) -> str:
                nonlocal number
                number += 1
                properties = Properties(PacketTypes.PUBLISH)
                properties.ResponseTopic = f"ribalta/answers/{number}"
                payload = said if isinstance(said, bytes) else json.dumps(said).encode()
                await client.publish(topic("stage", COMMAND), payload, qos=1, properties=properties)
                await reader.until(lambda: f"ribalta/answers/{number}" in reader.told)
                return reader.told[f"ribalta/answers/{number}"]["said"]

            assert "opens nothing" in await asked({"code": "guessed", "do": "take", "with": {}})
            assert "is not for Signs" in await asked({"code": "watches", "do": "take", "with": {}})
            assert await asked({"code": "directs", "do": "ready.framing", "with": {"camera": 2, "letter": "W"}}) == ""
            assert hall.state.program.next.camera_id == "c2"
            assert "only the director" in await asked({"code": "directs", "do": "evening.end", "with": {}})
            for nonsense in (b"", b"[]", b"{", b"\xff", b'{"code": 1}', b"[" * 6000):
                assert "A command is" in await asked(nonsense)
            assert len(hall.state.guests.here) == 2
            hall.act("guest.withdraw", invitation="i2")
            assert "opens nothing" in await asked({"code": "directs", "do": "take", "with": {}})
            await client.publish(topic("stage", COMMAND), b"x" * 20_000, qos=1)  # passed over
            for _ in range(60):
                await client.publish(topic("stage", COMMAND), b'{"code": "x", "do": "take", "with": {}}', qos=0)
            assert "Too many commands" in await asked({"code": "watches", "do": "take", "with": {}})

        await reading(mosquitto, reader, asks)
        assert hall.state.program.takes == 0

    in_the_house(mosquitto, visit)


def test_others_of_the_house_are_seen_and_one_that_dies_leaves_its_last_will(mosquitto):
    async def visit(hall, broker):
        await connected(broker)
        will = aiomqtt.Will("ribalta/church/health", b'{"online": false}', qos=1, retain=True)
        other = aiomqtt.Client("127.0.0.1", mosquitto.port, protocol=V5, will=will, keepalive=5)
        await other.__aenter__()
        await other.publish("ribalta/church/health", b'{"online": true}', qos=1, retain=True)
        await other.publish("ribalta/church/on-air", b'{"words": "3 Choir"}', qos=1, retain=True)
        await other.publish("ribalta/church/on-air", b"\xff nonsense", qos=1)
        async with asyncio.timeout(5):
            while not any(one.on_air == "3 Choir" and one.online for one in broker.status.others):
                await asyncio.sleep(0.01)
        other._client.socket().close()  # its process is gone, without a word
        async with asyncio.timeout(12):
            while any(one.online for one in broker.status.others):
                await asyncio.sleep(0.02)

    in_the_house(mosquitto, visit)


def test_a_wrong_password_is_said_and_the_right_one_opens(tmp_path):
    keep = tmp_path / "passwords"
    subprocess.run(
        ["mosquitto_passwd", "-b", "-c", str(keep), "ribalta", "right"], check=True, stderr=subprocess.DEVNULL
    )
    mosquitto = Mosquitto(tmp_path, f"allow_anonymous false\npassword_file {keep}\nuser root")
    mosquitto.start()
    word = ["wrong"]

    async def visit(hall, broker):
        async with asyncio.timeout(10):
            while broker.status.word != "lost":
                await asyncio.sleep(0.01)
        assert "does not answer" in broker.status.trouble
        word[0] = "right"
        await connected(broker)

    try:
        in_the_house(mosquitto, visit, lambda _: word[0])
    finally:
        mosquitto.kill()


def test_every_topic_is_as_its_schema_says():
    hall = Hall()
    hall.act("ready.framing", camera=2, letter="W")
    said = published(hall.state, hall.clock.now_s())
    for name, payload in said.items():
        schema = SCHEMAS[f"{name.split('/')[0]}/NUMBER" if "/" in name else name]
        assert set(payload) == set(schema["required"])
        for field, value in payload.items():
            kinds = schema["properties"][field]["type"]
            kinds = kinds if isinstance(kinds, list) else [kinds]
            types = {"string": str, "boolean": bool, "integer": int, "number": float, "array": list, "null": type(None)}
            assert isinstance(value, tuple(types[kind] for kind in kinds))
    assert CODE not in json.dumps(said)
