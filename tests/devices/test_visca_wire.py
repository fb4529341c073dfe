"""VISCA's bytes, held to vectors that were written from the published lists."""

import pytest

from ribalta.devices.drivers.visca import wire
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.head import Head
from ribalta.standins.visca import Answerer
from tests.devices.test_visca import COMMAND, INQUIRY, VECTORS


@pytest.mark.parametrize(
    ("name", "made"),
    [
        ("reset sequence", (wire.PayloadType.CONTROL, 0, wire.RESET_SEQUENCE)),
        ("pan-tilt inquiry", (INQUIRY, 1, wire.PAN_TILT_INQUIRY)),
        ("zoom inquiry", (INQUIRY, 2, wire.ZOOM_INQUIRY)),
        ("pan-tilt 0 0, speeds 24 20", (COMMAND, 3, wire.pan_tilt_absolute(0, 0, 24, 20))),
        ("pan-tilt 4660 -1, speeds 1 1", (COMMAND, 4, wire.pan_tilt_absolute(4660, -1, 1, 1))),
        ("pan-tilt -17000 9000, speeds 12 10", (COMMAND, 5, wire.pan_tilt_absolute(-17000, 9000, 12, 10))),
        ("zoom 0", (COMMAND, 7, wire.zoom_direct(0))),
        ("zoom 16384", (COMMAND, 8, wire.zoom_direct(16384))),
        ("zoom 4951", (COMMAND, 9, wire.zoom_direct(4951))),
        ("pan-tilt drive right and up, 24 10", (COMMAND, 12, wire.pan_tilt_drive(1.0, 0.5))),
        ("pan-tilt drive left and down, 12 20", (COMMAND, 13, wire.pan_tilt_drive(-0.5, -1.0))),
        ("pan-tilt by 100 -100, speeds 8 6", (COMMAND, 14, wire.pan_tilt_relative(100, -100, 8, 6))),
        ("zoom drive in, 7", (COMMAND, 15, wire.zoom_drive(1.0))),
        ("zoom drive out, 4", (COMMAND, 16, wire.zoom_drive(-0.6))),
        ("zoom drive stop", (COMMAND, 17, wire.zoom_drive(0.0))),
        ("memory set 3", (COMMAND, 10, wire.memory_set(3))),
        ("memory recall 3", (COMMAND, 11, wire.memory_recall(3))),
    ],
)
def test_the_desk_sends_the_published_bytes(name, made):
    assert wire.datagram(*made) == VECTORS[name]


@pytest.mark.parametrize(
    ("name", "meant"),
    [
        ("reset sequence, answered", (0, wire.ControlReply(b"\x01"))),
        ("sequence error", (5, wire.ControlReply(b"\x0f\x01"))),
        ("ack, socket 1", (3, wire.Ack(1))),
        ("ack, socket 2", (7, wire.Ack(2))),
        ("completion, socket 1", (3, wire.Completion(1, b""))),
        ("syntax error", (3, wire.ErrorReply(0, wire.SYNTAX_ERROR))),
        ("buffer full", (3, wire.ErrorReply(0, wire.BUFFER_FULL))),
        ("cancelled, socket 1", (3, wire.ErrorReply(1, wire.CANCELLED))),
        ("not executable, socket 1", (3, wire.ErrorReply(1, wire.NOT_EXECUTABLE))),
    ],
)
def test_the_desk_reads_the_published_bytes(name, meant):
    assert wire.read(VECTORS[name]) == meant


def test_positions_are_read_with_their_signs():
    position, zoom = wire.read(VECTORS["position 4660 -1"]), wire.read(VECTORS["zoom is 4951"])
    assert wire.read_pan_tilt(position[1].data) == (4660, -1)
    assert wire.read_zoom(zoom[1].data) == 4951


def test_the_stand_in_answers_with_the_published_bytes():
    head = Head(BUILDS[0], 0.0)
    answerer = Answerer(Body(head))
    assert answerer.hear(VECTORS["zoom 0"], 0.0) == [VECTORS["sequence error"].replace(b"\x05", b"\x07")]
    assert answerer.hear(VECTORS["reset sequence"], 0.0) == [VECTORS["reset sequence, answered"]]
    assert answerer.hear(VECTORS["pan-tilt 0 0, speeds 24 20"], 0.0) == [VECTORS["ack, socket 1"]]
    assert answerer.hear(VECTORS["zoom 0"], 0.0) == [VECTORS["ack, socket 2"]]
    answerer.hear(VECTORS["pan-tilt 4660 -1, speeds 1 1"], 0.0)
    answerer.hear(VECTORS["zoom 4951"], 0.0)
    for second in range(60):
        head.now(float(second))
    assert answerer.hear(VECTORS["pan-tilt inquiry"], 60.0) == [VECTORS["position 4660 -1"]]
    assert answerer.hear(VECTORS["zoom inquiry"], 60.0) == [VECTORS["zoom is 4951"]]


def test_the_stand_in_does_a_repeated_command_once():
    head = Head(BUILDS[0], 0.0)
    answerer = Answerer(Body(head))
    answerer.hear(VECTORS["reset sequence"], 0.0)
    command = VECTORS["pan-tilt 4660 -1, speeds 1 1"]
    first = answerer.hear(command, 0.0)
    head.go(0.0, 5.0, 5.0, 1.0, 1.0)
    assert answerer.hear(command, 0.0) == first
    assert head.goal().pan_deg == 5.0
