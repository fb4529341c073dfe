"""One stand-in camera's insides, which all of its services share: its head, its registers, its faults."""

from dataclasses import dataclass, field

from ribalta.standins.faults import Faults
from ribalta.standins.head import Head

ON, STANDBY = 2, 3
MANUAL_EXPOSURE = 3


@dataclass
class Register:
    """One value of the camera's own settings, and what it may be."""

    value: int
    allowed: range | tuple[int, ...]
    wide: bool = False  # four nibbles instead of one byte
    needs_manual: bool = False


def _registers() -> dict[int, Register]:
    return {
        0x00: Register(ON, (ON, STANDBY)),
        0x38: Register(2, (2, 3)),
        0x48: Register(0x4000, range(0x1000, 0xF001), wide=True),
        0x39: Register(0, (0, 3, 0x0A, 0x0B)),
        0x4B: Register(11, range(18), wide=True, needs_manual=True),
        0x4C: Register(3, range(16), wide=True, needs_manual=True),
        0x4A: Register(8, range(22), wide=True, needs_manual=True),
        0x35: Register(0, (0, 1, 2, 3, 5)),
        0x66: Register(3, (2, 3)),
    }


@dataclass
class Body:
    head: Head
    faults: Faults = field(default_factory=Faults)
    registers: dict[int, Register] = field(default_factory=_registers)
    tally: int = 3

    @property
    def awake(self) -> bool:
        return self.registers[0x00].value == ON and not self.faults.standby

    def power(self) -> int:
        return ON if self.awake else STANDBY

    def switch(self, value: int) -> None:
        """Being switched on by its user also ends the fault."""
        self.registers[0x00].value = value
        if value == ON and self.faults.standby:
            self.faults = self.faults.changed({"standby": False})

    def allows(self, register: Register) -> bool:
        return not register.needs_manual or self.registers[0x39].value == MANUAL_EXPOSURE

    def set_faults(self, faults: Faults) -> None:
        self.faults = faults
        self.head.stuck = faults.stuck
