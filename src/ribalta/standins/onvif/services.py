"""A stand-in's ONVIF: the parts of the device, media and PTZ services that a desk needs, and being found.

Requests are read with the standard library's parser after anything with a document type was refused. Written from the
published ONVIF core, media and PTZ specifications and WS-Discovery; it shares nothing with the desk.

Positions are in the generic spaces: -1 to 1 across the whole travel of pan and tilt, 0 to 1 of zoom.
"""

import base64
import hashlib
import re
import time
import uuid
from collections.abc import Callable
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from ribalta.standins.body import Body
from ribalta.standins.cameras import Build
from ribalta.standins.head import Stand
from ribalta.standins.onvif.imaging import OnvifImaging
from ribalta.standins.onvif.soap import SoapFault, find, local_name, text_in
from ribalta.standins.rtsp import RTSP_PORT
from ribalta.workers.crew import Crew

USER, PASSWORD = "crew", "kiln"
PAN_DEG, TILT_DEG = (-170.0, 170.0), (-30.0, 90.0)
GROUP, PORT = "239.255.255.250", 3702
NAMESPACES = (
    'xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:tds="http://www.onvif.org/ver10/device/wsdl"'
    ' xmlns:trt="http://www.onvif.org/ver10/media/wsdl" xmlns:tptz="http://www.onvif.org/ver20/ptz/wsdl"'
    ' xmlns:timg="http://www.onvif.org/ver20/imaging/wsdl"'
    ' xmlns:tt="http://www.onvif.org/ver10/schema" xmlns:ter="http://www.onvif.org/ver10/error"'
)
SPACES = "http://www.onvif.org/ver10/tptz"
LAMP_COMMANDS = {"Tally|On": 2, "Tally|Off": 3}
NOT_AUTHORIZED = ("s:Sender", "ter:NotAuthorized", "The sender is not authorized")


def _across(value: float, ends: tuple[float, float]) -> float:
    return ends[0] + (max(-1.0, min(1.0, value)) + 1) / 2 * (ends[1] - ends[0])


def _share(value: float, ends: tuple[float, float]) -> float:
    return (value - ends[0]) / (ends[1] - ends[0]) * 2 - 1


PROFILES, LONGEST_MOVE_S = ("main", "small"), 30.0
DURATION = re.compile(r"^PT(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?$")


def _seconds(duration: str) -> float | None:
    """Of an XML duration such as PT1.5S; None when none is given."""
    found = DURATION.match(duration)
    return 60 * int(found[1] or 0) + float(found[2] or 0) if found is not None and duration != "PT" else None


class OnvifServices:
    """Answers one request at a time; `address` is where its services are, `pictures` where its RTSP server is."""

    def __init__(self, build: Build, body: Body, host: str, port: int, pictures: str = "") -> None:
        self._build, self._body = build, body
        self._pictures = pictures or f"rtsp://{host}:{RTSP_PORT}"
        self.address = f"http://{host}:{port}/onvif"
        self.id = uuid.uuid5(uuid.NAMESPACE_URL, self.address)
        self._presets: dict[str, tuple[str, Stand]] = {}
        self._moves = 0
        self._calls: dict[str, Callable[[ElementTree.Element], str]] = {
            "GetSystemDateAndTime": self._time,
            "GetCapabilities": self._capabilities,
            "GetServices": self._services,
            "GetDeviceInformation": self._information,
            "GetProfiles": self._profiles,
            "GetStreamUri": self._stream,
            "GetStatus": self._status,
            "AbsoluteMove": self._absolute,
            "RelativeMove": self._relative,
            "ContinuousMove": self._continuous,
            "Stop": self._stop,
            "GetPresets": self._get_presets,
            "SetPreset": self._set_preset,
            "GotoPreset": self._go_to_preset,
            "GotoHomePosition": self._home,
            "GetNodes": self._nodes,
            "SendAuxiliaryCommand": self._auxiliary,
        } | {f"imaging {name}": call for name, call in OnvifImaging(body).calls.items()}

    @staticmethod
    def _called(request: ElementTree.Element) -> str:
        """Several services have calls of the same name."""
        return f"imaging {local_name(request)}" if "/imaging/" in request.tag else local_name(request)

    def answer(self, asked: bytes) -> tuple[int, bytes]:
        """HTTP status and SOAP answer."""
        try:
            if b"<!DOCTYPE" in asked or b"<!ENTITY" in asked:
                raise ValueError("a document type")
            envelope = ElementTree.fromstring(asked)
            body = find(envelope, "Body")
            request = next(iter(body)) if body is not None else None
            call = self._calls.get(self._called(request)) if request is not None else None
            if request is None or call is None:
                raise SoapFault("s:Receiver", "ter:ActionNotSupported", "That is not supported")
            free = self._body.faults.no_login or (call == self._time and not self._body.faults.clock_needs_login)
            if not free and not self._known(envelope):
                raise SoapFault(*NOT_AUTHORIZED)
            return 200, self._envelope(call(request))
        except SoapFault as refused:
            code, subcode, reason = refused.args
            fault = (
                f"<s:Fault><s:Code><s:Value>{code}</s:Value><s:Subcode><s:Value>{subcode}</s:Value></s:Subcode>"
                f'</s:Code><s:Reason><s:Text xml:lang="en">{reason}</s:Text></s:Reason></s:Fault>'
            )
            return (401 if subcode == "ter:NotAuthorized" else 400), self._envelope(fault)
        except (ElementTree.ParseError, ValueError, StopIteration):
            return 400, self._envelope("")

    @staticmethod
    def _envelope(body: str) -> bytes:
        return f'<?xml version="1.0"?><s:Envelope {NAMESPACES}><s:Body>{body}</s:Body></s:Envelope>'.encode()

    def _known(self, envelope: ElementTree.Element) -> bool:
        """WS-UsernameToken with a password digest."""
        if self._body.faults.refuse_login or text_in(envelope, "Username") != USER:
            return False
        try:
            nonce = base64.b64decode(text_in(envelope, "Nonce"))
        except ValueError:
            return False
        whole = hashlib.sha1(nonce + text_in(envelope, "Created").encode() + PASSWORD.encode()).digest()
        return base64.b64encode(whole).decode() == text_in(envelope, "Password")

    # Device

    def _time(self, request: ElementTree.Element) -> str:
        now = time.gmtime()
        clock = (
            f"<tt:Hour>{now.tm_hour}</tt:Hour><tt:Minute>{now.tm_min}</tt:Minute><tt:Second>{now.tm_sec}</tt:Second>"
        )
        day = f"<tt:Year>{now.tm_year}</tt:Year><tt:Month>{now.tm_mon}</tt:Month><tt:Day>{now.tm_mday}</tt:Day>"
        return (
            "<tds:GetSystemDateAndTimeResponse><tds:SystemDateAndTime><tt:DateTimeType>Manual</tt:DateTimeType>"
            "<tt:DaylightSavings>false</tt:DaylightSavings>"
            f"<tt:UTCDateTime><tt:Time>{clock}</tt:Time><tt:Date>{day}</tt:Date></tt:UTCDateTime>"
            "</tds:SystemDateAndTime></tds:GetSystemDateAndTimeResponse>"
        )

    def _capabilities(self, request: ElementTree.Element) -> str:
        parts = "".join(f"<tt:{n}><tt:XAddr>{self.address}/{n.lower()}</tt:XAddr></tt:{n}>" for n in ("Device",))
        media = (
            f"<tt:Media><tt:XAddr>{self.address}/media</tt:XAddr><tt:StreamingCapabilities>"
            "<tt:RTP_RTSP_TCP>true</tt:RTP_RTSP_TCP></tt:StreamingCapabilities></tt:Media>"
        )
        imaging = f"<tt:Imaging><tt:XAddr>{self.address}/imaging</tt:XAddr></tt:Imaging>"
        ptz = f"<tt:PTZ><tt:XAddr>{self.address}/ptz</tt:XAddr></tt:PTZ>"
        return (
            "<tds:GetCapabilitiesResponse><tds:Capabilities>"
            f"{parts}{imaging}{media}{ptz}</tds:Capabilities></tds:GetCapabilitiesResponse>"
        )

    def _services(self, request: ElementTree.Element) -> str:
        spaces = {"device": "ver10/device", "media": "ver10/media", "ptz": "ver20/ptz", "imaging": "ver20/imaging"}
        rows = "".join(
            f"<tds:Service><tds:Namespace>http://www.onvif.org/{space}/wsdl</tds:Namespace>"
            f"<tds:XAddr>{self.address}/{name}</tds:XAddr><tds:Version><tt:Major>2</tt:Major><tt:Minor>0</tt:Minor>"
            "</tds:Version></tds:Service>"
            for name, space in spaces.items()
        )
        return f"<tds:GetServicesResponse>{rows}</tds:GetServicesResponse>"

    def _information(self, request: ElementTree.Element) -> str:
        return (
            "<tds:GetDeviceInformationResponse><tds:Manufacturer>Ribalta</tds:Manufacturer>"
            f"<tds:Model>Stand-in {escape(self._build.name)}</tds:Model><tds:FirmwareVersion>1</tds:FirmwareVersion>"
            f"<tds:SerialNumber>{self._build.number}</tds:SerialNumber><tds:HardwareId>0</tds:HardwareId>"
            "</tds:GetDeviceInformationResponse>"
        )

    # Media

    def _profiles(self, request: ElementTree.Element) -> str:
        rows = "".join(
            f'<trt:Profiles token="{name}" fixed="true"><tt:Name>{name}</tt:Name>'
            '<tt:VideoSourceConfiguration token="source"><tt:Name>source</tt:Name><tt:UseCount>1</tt:UseCount>'
            '<tt:SourceToken>sensor</tt:SourceToken><tt:Bounds x="0" y="0" width="1280" height="720"/>'
            "</tt:VideoSourceConfiguration>"
            '<tt:PTZConfiguration token="ptz"><tt:Name>ptz</tt:Name><tt:UseCount>1</tt:UseCount>'
            "<tt:NodeToken>node</tt:NodeToken></tt:PTZConfiguration></trt:Profiles>"
            for name in PROFILES
        )
        return f"<trt:GetProfilesResponse>{rows}</trt:GetProfilesResponse>"

    def _stream(self, request: ElementTree.Element) -> str:
        name = self._profile(request)
        return (
            f"<trt:GetStreamUriResponse><trt:MediaUri><tt:Uri>{self._pictures}/{escape(name)}</tt:Uri>"
            "<tt:InvalidAfterConnect>false</tt:InvalidAfterConnect><tt:InvalidAfterReboot>false</tt:InvalidAfterReboot>"
            "<tt:Timeout>PT0S</tt:Timeout></trt:MediaUri></trt:GetStreamUriResponse>"
        )

    # PTZ

    @staticmethod
    def _profile(request: ElementTree.Element) -> str:
        name = text_in(request, "ProfileToken")
        if name not in PROFILES:
            raise SoapFault("s:Sender", "ter:NoProfile", "There is no such profile")
        return name

    def _status(self, request: ElementTree.Element) -> str:
        self._profile(request)
        if self._body.faults.bad_status == "fault":
            raise SoapFault("s:Receiver", "ter:NoStatus", "No PTZ status is available")
        if self._body.faults.bad_status == "malformed":
            raise ValueError("malformed")
        now_s = time.monotonic()
        stand, head = self._body.head.now(now_s), self._body.head
        x, y = _share(stand.pan_deg, PAN_DEG), _share(stand.tilt_deg, TILT_DEG)
        position = (
            f'<tt:Position><tt:PanTilt x="{x:.6f}" y="{y:.6f}"'
            f' space="{SPACES}/PanTiltSpaces/PositionGenericSpace"/>'
            f'<tt:Zoom x="{stand.zoom:.6f}" space="{SPACES}/ZoomSpaces/PositionGenericSpace"/></tt:Position>'
        )
        if self._body.faults.no_position or not self._body.awake:
            position = ""
        moves = "MOVING" if head.turning(now_s) else "IDLE"
        zooms = "MOVING" if head.zooming(now_s) else "IDLE"
        stamp = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())
        return (
            f"<tptz:GetStatusResponse><tptz:PTZStatus>{position}<tt:MoveStatus><tt:PanTilt>{moves}</tt:PanTilt>"
            f"<tt:Zoom>{zooms}</tt:Zoom></tt:MoveStatus><tt:UtcTime>{stamp}</tt:UtcTime>"
            "</tptz:PTZStatus></tptz:GetStatusResponse>"
        )

    def _vector(self, request: ElementTree.Element, of: str, default: tuple[float, float, float]) -> list[float]:
        vector = find(request, of)
        if vector is None:
            return list(default)
        turn, zoom = find(vector, "PanTilt"), find(vector, "Zoom")
        x, y, z = default
        if turn is not None:
            x, y = float(turn.get("x", "0")), float(turn.get("y", "0"))
        if zoom is not None:
            z = float(zoom.get("x", "0"))
        if not all(-1e6 < v < 1e6 for v in (x, y, z)):
            raise SoapFault("s:Sender", "ter:InvalidPosition", "There is no such position")
        return [x, y, z]

    def _awake(self) -> None:
        if not self._body.awake:
            raise SoapFault("s:Receiver", "ter:Action", "The camera is in standby")

    def _absolute(self, request: ElementTree.Element) -> str:
        self._awake()
        now_s, goal = time.monotonic(), self._body.head.goal()
        start = (_share(goal.pan_deg, PAN_DEG), _share(goal.tilt_deg, TILT_DEG), goal.zoom)
        x, y, z = self._vector(request, "Position", start)
        speed = self._vector(request, "Speed", (1.0, 1.0, 1.0))
        self._go(now_s, _across(x, PAN_DEG), _across(y, TILT_DEG), z, speed)
        return "<tptz:AbsoluteMoveResponse/>"

    def _go(self, now_s: float, pan: float, tilt: float, zoom: float, speed: list[float]) -> None:
        shares = [max(0.02, min(1.0, abs(v))) for v in speed]
        self._body.head.go(now_s, pan, tilt, shares[0], shares[1])
        self._body.head.go_zoom(now_s, zoom)

    def _relative(self, request: ElementTree.Element) -> str:
        self._awake()
        now_s, goal = time.monotonic(), self._body.head.goal()
        x, y, z = self._vector(request, "Translation", (0.0, 0.0, 0.0))
        pan, tilt = (
            goal.pan_deg + x / 2 * (PAN_DEG[1] - PAN_DEG[0]),
            goal.tilt_deg + y / 2 * (TILT_DEG[1] - TILT_DEG[0]),
        )
        self._go(now_s, pan, tilt, goal.zoom + z, [1.0, 1.0, 1.0])
        return "<tptz:RelativeMoveResponse/>"

    def _continuous(self, request: ElementTree.Element) -> str:
        self._awake()
        self._profile(request)
        now_s, stand = time.monotonic(), self._body.head.now(time.monotonic())
        x, y, z = self._vector(request, "Velocity", (0.0, 0.0, 0.0))
        if x == y == z == 0:
            return self._stop(request).replace("Stop", "ContinuousMove")
        pan = PAN_DEG[x > 0] if x else stand.pan_deg
        tilt = TILT_DEG[y > 0] if y else stand.tilt_deg
        self._go(now_s, pan, tilt, (1.0 if z > 0 else 0.0) if z else stand.zoom, [x, y, z])
        self._moves += 1
        for_s, move = _seconds(text_in(request, "Timeout")), self._moves
        if for_s is not None:
            Crew().begin("stand-in movement", lambda: self._end_after(for_s, move))
        return "<tptz:ContinuousMoveResponse/>"

    def _end_after(self, seconds: float, move: int) -> None:
        """A movement that was asked for a time ends by itself, unless something else was asked since."""
        time.sleep(min(seconds, LONGEST_MOVE_S))
        if move == self._moves:
            self._body.head.stop(time.monotonic())

    def _stop(self, request: ElementTree.Element) -> str:
        self._profile(request)
        self._moves += 1
        now_s = time.monotonic()
        self._body.head.stop(now_s)
        self._body.head.go_zoom(now_s, self._body.head.now(now_s).zoom)
        return "<tptz:StopResponse/>"

    def _get_presets(self, request: ElementTree.Element) -> str:
        rows = "".join(
            f'<tptz:Preset token="{escape(token)}"><tt:Name>{escape(name)}</tt:Name></tptz:Preset>'
            for token, (name, _) in self._presets.items()
        )
        return f"<tptz:GetPresetsResponse>{rows}</tptz:GetPresetsResponse>"

    def _set_preset(self, request: ElementTree.Element) -> str:
        token = text_in(request, "PresetToken") or str(len(self._presets) + 1)
        self._presets[token] = (text_in(request, "PresetName") or token, self._body.head.now(time.monotonic()))
        return f"<tptz:SetPresetResponse><tptz:PresetToken>{escape(token)}</tptz:PresetToken></tptz:SetPresetResponse>"

    def _go_to_preset(self, request: ElementTree.Element) -> str:
        self._awake()
        found = self._presets.get(text_in(request, "PresetToken"))
        if found is None:
            raise SoapFault("s:Sender", "ter:NoToken", "There is no such preset")
        stand = found[1]
        self._go(time.monotonic(), stand.pan_deg, stand.tilt_deg, stand.zoom, [1.0, 1.0, 1.0])
        return "<tptz:GotoPresetResponse/>"

    def _nodes(self, request: ElementTree.Element) -> str:
        return (
            '<tptz:GetNodesResponse><tptz:PTZNode token="node" FixedHomePosition="true"><tt:Name>node</tt:Name>'
            "<tt:SupportedPTZSpaces/><tt:MaximumNumberOfPresets>255</tt:MaximumNumberOfPresets>"
            "<tt:HomeSupported>true</tt:HomeSupported>"
            + "".join(f"<tt:AuxiliaryCommands>{name}</tt:AuxiliaryCommands>" for name in LAMP_COMMANDS)
            + "</tptz:PTZNode></tptz:GetNodesResponse>"
        )

    def _auxiliary(self, request: ElementTree.Element) -> str:
        asked = text_in(request, "AuxiliaryData")
        if asked not in LAMP_COMMANDS:
            raise SoapFault("s:Sender", "ter:InvalidArgVal", "There is no such command")
        self._body.tally = LAMP_COMMANDS[asked]
        answer = f"<tptz:AuxiliaryResponse>{asked}</tptz:AuxiliaryResponse>"
        return f"<tptz:SendAuxiliaryCommandResponse>{answer}</tptz:SendAuxiliaryCommandResponse>"

    def _home(self, request: ElementTree.Element) -> str:
        self._awake()
        self._go(time.monotonic(), 0.0, 0.0, 0.0, [1.0, 1.0, 1.0])
        return "<tptz:GotoHomePositionResponse/>"


LONGEST = 8192
