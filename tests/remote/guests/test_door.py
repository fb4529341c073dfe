"""The guests' door, knocked at by all sorts: over real sockets and TLS, on a hand-wound show."""

import asyncio
import json
import stat
import time

import aiohttp
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.base.codes import new_code
from ribalta.core.base.faults import LocalFault
from ribalta.core.ports.guests import Role
from ribalta.remote.guests.certificate import OWN, OWN_KEY, certificate_in, context
from ribalta.remote.guests.door import COOKIE, Door
from ribalta.remote.guests.encoding import HEAD
from ribalta.remote.guests.entrance import TRIES_OF_ONE, is_near
from ribalta.remote.guests.talk import AT_ONCE, LARGEST_MESSAGE
from tests.remote.guests.browser import free_port
from tests.remote.guests.visits import Hosted, Visit, closed, heard

pytestmark = pytest.mark.real_time


@pytest.fixture(scope="module")
def certificate(tmp_path_factory):
    return certificate_in(tmp_path_factory.mktemp("door"))


@pytest.fixture
def at_the_door(certificate):
    """Run a visit, with the door open meanwhile."""

    def run(visit, beyond: bool = False) -> Hosted:
        async def all_of_it() -> None:
            over, port = asyncio.Event(), free_port()
            door = asyncio.ensure_future(
                Door(hall, certificate, context(certificate), beyond).run("127.0.0.1", port, over)
            )
            async with asyncio.timeout(10):
                while not hall.outside.guests.door.addresses:
                    await asyncio.sleep(0.01)
            guest = Visit(hall, port)
            try:
                async with asyncio.timeout(30):
                    await visit(hall, guest)
            finally:
                await guest.client.close()
                over.set()
                await door

        hall = Hosted()
        asyncio.run(all_of_it())
        return hall

    return run


def test_only_a_code_that_lasts_opens_and_not_for_another_page(at_the_door):
    async def visit(hall, guest):
        code = hall.invited(Role.OPERATOR, 1)
        assert (await guest.enter(new_code()))[0] == 403  # forged
        assert (await guest.enter(code, {}))[0] == 403  # of no page
        assert (await guest.enter(code, {"Origin": "https://elsewhere.example"}))[0] == 403
        assert (await guest.enter(code, {"Origin": "null"}))[0] == 403
        assert (await guest.enter(code, {**guest.own, "Sec-Fetch-Site": "cross-site"}))[0] == 403
        assert await guest.knocked(None) == 401
        assert not hall.state.guests.here
        assert (await guest.enter(code, name="Ines\x00 <b>"))[0] == 200
        assert next(iter(hall.state.guests.here.values())).name == "Ines <b>"
        status, said = await guest.enter(code)
        assert (status, "has been used" in said) == (409, True)
        assert await guest.knocked({"Origin": "https://elsewhere.example"}) == 403
        hall.act("guest.withdraw", invitation="i1")
        assert await guest.knocked(None) == 401  # old
        assert (await guest.enter(code))[0] == 403  # withdrawn

    at_the_door(visit)


def test_what_is_sent_along_keeps_session_and_page_to_themselves(at_the_door):
    async def visit(hall, guest):
        async with guest.client.get(f"{guest.url}/") as answer:
            assert "default-src 'none'" in answer.headers["Content-Security-Policy"]
            assert "frame-ancestors 'none'" in answer.headers["Content-Security-Policy"]
            page = await answer.text()
        assert "http" not in page.replace("http-equiv", "")  # nothing is fetched from elsewhere
        for path in ("page.js", "page.css", "picture.js", "hands.js", "mark.svg", "FiraSans-Regular.ttf"):
            async with guest.client.get(f"{guest.url}/{path}") as answer:
                assert answer.status == 200
                assert "Server" not in answer.headers
        for path in ("nowhere", "..%2f..%2fdoor.py", "framing/..%2fpage.js", "framing/x"):
            async with guest.client.get(f"{guest.url}/{path}") as answer:
                assert answer.status in (400, 401, 404)
        code = hall.invited(Role.WATCHER)
        async with guest.client.post(f"{guest.url}/enter", json={"code": code}, headers=guest.own) as answer:
            cookie = answer.headers["Set-Cookie"]
        assert cookie.startswith(f"{COOKIE}=")
        for part in ("HttpOnly", "Secure", "SameSite=Strict", "Path=/"):
            assert part in cookie
        assert "Domain" not in cookie
        session = cookie.split("=")[1].split(";")[0]
        assert session not in repr(hall.state)
        assert session not in repr(hall.entries)
        assert code not in repr(hall.entries)

    at_the_door(visit)


def test_whoever_guesses_is_kept_waiting_and_others_are_not_kept_out_by_nonsense(at_the_door):
    async def visit(hall, guest):
        code = hall.invited(Role.WATCHER)
        for body in (b"", b"[]", b"{", b"[" * 5000, b'{"code": []}', b'"code"', b"\xff\xfe", b"null"):
            async with guest.client.post(f"{guest.url}/enter", data=body, headers=guest.own) as answer:
                assert answer.status in (400, 403)
        async with guest.client.post(f"{guest.url}/enter", data=b"x" * 100_000, headers=guest.own) as answer:
            assert answer.status == 413
        for _ in range(TRIES_OF_ONE):
            await guest.enter(new_code())
        status, said = await guest.enter(code)
        assert (status, said) == (429, "Too many wrong codes: wait a minute.")
        hall_door = hall.outside.guests
        async with asyncio.timeout(3):
            while hall_door.door.tries < TRIES_OF_ONE - 1:
                await asyncio.sleep(0.02)

    at_the_door(visit)


def test_a_page_that_floods_shouts_or_talks_nonsense_is_closed_and_others_go_on(at_the_door):
    async def visit(hall, guest):
        code = hall.invited(Role.OPERATOR, 1, uses=0)
        assert (await guest.enter(code))[0] == 200
        async with guest.live() as calm:
            assert (await heard(calm, "state"))["me"]["name"] == "Bram"
            async with guest.live() as one:
                for _ in range(int(AT_ONCE) + 50):
                    await one.send_str('{"ping": 1}')
                assert "Too much" in await closed(one)
            async with guest.live() as one:
                await one.send_str("x" * (LARGEST_MESSAGE + 1))
                await closed(one)
            for nonsense in ("no", "[]", '{"do": 1}', '{"do": "take"}', "[" * 9000, '{"watch": 5}', '{"push": []}'):
                async with guest.live() as one:
                    await one.send_str(nonsense)
                    assert "cannot be understood" in await closed(one)
            async with guest.live() as one:
                await one.send_bytes(b"\x00" * 100)
                await closed(one)
            before = len(hall.asked)
            for _ in range(200):  # more than may be asked at once, less than a flood
                await calm.send_str(json.dumps({"do": "steer.zoom", "with": {"camera": 1, "steps": 0.1}}))
            refused = await heard(calm, "refused")
            assert "Too much at once" in refused
            assert len([a for a in hall.asked[before:] if a[0] == "steer.zoom"]) < 120
            await calm.send_str('{"ping": 7}')
            assert (await heard(calm, "pong"))[0] == 7

    at_the_door(visit)


def test_pictures_are_of_ones_own_cameras_in_sizes_that_there_are_and_encoded_once(at_the_door):
    async def visit(hall, guest):
        code = hall.invited(Role.OPERATOR, 1, uses=0)
        await guest.enter(code)
        async with guest.live() as first, guest.live() as second:
            asked = [["c1", "small"], ["c2", "small"], ["c1", "huge"], ["c1", [9999, 9999]], "c1", ["gone", "large"]]
            for one in (first, second):
                await one.send_str(json.dumps({"watch": asked}))
            async with asyncio.timeout(5):
                while not hall.media.sizes:
                    await asyncio.sleep(0.01)
            assert hall.media.sizes == {"c1@small": (320, 180)}
            hall.media.turn()
            pictures = [await heard(one, "picture") for one in (first, second)]
            assert pictures[0] == pictures[1]
            magic, size, number, captured_s = HEAD.unpack_from(pictures[0])
            assert (magic, size, number) == (b"RBLT", 0, 1)
            assert captured_s == hall.media.pictures.captured_s["c1@small"]
            assert pictures[0][HEAD.size + 1 :][:2] == b"c1"
            await first.send_str('{"watch": []}')
            await second.send_str('{"watch": []}')
            async with asyncio.timeout(5):
                while hall.media.sizes:  # what nobody sees is neither asked for nor encoded
                    await asyncio.sleep(0.01)
        framing = hall.state.show.framings[0].model_copy(update={"picture": "own.jpg"})
        other = next(f for f in hall.state.show.framings if f.camera_id == "c2")
        show = hall.state.show.with_framing(framing).with_framing(other.model_copy(update={"picture": "other.jpg"}))
        hall.engine.state = hall.state.with_(show=show)
        for name, status in (("own.jpg", 200), ("other.jpg", 404), ("..%2fshow", 404)):
            async with guest.client.get(f"{guest.url}/framing/{name}") as answer:
                assert answer.status == status

    at_the_door(visit)


def test_a_page_that_does_not_draw_gets_no_queue_of_pictures(at_the_door):
    async def visit(hall, guest):
        await guest.enter(hall.invited(Role.WATCHER))
        async with guest.live() as page:
            await page.send_str(json.dumps({"watch": [["program", "small"]]}))
            came = 0
            for _ in range(40):
                hall.media.turn()
                try:
                    message = await page.receive(timeout=0.05)
                    came += message.type is aiohttp.WSMsgType.BINARY
                except TimeoutError:
                    continue
            assert came == 2  # and none after those until it says that it has drawn them
            await page.send_str(json.dumps({"drawn": [["program@small", 2]]}))
            hall.media.turn()
            assert await heard(page, "picture")

    at_the_door(visit)


def test_an_offer_that_is_none_is_answered_with_none(at_the_door):
    async def visit(hall, guest):
        await guest.enter(hall.invited(Role.WATCHER))
        async with guest.live() as page:
            nonsense = ("", "v=0", "m=video " * 5000, "v=0\r\nm=video 9 UDP/TLS/RTP/SAVPF 96\r\n", 5, None)
            for sdp in nonsense:
                await page.send_str(json.dumps({"rtc": {"type": "offer", "sdp": sdp}}))
                assert (await heard(page, "rtc"))["type"] == "none"
            await page.send_str(json.dumps({"rtc": {"type": "answer", "sdp": "v=0"}}))
            assert (await heard(page, "rtc"))["type"] == "none"
            await page.send_str('{"ping": 3}')
            assert (await heard(page, "pong"))[0] == 3

    at_the_door(visit)


def test_a_push_ends_with_its_page_and_an_invitation_ends_its_pages(at_the_door):
    async def visit(hall, guest):
        await guest.enter(hall.invited(Role.OPERATOR, 1))
        page = await guest.live()
        late = {"camera": 1, "right": 0.3, "stroke": 3, "at": hall.clock.now_s() - 2}  # it waited on a bad line
        await page.send_str(json.dumps({"push": late}))
        await page.send_str('{"ping": 1}')
        await heard(page, "pong")
        assert [a[0] for a in hall.asked].count("steer.push") == 0
        await page.send_str(json.dumps({"push": late | {"at": hall.clock.now_s(), "stroke": 4}}))
        async with asyncio.timeout(3):
            while "c1" not in hall.state.guests.beats:
                await asyncio.sleep(0.01)
        page._response.close()  # its process is gone
        async with asyncio.timeout(3):
            while "steer.stop" not in [a[0] for a in hall.asked]:
                await asyncio.sleep(0.01)
        assert "c1" not in hall.state.guests.beats
        async with guest.live() as page:
            await heard(page, "state")
            hall.act("guest.withdraw", invitation="i1")
            began_s = time.monotonic()
            assert "taken back" in await closed(page)
            assert time.monotonic() - began_s < 1.0

    at_the_door(visit)


def test_hundreds_who_knock_and_say_nothing_keep_nobody_out(at_the_door):
    async def visit(hall, guest):
        code, port = hall.invited(Role.WATCHER), int(guest.url.rpartition(":")[2])
        silent = [await asyncio.open_connection("127.0.0.1", port) for _ in range(300)]
        assert (await guest.enter(code))[0] == 200
        async with guest.live() as page:
            await heard(page, "state")
        for _, writer in silent:
            writer.transport.abort()

    at_the_door(visit)


def test_a_port_in_use_is_said_and_tried_again(certificate):
    hall, port = Hosted(), free_port()

    async def all_of_it() -> None:
        taken = await asyncio.start_server(lambda r, w: None, "127.0.0.1", port)
        over = asyncio.Event()
        door = asyncio.ensure_future(Door(hall, certificate, context(certificate)).run("127.0.0.1", port, over))
        async with asyncio.timeout(5):
            while not hall.outside.guests.door.trouble:
                await asyncio.sleep(0.01)
        assert f"on port {port}: the port is in use" in hall.outside.guests.door.trouble
        taken.close()
        await taken.wait_closed()
        async with asyncio.timeout(5):
            while not hall.outside.guests.door.addresses:
                await asyncio.sleep(0.01)
        assert not hall.outside.guests.door.trouble
        over.set()
        await door

    asyncio.run(all_of_it())


@given(st.ip_addresses())
def test_near_is_what_no_router_hands_on(address):
    expected = address.is_private or address.is_loopback or address.is_link_local
    mapped = getattr(address, "ipv4_mapped", None)
    if mapped is not None:
        expected = mapped.is_private or mapped.is_loopback or mapped.is_link_local
    assert is_near(str(address)) == expected


@pytest.mark.parametrize("words", ["", "localhost", "10.0.0", "300.1.1.1", "::zz", "10.0.0.1; x"])
def test_what_is_no_address_is_not_near(words):
    assert not is_near(words)


def test_the_certificate_is_made_once_kept_from_others_and_the_owners_own_comes_first(tmp_path, certificate):
    made = certificate_in(tmp_path)
    assert certificate_in(tmp_path) == made
    assert stat.S_IMODE(made.key.stat().st_mode) == 0o600
    assert len(made.fingerprint.replace(" ", "")) == 64
    (tmp_path / OWN).write_bytes(certificate.certificate.read_bytes())
    (tmp_path / OWN_KEY).write_bytes(made.key.read_bytes())
    own = certificate_in(tmp_path)
    assert own.fingerprint == certificate.fingerprint
    with pytest.raises(LocalFault, match="cannot be used"):
        context(own)  # the key of another
    (tmp_path / OWN).write_bytes(b"nonsense")
    with pytest.raises(LocalFault, match="cannot be used"):
        certificate_in(tmp_path)
