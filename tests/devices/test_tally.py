"""Tally: packets as published, what reaches a display, and the lamps of the cameras."""

import threading
import time
from pathlib import Path

import pytest

from ribalta.core.engine.program.tally import rows
from ribalta.core.ports.messages import Adjust, SettingReported
from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.devices.drivers.tsl.wire import LARGEST, Display, v31, v50
from ribalta.devices.tally import TallySender
from ribalta.standins.tally_display import Shown, TallyDisplay, understood
from tests.core.hand_wound import Hall, small_show

pytestmark = pytest.mark.real_time

GOLDEN = Path(__file__).parents[1] / "golden" / "tsl.txt"
NO_TALLY = (b"", b"\x00" * 18, b"\xff" * 18, b"\x05\x00\x00", b"\x06\x00\x00\x00\x00\x00\x01\x00")
LINES = [line for line in GOLDEN.read_text().splitlines() if line and not line.startswith("#")]


@pytest.mark.parametrize("line", LINES)
def test_packets_are_as_published_and_a_display_understands_them(line):
    version, said, packet = (part.strip() for part in line.split("|"))
    index, text, on_air, following, *screen = said.split()
    display = Display(int(index), text, on_air == "1", following == "1")
    made = v31(display) if version == "3.1" else v50([display], int(screen[0]))[0]
    assert made == bytes.fromhex(packet)
    shown = understood(made)[display.index]
    assert shown == Shown(text[:16], "red" if display.on_air else "", "green" if display.next else "")


def test_many_displays_are_cut_into_packets_that_a_receiver_takes():
    displays = [Display(k, f"Camera number {k}", k % 3 == 0) for k in range(300)]
    packets = v50(displays, 1)
    assert len(packets) > 1
    assert max(map(len, packets)) <= LARGEST
    found = {k: s for packet in packets for k, s in understood(packet).items()}
    assert len(found) == 300
    assert found[3].left == "red"
    assert v50([], 0) == []
    for bad in (lambda: v31(Display(127, "x")), lambda: v50([Display(1, "x")], 65535)):
        with pytest.raises(ValueError, match="outside"):
            bad()


@pytest.mark.parametrize("packet", NO_TALLY)
def test_a_display_ignores_what_is_no_tally(packet):
    assert understood(packet) == {}


def test_every_receiver_is_told_in_its_version_and_again_when_it_comes_late():
    displays = [TallyDisplay("127.0.0.1", 0) for _ in range(2)]
    sender = TallySender()
    sender.start()
    try:
        versions = zip(displays, ("3.1", "5.0"), strict=True)
        receivers = tuple(TallyReceiver(host="127.0.0.1", port=d.port, version=v) for d, v in versions)
        sender.follow((*receivers, TallyReceiver(host="no.such.host.invalid")), (Display(2, "Kiln", True),))
        pause, end_s = threading.Event(), time.monotonic() + 10
        while not all(d.shown.get(2) == Shown("Kiln", "red", "") for d in displays):
            assert time.monotonic() < end_s
            pause.wait(0.01)
    finally:
        sender.stop()
        for display in displays:
            display.close()


def test_both_cameras_of_a_transition_are_on_air_and_their_lamps_are_lit():
    show = small_show()
    cameras = tuple(
        c.model_copy(update={"head": c.head.model_copy(update={"settings": ("tally",)})}) if c.head else c
        for c in show.cameras
    )
    hall = Hall(show.model_copy(update={"cameras": cameras}))
    hall.press("1", "Q")
    hall.turn(4)
    hall.press("Space", "2", "W")
    hall.turn(4)
    lamps = {n: [r.value for r in hall.cameras[n].asked if isinstance(r, Adjust)] for n in ("c1", "c2")}
    assert lamps == {"c1": ["lit"], "c2": []}
    hall.press("Shift+Space")
    hall.turn(0.2)
    assert [row[2] for row in rows(hall.state)] == [True, True, False, False]
    assert [r.value for r in hall.cameras["c2"].asked if isinstance(r, Adjust)] == ["lit"]
    hall.turn(1)
    assert [row[2] for row in rows(hall.state)] == [False, True, False, False]
    assert [r.value for r in hall.cameras["c1"].asked if isinstance(r, Adjust)][-1] == "off"
    hall.engine.report(SettingReported("c2", "tally", "lit"), hall.clock.now_s())
    before = len(hall.cameras["c2"].asked)
    hall.engine.report(SettingReported("c2", "tally", "off"), hall.clock.now_s())  # somebody else put it out
    hall._serve()
    assert [r.value for r in hall.cameras["c2"].asked[before:]] == ["lit"]
