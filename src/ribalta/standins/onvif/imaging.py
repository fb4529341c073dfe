"""A stand-in's ONVIF imaging service: the same registers that VISCA reads and writes, in ONVIF's units.

Written from the published imaging service specification; it shares nothing with the desk. The iris is an attenuation
in dB of which 0 is fully open, the gain is in dB, the exposure time in microseconds, the focus from 0 (near) to 1.
"""

import math
from collections.abc import Callable
from xml.etree import ElementTree

from ribalta.standins.body import MANUAL_EXPOSURE, Body
from ribalta.standins.onvif.soap import SoapFault, find, text_in

FOCUS_MODE, FOCUS, EXPOSURE, IRIS, GAIN, SHUTTER, BALANCE = 0x38, 0x48, 0x39, 0x4B, 0x4C, 0x4A, 0x35
AUTO_FOCUS, MANUAL_FOCUS, MANUAL_BALANCE = 2, 3, 5
DB, LONGEST_US, HALVINGS = 2.0, 40000.0, 2.0  # dB a step; microseconds at step 0; steps to half of that
FOCUS_ENDS = (0x1000, 0xF000)


class OnvifImaging:
    """`calls` by their names, each giving the body of its answer."""

    def __init__(self, body: Body) -> None:
        self._body = body
        self.calls: dict[str, Callable[[ElementTree.Element], str]] = {
            "GetImagingSettings": self._settings,
            "SetImagingSettings": self._set,
            "GetOptions": self._options,
            "GetMoveOptions": self._move_options,
            "Move": self._move,
            "GetStatus": self._status,
        }

    def _value(self, register: int) -> int:
        return self._body.registers[register].value

    def _settings(self, request: ElementTree.Element) -> str:
        manual = self._value(EXPOSURE) == MANUAL_EXPOSURE
        steps = self._body.registers
        iris = DB * (steps[IRIS].allowed[-1] - self._value(IRIS))
        exposure = (
            f"<tt:Mode>{'MANUAL' if manual else 'AUTO'}</tt:Mode>"
            f"<tt:ExposureTime>{LONGEST_US / 2 ** (self._value(SHUTTER) / HALVINGS):.4f}</tt:ExposureTime>"
            f"<tt:Gain>{DB * self._value(GAIN)}</tt:Gain><tt:Iris>{iris}</tt:Iris>"
        )
        focus = "AUTO" if self._value(FOCUS_MODE) == AUTO_FOCUS else "MANUAL"
        balance = "AUTO" if self._value(BALANCE) == 0 else "MANUAL"
        return (
            "<timg:GetImagingSettingsResponse><timg:ImagingSettings>"
            f"<tt:Exposure>{exposure}</tt:Exposure>"
            f"<tt:Focus><tt:AutoFocusMode>{focus}</tt:AutoFocusMode></tt:Focus>"
            f"<tt:WhiteBalance><tt:Mode>{balance}</tt:Mode></tt:WhiteBalance>"
            "</timg:ImagingSettings></timg:GetImagingSettingsResponse>"
        )

    def _options(self, request: ElementTree.Element) -> str:
        steps = self._body.registers
        ranges = (
            ("ExposureTime", LONGEST_US / 2 ** (steps[SHUTTER].allowed[-1] / HALVINGS), LONGEST_US),
            ("Gain", 0.0, DB * steps[GAIN].allowed[-1]),
            ("Iris", 0.0, DB * steps[IRIS].allowed[-1]),
        )
        modes = "<tt:Mode>AUTO</tt:Mode><tt:Mode>MANUAL</tt:Mode>"
        ends = "".join(
            f"<tt:{name}><tt:Min>{low:.4f}</tt:Min><tt:Max>{high:.4f}</tt:Max></tt:{name}>"
            for name, low, high in ranges
        )
        focus = modes.replace("Mode>", "AutoFocusModes>")
        return (
            "<timg:GetOptionsResponse><timg:ImagingOptions>"
            f"<tt:Exposure>{modes}{ends}</tt:Exposure><tt:Focus>{focus}</tt:Focus>"
            f"<tt:WhiteBalance>{modes}</tt:WhiteBalance></timg:ImagingOptions></timg:GetOptionsResponse>"
        )

    def _set(self, request: ElementTree.Element) -> str:
        exposure, focus, balance = (find(request, name) for name in ("Exposure", "Focus", "WhiteBalance"))
        if exposure is not None:
            self._set_exposure(exposure)
        if focus is not None:
            self._body.registers[FOCUS_MODE].value = AUTO_FOCUS if _auto(focus, "AutoFocusMode") else MANUAL_FOCUS
        if balance is not None:
            self._body.registers[BALANCE].value = 0 if _auto(balance, "Mode") else MANUAL_BALANCE
        return "<timg:SetImagingSettingsResponse/>"

    def _set_exposure(self, exposure: ElementTree.Element) -> None:
        registers = self._body.registers
        registers[EXPOSURE].value = 0 if _auto(exposure, "Mode") else MANUAL_EXPOSURE
        for name, register, step in (
            ("Gain", GAIN, lambda v: v / DB),
            ("Iris", IRIS, lambda v: registers[IRIS].allowed[-1] - v / DB),
            ("ExposureTime", SHUTTER, lambda v: HALVINGS * math.log2(LONGEST_US / v)),
        ):
            text = text_in(exposure, name)
            if not text or registers[EXPOSURE].value != MANUAL_EXPOSURE:
                continue
            try:
                value = round(step(float(text)))
            except (ValueError, OverflowError, ZeroDivisionError):
                value = -1
            if value not in registers[register].allowed:
                raise SoapFault("s:Sender", "ter:InvalidArgVal", "There is no such value")
            registers[register].value = value

    def _move_options(self, request: ElementTree.Element) -> str:
        position = "<tt:Position><tt:Min>0</tt:Min><tt:Max>1</tt:Max></tt:Position>"
        return (
            f"<timg:GetMoveOptionsResponse><timg:MoveOptions><tt:Absolute>{position}</tt:Absolute>"
            "</timg:MoveOptions></timg:GetMoveOptionsResponse>"
        )

    def _move(self, request: ElementTree.Element) -> str:
        low, high = FOCUS_ENDS
        try:
            share = float(text_in(request, "Position"))
        except ValueError:
            share = -1.0
        if not 0 <= share <= 1:
            raise SoapFault("s:Sender", "ter:InvalidArgVal", "There is no such position")
        self._body.registers[FOCUS].value = round(low + share * (high - low))
        return "<timg:MoveResponse/>"

    def _status(self, request: ElementTree.Element) -> str:
        low, high = FOCUS_ENDS
        share = (self._value(FOCUS) - low) / (high - low)
        return (
            f"<timg:GetStatusResponse><timg:Status><tt:FocusStatus20><tt:Position>{share:.6f}</tt:Position>"
            "<tt:MoveStatus>IDLE</tt:MoveStatus></tt:FocusStatus20></timg:Status></timg:GetStatusResponse>"
        )


def _auto(element: ElementTree.Element, name: str) -> bool:
    mode = text_in(element, name)
    if mode not in ("AUTO", "MANUAL"):
        raise SoapFault("s:Sender", "ter:InvalidArgVal", "There is no such mode")
    return mode == "AUTO"
