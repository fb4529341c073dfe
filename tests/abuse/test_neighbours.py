"""Web pages and neighbours: what a browser sends is refused, connections are counted, ports are let go."""

import contextlib
import http.client
import json
import socket
from types import SimpleNamespace

import pytest

from ribalta.core.show.automation.triggers_pads_shortcuts import TokenHere
from ribalta.remote import doors, incoming
from ribalta.remote import remote_server as station_module
from ribalta.remote.incoming import is_shared_machine
from tests.abuse.test_threads import until
from tests.remote.test_messages import HallDesk, free_port, osc_bytes, station  # noqa: F401


def request(port: int, method: str, path: str, body: str = "", **headers: str) -> tuple[int, str]:
    line = http.client.HTTPConnection("127.0.0.1", port, timeout=5)
    try:
        line.putrequest(method, path, skip_host="Host" in headers)
        for name, value in headers.items():
            line.putheader(name.replace("_", "-"), value)
        line.putheader("Content-Length", str(len(body)))
        line.endheaders(body.encode())
        answer = line.getresponse()
        return answer.status, answer.read().decode()
    finally:
        line.close()


@pytest.fixture
def web(station):  # noqa: F811
    desk, port = HallDesk(), free_port(socket.SOCK_STREAM)
    one = station(desk, http=True, http_port=port)
    until(lambda: "HTTP" in one._opened)
    return SimpleNamespace(desk=desk, port=port, station=one)


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "http://evil.example"},
        {"Sec_Fetch_Site": "cross-site"},
        {"Sec_Fetch_Site": "same-site"},
        {"Host": "evil.example"},
        {"Host": "evil.example:9180"},
        {"Host": "localhost.evil.example"},
        {"Host": ""},
    ],
)
def test_what_a_browser_sends_from_another_site_does_nothing(web, headers):
    before = web.desk.hall.state.program.takes
    assert request(web.port, "POST", "/actions/take", "{}", **headers)[0] in (403, 421)
    assert request(web.port, "POST", "/messages/door", "", **headers)[0] in (403, 421)
    assert request(web.port, "GET", "/state", "", **headers)[0] in (403, 421)
    assert (web.desk.hall.state.program.takes, web.desk.messages) == (before, [])


def test_an_image_in_a_page_sends_no_message_and_known_names_are_answered(web):
    assert request(web.port, "GET", "/messages/door/open")[0] == 405
    assert web.desk.messages == []
    for name in ("localhost", "127.0.0.1", f"127.0.0.1:{web.port}", "[::1]:80", socket.gethostname()):
        assert request(web.port, "GET", "/state", "", Host=name)[0] == 200
    first, second = request(web.port, "GET", "/actions")[1], request(web.port, "GET", "/actions")[1]
    assert first == second
    assert len(json.loads(first)) > 100


def test_idle_connections_end_are_counted_and_go_when_listening_ends(station, monkeypatch):  # noqa: F811
    monkeypatch.setattr(station_module, "IDLE_S", 0.3)
    monkeypatch.setattr(doors, "MOST_OF_ONE", 4)
    desk, port, lines_port = HallDesk(), free_port(socket.SOCK_STREAM), free_port(socket.SOCK_STREAM)
    one = station(desk, http=True, http_port=port, tcp_port=lines_port)
    until(lambda: len(one._opened) == 2)
    lines = [socket.create_connection(("127.0.0.1", port), 5) for _ in range(6)]
    gone = 0
    for line in lines[4:]:
        line.settimeout(5)
        try:
            gone += line.recv(1) == b""
        except ConnectionError:
            gone += 1
    assert gone == 2  # more than one neighbour may have
    lines[0].settimeout(5)
    with contextlib.suppress(ConnectionError):
        assert lines[0].recv(1) == b""  # it said nothing
    talk = socket.create_connection(("127.0.0.1", lines_port), 5)
    talk.sendall(b"hello\n")
    until(lambda: desk.messages)
    one.follow(desk.hall.state.show.listening)
    talk.settimeout(5)
    with contextlib.suppress(ConnectionError):
        assert talk.recv(1) == b""
    for line in (*lines, talk):
        line.close()


def test_a_request_of_a_browser_is_no_line_of_text(station):  # noqa: F811
    desk, port = HallDesk(), free_port(socket.SOCK_STREAM)
    one = station(desk, tcp_port=port)
    until(lambda: "TCP" in one._opened)
    with socket.create_connection(("127.0.0.1", port), 5) as line:
        line.sendall(b"POST /x HTTP/1.1\r\nHost: x\r\n\r\nopen the door\r\n")
        line.settimeout(5)
        with contextlib.suppress(ConnectionError):
            assert line.recv(10) == b""
    assert desk.messages == []
    assert "not for web pages" in one.log.lines[-1].answer


def test_where_others_have_accounts_the_token_is_needed_here_too(web, monkeypatch):
    monkeypatch.setattr(web.station.incoming, "_shared", lambda: True)
    status, said = request(web.port, "GET", "/state")
    assert (status, "others use too" in said) == (401, True)
    assert request(web.port, "GET", "/state", "", Authorization="Bearer let me in")[0] == 200
    web.desk.hall.act("messages.listen", token_here=TokenHere.NEVER)
    assert request(web.port, "GET", "/state")[0] == 200
    people = [SimpleNamespace(pw_uid=uid, pw_shell=shell) for uid, shell in ((0, "/bin/sh"), (1000, "/bin/bash"))]
    monkeypatch.setattr(incoming.pwd, "getpwall", lambda: people)
    assert not is_shared_machine()
    people.append(SimpleNamespace(pw_uid=1001, pw_shell="/bin/zsh"))
    assert is_shared_machine()


def test_letting_others_in_lets_each_port_go_before_it_is_taken_anew(station):  # noqa: F811
    """“The port is in use”: OSC and UDP ended."""
    desk = HallDesk()
    ports = {"osc_port": free_port(), "udp_port": free_port()}
    one = station(desk, osc=True, **ports)
    until(lambda: len(one._opened) == 2)
    for beyond in (True, False, True):
        desk.hall.act("messages.listen", osc=True, beyond=beyond, **ports)
        one.follow(desk.hall.state.show.listening)
        host = "0.0.0.0" if beyond else "127.0.0.1"
        until(lambda host=host: {w[0][0] for w in one._opened.values()} == {host} and len(one._opened) == 2)
    assert one.troubles == {}


def test_a_button_of_a_controller_is_pressed_and_let_go_and_an_unknown_address_is_said(station):  # noqa: F811
    desk, port = HallDesk(), free_port()
    one = station(desk, osc=True, osc_port=port)
    until(lambda: "OSC" in one._opened)
    desk.hall.act("ready.camera", camera=4)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as line:
        line.connect(("127.0.0.1", port))
        line.send(osc_bytes("/ribalta/transition/normal", [1.0]))
        until(lambda: len(desk.causes) == 1)
        line.send(osc_bytes("/ribalta/transition/normal", [0.0]))
        line.send(osc_bytes("/ribalta/no/such/thing", [1.0]))
        until(lambda: one.log.lines and "no such address" in one.log.lines[-1].answer)
    assert len(desk.causes) == 1
    assert desk.messages == []
