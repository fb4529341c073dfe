"""Looking for cameras: over loopback, and at addresses that somebody typed."""

import pytest

from ribalta.core.show.document.model import Protocol
from ribalta.core.survey.probes import Door
from ribalta.devices import discovery, probing
from ribalta.standins.body import Body
from ribalta.standins.cameras import BUILDS
from ribalta.standins.head import Head
from ribalta.standins.onvif.discovery import Finding
from ribalta.standins.onvif.services import OnvifServices

pytestmark = pytest.mark.real_time


def test_cameras_that_are_asked_over_loopback_answer_with_their_names():
    body = Body(Head(BUILDS[1], 0.0))
    finding = Finding([OnvifServices(BUILDS[1], body, "127.0.0.77", 8080)])
    finding.start()
    try:
        found = []
        for one in discovery.cameras(lambda: bool(found), ("127.0.0.1",)):
            if isinstance(one, discovery.Found) and one.host == "127.0.0.77":  # others may be there in another run
                found.append(one)
    finally:
        finding.end()
    assert [one.port for one in found] == [8080]
    assert "127.0.0.1" in discovery.interfaces()


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("192.0.2.7", ("192.0.2.7",)),
        (" kiln-cam.local ", ("kiln-cam.local",)),
        ("192.0.2.7-9", ("192.0.2.7", "192.0.2.8", "192.0.2.9")),
        ("192.0.2.8/30", ("192.0.2.9", "192.0.2.10")),
    ],
)
def test_an_address_or_a_small_range_is_understood(text, found):
    assert probing.addresses(text) == found


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "An address is missing"),
        ("not an address", "is not an address"),
        ("999.1.1.1", "is not an address"),
        ("192.0.2.9-7", "it ends at 7, before it begins"),
        ("192.0.2.9-300", "300 is more than 255"),
        ("192.0.2.0-200", "is 201 addresses: at most 64 are looked at"),
        ("10.0.0.0/8", "is 16777216 addresses: at most 64"),
        ("192.0.2.0/99", "is not an address or a range"),
    ],
)
def test_what_is_no_address_or_too_many_is_refused(text, said):
    with pytest.raises(probing.RemoteFault, match=said):
        probing.addresses(text)


def test_closed_doors_are_told_from_open_ones():
    assert probing.tcp_door("127.0.0.1", 9) is Door.REFUSED
    for ask in probing.ASK.values():
        assert ask("127.0.0.1", 9) is Door.REFUSED
    assert probing.visca_serial("/dev/no-such-line", 9600) is Door.UNREACHABLE
    assert set(probing.ASK) == set(Protocol) - {Protocol.VISCA_SERIAL}
    with pytest.raises(probing.RemoteFault, match="There is no machine called"):
        probing.resolve("no-such-machine.invalid")
