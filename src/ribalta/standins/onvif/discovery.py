"""How the stand-ins are found: they answer to a question that is asked of the whole network."""

import socket
import struct
import threading
import uuid
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from ribalta.standins.onvif.services import GROUP, LONGEST, PORT, OnvifServices
from ribalta.standins.onvif.soap import text_in


class Finding(threading.Thread):
    """Answers WS-Discovery probes that come in over loopback, for all cameras."""

    def __init__(self, services: list[OnvifServices]) -> None:
        super().__init__(name="stand-in finding", daemon=True)
        self._services = services
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        self._socket.bind((GROUP, PORT))
        member = struct.pack("4s4s", socket.inet_aton(GROUP), socket.inet_aton("127.0.0.1"))
        self._socket.setsockopt(socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, member)
        self._socket.settimeout(0.2)
        self.stopping = False

    def run(self) -> None:
        while not self.stopping:
            try:
                asked, sender = self._socket.recvfrom(LONGEST)
            except OSError:
                continue
            if b"Probe" in asked and sender[0].startswith("127."):
                self._answer(asked, sender)

    def _answer(self, asked: bytes, sender: tuple[str, int]) -> None:
        try:
            if b"<!DOCTYPE" in asked:
                return
            about = escape(text_in(ElementTree.fromstring(asked), "MessageID"))
        except ElementTree.ParseError:
            return
        for services in self._services:
            self._socket.sendto(_match(services, about).encode(), sender)

    def end(self) -> None:
        self.stopping = True
        self.join()
        self._socket.close()


def _match(services: OnvifServices, about: str) -> str:
    return (
        '<?xml version="1.0"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"'
        ' xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing"'
        ' xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/discovery" xmlns:dn="http://www.onvif.org/ver10/network/wsdl">'
        "<s:Header><a:Action>http://schemas.xmlsoap.org/ws/2005/04/discovery/ProbeMatches</a:Action>"
        f"<a:MessageID>urn:uuid:{uuid.uuid4()}</a:MessageID><a:RelatesTo>{about}</a:RelatesTo></s:Header>"
        "<s:Body><d:ProbeMatches><d:ProbeMatch><a:EndpointReference>"
        f"<a:Address>urn:uuid:{services.id}</a:Address></a:EndpointReference>"
        "<d:Types>dn:NetworkVideoTransmitter</d:Types>"
        f"<d:Scopes>onvif://www.onvif.org/type/ptz onvif://www.onvif.org/name/Stand-in</d:Scopes>"
        f"<d:XAddrs>{services.address}/device</d:XAddrs><d:MetadataVersion>1</d:MetadataVersion>"
        "</d:ProbeMatch></d:ProbeMatches></s:Body></s:Envelope>"
    )
