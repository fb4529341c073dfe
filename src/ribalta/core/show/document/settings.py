"""What can be set on a camera besides its aim: one list, from which drivers, actions and the desk take their words.

Values are numbers on the device's own scale (documented by the protocol) or one of a few words. A driver names those
that its protocol knows; a profile names those that a model has.
"""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Setting:
    """`choices` empty means a number from `low` to `high`; `fine` and `coarse` are the steps of a press."""

    id: str
    label: str
    choices: tuple[str, ...] = ()
    low: int = 0
    high: int = 0
    fine: int = 1
    coarse: int = 1
    copied: bool = True

    def checked(self, value: str | int) -> str | int:
        """The value, if it can be. Raises ValueError with what can."""
        if self.choices:
            if value not in self.choices:
                raise ValueError(f"{self.label.lower()} can be {', '.join(self.choices)}, not {value}")
            return value
        if not isinstance(value, int) or not self.low <= value <= self.high:
            raise ValueError(f"{self.label.lower()} {value} is outside {self.low} to {self.high}")
        return value


AUTO_MANUAL = ("automatic", "manual")

SETTINGS = (
    Setting("power", "Power", ("on", "standby"), copied=False),
    Setting("mount", "Picture", ("upright", "turned"), copied=False),
    Setting("focus.mode", "Focus", AUTO_MANUAL),
    Setting("focus", "Focus position", low=0x1000, high=0xF000, fine=0x40, coarse=0x400),
    Setting("exposure.mode", "Exposure", AUTO_MANUAL),
    Setting("iris", "Iris", low=0, high=17, coarse=3),
    Setting("gain", "Gain", low=0, high=15, coarse=3),
    Setting("shutter", "Shutter", low=0, high=21, coarse=3),
    Setting("white_balance", "White balance", ("automatic", "indoor", "outdoor", "one push", "manual")),
    Setting("tally", "Tally lamp", ("off", "lit"), copied=False),
)
BY_ID = {setting.id: setting for setting in SETTINGS}
