"""The imaging service of an ONVIF camera: exposure, iris, gain, shutter, white balance and focus.

Every camera has its own ranges and units (dB, microseconds); the driver gets shares of them, 0 to 1, as
`drivers/onvif/wire.py` says. After the published imaging service specification: an iris is an attenuation, 0 dB of it
is fully open.
"""

import contextlib
import math
from typing import Any

AUTOMATIC = {"AUTO": "automatic", "MANUAL": "manual"}
MODES = {words: mode for mode, words in AUTOMATIC.items()}
NUMBERS = {"iris": "Iris", "gain": "Gain", "shutter": "ExposureTime"}


class Refusal(Exception):
    """Why something cannot be set, as a phrase."""


class Imaging:
    """Of one camera; used from its link's event loop. `source` is the token of its video source."""

    def __init__(self, service: Any, source: str) -> None:
        self._service, self._token = service, {"VideoSourceToken": source}
        self._options: Any = None
        self._focus: tuple[float, float] | None = None

    async def open(self) -> None:
        """Ask for its ranges; a camera that does not tell how far its focus goes has none that can be set."""
        self._options = await self._service.GetOptions(self._token)
        with contextlib.suppress(Exception):
            moves = await self._service.GetMoveOptions(self._token)
            self._focus = _ends(moves.Absolute.Position)

    async def settings(self) -> dict[str, str | float]:
        """As they are now: words, and shares of the camera's own ranges."""
        now = await self._service.GetImagingSettings(self._token)
        found: dict[str, str | float] = {}
        exposure, balance, focus = now.Exposure, now.WhiteBalance, now.Focus
        for name, mode in (
            ("exposure.mode", getattr(exposure, "Mode", None)),
            ("white_balance", getattr(balance, "Mode", None)),
            ("focus.mode", getattr(focus, "AutoFocusMode", None)),
        ):
            if mode in AUTOMATIC:
                found[name] = AUTOMATIC[mode]
        for name, theirs in NUMBERS.items():
            ends, value = self._range(theirs), getattr(exposure, theirs, None)
            if ends is not None and value is not None:
                found[name] = share_of(name, float(value), *ends)
        if self._focus is not None:
            with contextlib.suppress(Exception):
                status = await self._service.GetStatus(self._token)
                found["focus"] = share_of("focus", float(status.FocusStatus20.Position), *self._focus)
        return found

    async def adjust(self, name: str, value: str | float) -> None:
        """Set one of them. Raises Refusal."""
        if name == "focus" and isinstance(value, float) and self._focus is not None:
            position = value_of("focus", value, *self._focus)
            await self._service.Move({**self._token, "Focus": {"Absolute": {"Position": position}}})
            return
        now = await self._service.GetImagingSettings(self._token)
        if name in NUMBERS and isinstance(value, float):
            changed = self._number(now, name, value)
        elif name in ("exposure.mode", "white_balance", "focus.mode") and value in MODES:
            changed = _mode(name, MODES[str(value)])
        elif name in ("exposure.mode", "white_balance", "focus.mode"):
            raise Refusal(f"over ONVIF it can be automatic or manual, not {value}")
        else:
            raise Refusal(f"it cannot set {name.replace('_', ' ')} over ONVIF")
        await self._service.SetImagingSettings({**self._token, "ImagingSettings": changed, "ForcePersistence": False})

    def _number(self, now: Any, name: str, share: float) -> dict[str, Any]:
        theirs = NUMBERS[name]
        ends = self._range(theirs)
        if ends is None:
            raise Refusal(f"it has no {name} that can be set over ONVIF")
        exposure = now.Exposure
        if getattr(exposure, "Mode", None) != "MANUAL":
            raise Refusal("its exposure is automatic: make it manual first")
        kept = {other: getattr(exposure, other, None) for other in NUMBERS.values()}
        kept[theirs] = value_of(name, share, *ends)
        return {"Exposure": {"Mode": "MANUAL", **{k: v for k, v in kept.items() if v is not None}}}

    def _range(self, theirs: str) -> tuple[float, float] | None:
        return _ends(getattr(getattr(self._options, "Exposure", None), theirs, None))


def _mode(name: str, mode: str) -> dict[str, Any]:
    if name == "exposure.mode":
        return {"Exposure": {"Mode": mode}}
    if name == "white_balance":
        return {"WhiteBalance": {"Mode": mode}}
    return {"Focus": {"AutoFocusMode": mode}}


def _ends(found: Any) -> tuple[float, float] | None:
    """Min and Max of a range that has both, the larger one last."""
    low, high = getattr(found, "Min", None), getattr(found, "Max", None)
    if low is None or high is None or not (math.isfinite(low) and math.isfinite(high)) or low >= high:
        return None
    return float(low), float(high)


def share_of(name: str, value: float, low: float, high: float) -> float:
    """A value in the camera's unit as a share of its range: how open, how much gain, how fast, how far."""
    if name == "shutter" and low > 0:
        share = 1 - math.log(max(low, min(high, value)) / low) / math.log(high / low)
    else:
        share = (value - low) / (high - low)
    share = min(1.0, max(0.0, share)) if math.isfinite(share) else 0.0
    return 1 - share if name == "iris" and high > 0 else share


def value_of(name: str, share: float, low: float, high: float) -> float:
    """The other way round."""
    share = min(1.0, max(0.0, share))
    share = 1 - share if name == "iris" and high > 0 else share
    if name == "shutter" and low > 0:
        return float(low * (high / low) ** (1 - share))
    return low + share * (high - low)
