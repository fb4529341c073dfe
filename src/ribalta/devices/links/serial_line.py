"""One serial line, through pyserial; it is opened again when the adapter was pulled out."""

import serial

from ribalta.core.base.back_off import BackOff
from ribalta.devices.links.link import NEVER_S

LONGEST = 4096


class SerialLink:
    """See `link.Link`. 8 data bits, no parity, 1 stop bit, as VISCA has it."""

    opening = False

    def __init__(self, line: str, baud_rate: int) -> None:
        self._line, self._baud_rate = line, baud_rate
        self._port: serial.Serial | None = None
        self._back_off = BackOff()
        self._broken = False
        self.trouble: str | None = None

    def fileno(self) -> int:
        """See `Link`."""
        return self._port.fileno() if self._port is not None else -1

    def tend(self, now_s: float) -> None:
        """See `Link`."""
        if self._broken:
            self.close()
            self.trouble = f"the serial line {self._line} broke: is its adapter plugged in?"
            self._back_off.failed(now_s)
        if self._port is None and now_s >= self._back_off.due_s:
            try:
                self._port = serial.Serial(self._line, self._baud_rate, timeout=0, write_timeout=0, exclusive=True)
            except (OSError, ValueError) as error:
                said = getattr(error, "strerror", None) or str(error).split(":", maxsplit=1)[-1].strip()
                self.trouble = f"the serial line {self._line or '(none typed)'} cannot be opened ({said})"
                self._back_off.failed(now_s)
            else:
                self.trouble = None
                self._back_off.worked()

    def next_deadline_s(self) -> float:
        """See `Link`."""
        if self._broken:
            return -NEVER_S
        return NEVER_S if self._port is not None else self._back_off.due_s

    def send(self, data: bytes) -> None:
        """See `Link`."""
        if self._port is not None:
            try:
                self._port.write(data)
            except OSError:
                self._broken = True

    def receive(self) -> list[bytes]:
        """See `Link`."""
        if self._port is None:
            return []
        try:
            data = self._port.read(LONGEST)
        except OSError:
            self._broken = True
            return []
        return [data] if data else []

    def close(self) -> None:
        """See `Link`."""
        self._broken = False
        if self._port is not None:
            self._port.close()
            self._port = None

    def wait(self) -> None:
        """It has no thread."""
