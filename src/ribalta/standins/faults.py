"""What can be made to go wrong with a stand-in camera while it runs. Only its control port changes these."""

import random
from dataclasses import dataclass, fields, replace
from typing import Any

REORDERED_BY_S = (0.03, 0.15)
RESENT_AFTER_S = 0.2
SERVICES = ("visca-ip", "visca-udp", "visca-tcp", "visca-serial", "onvif", "picture")


@dataclass(frozen=True)
class Faults:
    """Percentages are 0..100, times in milliseconds. `closed` names services that are switched off.

    Over ONVIF: `no_login`, anybody may ask; `clock_needs_login`, even for the time; `bad_status`, what its status call
    answers ("fault" or "malformed").
    """

    silence: bool = False
    closed: tuple[str, ...] = ()
    loss_percent: float = 0.0
    reorder_percent: float = 0.0
    delay_ms: float = 0.0
    jitter_ms: float = 0.0
    refuse_login: bool = False
    no_login: bool = False
    clock_needs_login: bool = False
    bad_status: str = ""
    stuck: str = ""
    no_position: bool = False
    standby: bool = False
    bump_pan_deg: float = 0.0
    bump_tilt_deg: float = 0.0
    bump_roll_deg: float = 0.0
    frozen: bool = False
    black: bool = False

    def way_s(self, rng: random.Random, usual_s: tuple[float, float], ordered: bool, resent: bool) -> float | None:
        """Seconds that one message is on its way, there or back; None when it never arrives.

        `usual_s` is there and back. `ordered`: nothing is lost or overtaken; `resent`: what is lost is sent again.
        """
        lost = rng.random() * 100 < self.loss_percent
        if self.silence or (lost and not ordered):
            return None
        way_s = rng.uniform(*usual_s) / 2 + (self.delay_ms + rng.random() * self.jitter_ms) / 2000
        if not ordered and rng.random() * 100 < self.reorder_percent:
            way_s += rng.uniform(*REORDERED_BY_S)
        return way_s + RESENT_AFTER_S * (lost and resent)

    def changed(self, changes: dict[str, Any]) -> "Faults":
        """These faults with some of them changed. Raises ValueError for one that there is not, or a wrong value."""
        kinds = {f.name: type(f.default) for f in fields(self)}
        checked: dict[str, Any] = {}
        for name, value in changes.items():
            if name not in kinds:
                raise ValueError(f"there is no fault called {name}: {', '.join(kinds)}")
            if kinds[name] is tuple:
                if not isinstance(value, list) or not set(value) <= set(SERVICES):
                    raise ValueError(f"{name} is a list of some of {', '.join(SERVICES)}")
                checked[name] = tuple(value)
            elif kinds[name] is float and isinstance(value, int | float) and not isinstance(value, bool):
                checked[name] = float(value)
            elif isinstance(value, kinds[name]):
                checked[name] = value
            else:
                raise ValueError(f"{name} is a {kinds[name].__name__}, not {value!r}")
        if checked.get("stuck", "") not in ("", "pan", "tilt", "zoom"):
            raise ValueError("stuck is pan, tilt, zoom or nothing")
        if checked.get("bad_status", "") not in ("", "fault", "malformed"):
            raise ValueError("bad_status is fault, malformed or nothing")
        return replace(self, **checked)
