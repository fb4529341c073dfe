"""The demo: its show is put where it is kept, joined to running stand-ins, and its faults are sentences."""

import asyncio
import json
import os
import socket
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit

import pytest

from ribalta.app import display, launch
from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.journal import JournalFile, journal_path
from ribalta.demo.children import StandIns
from ribalta.demo.clay_cup import clay_cup
from ribalta.demo.shipped import SHIPPED, connected
from ribalta.devices import discovery
from ribalta.devices.links.onvif import OnvifClient, greeting
from ribalta.standins.onvif.services import PASSWORD, USER


def test_the_demos_show_is_kept_between_sessions_and_begun_again_when_asked(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    path = launch.demo_show_path(None, fresh=False)
    assert path == tmp_path / "ribalta" / "clay-cup.ribalta"
    assert path.read_bytes() == SHIPPED.read_bytes()
    path.write_bytes(b"changed")
    JournalFile(journal_path(path)).close()
    assert launch.demo_show_path(None, fresh=False).read_bytes() == b"changed"
    assert launch.demo_show_path(None, fresh=True).read_bytes() == SHIPPED.read_bytes()
    assert not journal_path(path).exists()
    with pytest.raises(LocalFault, match="cannot be put at"):
        launch.demo_show_path(Path("/proc/nowhere/x.ribalta"), fresh=False)


def test_a_show_is_joined_to_the_addresses_that_stand_ins_announce():
    rows = [
        {"number": 2, "name": "Centre", "picture": "here-2", "host": "127.9.9.2", "visca-ip": 4242},
        {"number": 5, "name": "Wide", "picture": "here-5"},
    ]
    show = connected(clay_cup(), {"standins": rows})
    two, five, one = (show.camera(name) for name in ("c2", "c5", "c1"))
    assert (two.control.port, two.picture.name, five.picture.name) == (4242, "here-2", "here-5")
    assert five.control is None
    assert one == clay_cup().camera("c1")


def test_stand_ins_announce_themselves_in_their_first_line_and_end_with_a_word():
    command = [sys.executable, "-m", "ribalta", "standins", "--name", f"ribalta-announce-{os.getpid()}"]
    child = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    rows = json.loads(child.stdout.readline())["standins"]
    files = [Path("/dev/shm") / row["picture"] for row in rows]
    assert all(file.exists() for file in files)
    child.terminate()
    assert child.wait(10) == 0
    child.stdout.close()
    assert [row["number"] for row in rows] == [1, 2, 3, 4, 5, 6]
    assert [row["number"] for row in rows if "visca-ip" in row] == [1, 2, 3, 4]
    assert len({row["host"] for row in rows}) == 6
    assert not any(file.exists() for file in files)


@pytest.mark.xdist_group("diagnosis")
def test_a_second_set_of_the_same_name_is_told_why_it_cannot_start(standins):
    name = f"ribalta-test-{os.getpid()}"
    with pytest.raises(LocalFault, match=f"already running under {name}-1"):
        StandIns(name, again=False)


@pytest.mark.xdist_group("diagnosis")
def test_every_address_that_a_stand_in_announces_answers(standins):
    row = standins.announcement["standins"][1]

    async def announced() -> tuple[list[str], list[str]]:
        client = OnvifClient(row["host"], row["onvif"], USER, PASSWORD)
        try:
            await client.do({"call": "open"})
            device = await client._camera.create_devicemgmt_service()
            media = await client._camera.create_media_service()
            told = await device.GetCapabilities({"Category": "All"})
            services = [told.Device.XAddr, told.Media.XAddr, told.PTZ.XAddr]
            services += [one.XAddr for one in await device.GetServices({"IncludeCapability": False})]
            stream = {"StreamSetup": {"Stream": "RTP-Unicast", "Transport": {"Protocol": "RTSP"}}}
            tokens = [profile.token for profile in await media.GetProfiles()]
            pictures = [(await media.GetStreamUri({**stream, "ProfileToken": token})).Uri for token in tokens]
            return services, pictures
        finally:
            await client.close()

    services, pictures = asyncio.run(announced())
    heard = discovery.cameras(lambda: False, ("127.0.0.1",))
    found = next(one for one in heard if isinstance(one, discovery.Found) and one.host == row["host"])
    services.append(f"http://{found.host}:{found.port}/onvif/device")
    assert len(set(services)) >= 3
    for address in services:
        parts = urlsplit(address)
        with socket.create_connection((parts.hostname, parts.port), 5) as line:
            line.sendall(greeting(parts.hostname, parts.port).replace(b"/onvif/device_service", parts.path.encode()))
            assert b" 200 " in line.recv(200), address
    assert len(set(pictures)) == 2
    for address, answer in (*((p, b"200 OK") for p in pictures), (pictures[0].replace("main", "none"), b"404 ")):
        parts = urlsplit(address)
        with socket.create_connection((parts.hostname, parts.port), 5) as line:
            line.sendall(f"DESCRIBE {address} RTSP/1.0\r\nCSeq: 1\r\n\r\n".encode())
            assert answer in line.recv(200), address


def test_without_a_display_one_is_made_and_said(monkeypatch, capsys):
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.setenv(name, "")
    shown = display.Display()
    try:
        assert os.environ["DISPLAY"].startswith(":")
        assert "runs on a virtual one" in capsys.readouterr().out
        display.Display().stop()  # there is one now: none is made, and none is ended
        assert os.environ["DISPLAY"].startswith(":")
    finally:
        shown.stop()
    monkeypatch.setenv("DISPLAY", "")
    monkeypatch.setenv("QT_QPA_PLATFORM", "")
    monkeypatch.setattr(display.shutil, "which", lambda _: None)
    with pytest.raises(LocalFault, match="sudo apt-get install xvfb"):
        display.Display()
