"""What goes out to other machines, and to controllers."""

import socket
import time

from ribalta.core.ports.messages import Send
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination
from ribalta.remote.remote_server import RemoteServer
from ribalta.standins.partner import PORTS
from tests.remote.test_messages import FakePorts, HallDesk, free_port, wait_for
from tests.remote.test_messages import partner as partner
from tests.remote.test_messages import station as station


def send(desk: HallDesk, one: RemoteServer, destination: Destination, **fields) -> None:
    """Through the action, so that what it fills in is filled in."""
    desk.hall.act("destination.add", **destination.model_dump(exclude={"id"}, mode="json"))
    made = desk.state.show.destinations[-1]
    desk.hall.events.clear()
    desk.hall.act("message.send", destination=made.id, **fields)
    for event in desk.hall.events:
        if isinstance(event, Send):
            one.send(event)


def test_what_goes_out_arrives_with_what_is_on_air_filled_in(station, partner):
    host, there = partner
    desk = HallDesk()
    one = station(desk)

    def to(wire: str) -> Destination:
        return Destination(id="d", name=wire.upper(), wire=wire, host=host, port=PORTS[wire])

    send(desk, one, to("osc"), address="/lights/{camera}", arguments=["{on_air}", 3, 0.5])
    send(desk, one, to("udp"), text="camera {camera_name}")
    send(desk, one, to("udp"), bytes="6869 0a")
    send(desk, one, to("tcp"), text="go {framing}.")
    send(desk, one, to("http"), method="POST", address="/cue/{camera}", text="x")
    wait_for(lambda: len(there.heard) == 5)
    assert sorted(row["words"] for row in there.heard) == [
        "http POST /cue/4 x",
        "osc /lights/4 4  Wide 3 0.5",
        "tcp go .",
        "udp camera Wide",
        "udp hi",
    ]
    answers = {line.who: line.answer for line in one.log.lines}
    wait_for(lambda: all(line.answer for line in one.log.lines))
    answers = {line.who: line.answer for line in one.log.lines}
    assert answers["TCP"] == "heard"
    assert answers["HTTP"] == "200 heard"
    desk.hall.act("message.send", destination=desk.state.show.destinations[0].id, address="/x/{nobody}")
    assert "{nobody} stands for nothing" in desk.hall.sentences[-1]


def test_a_destination_that_is_not_there_is_said_once_and_holds_nothing_up(station, partner):
    host, _ = partner
    desk = HallDesk()
    one = station(desk)
    closed = Destination(id="d", name="Lights", wire="tcp", host=host, port=free_port(socket.SOCK_STREAM))
    wrong = Destination(id="d", name="Board", wire="http", host=host, port=PORTS["http"])
    begun = time.monotonic()
    for _ in range(3):
        send(desk, one, closed, text="go")
    assert time.monotonic() - begun < 0.5
    send(desk, one, wrong, address="/nothing")
    wait_for(lambda: sum(line.failed for line in one.log.lines) == 4)
    assert "“Lights” did not take a message: nothing listens there." in desk.said
    assert any("“Board” did not take a message: it answered 404 heard" in s for s in desk.said)


def test_midi_goes_out_and_lights_are_sent_only_when_they_change(station):
    desk, ports = HallDesk(), FakePorts("Pads")
    one = station(desk, ports)
    wait_for(lambda: ports.opened)
    send(desk, one, Destination(id="d", name="Pads", wire="midi", host="Pads"), midi="control", number=7, value=99)
    wait_for(lambda: ports.out and ports.out["Pads"].sent)
    assert ports.out["Pads"].sent[0].bytes() == [0xB0, 7, 99]
    for values in ({36: 1, 37: 0}, {36: 1, 37: 127}, {36: 1, 37: 127}):
        one.light("Pads", 2, values)
    wait_for(lambda: len(ports.out["Pads"].sent) == 4)
    assert [m.bytes() for m in ports.out["Pads"].sent[1:]] == [[0x91, 36, 1], [0x91, 37, 0], [0x91, 37, 127]]
    send(desk, one, Destination(id="d", name="Gone", wire="midi", host="Gone"), number=1)
    wait_for(lambda: desk.said)
    assert desk.said[-1] == "“Gone” did not take a message: there is no MIDI port “Gone” here."
