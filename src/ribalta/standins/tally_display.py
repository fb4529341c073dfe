"""A display of names and tally lamps, as a receiver of TSL UMD 3.1 and 5.0; it shares no code with who sends.

`ribalta tally-display` shows it in a window.
"""

import socket
from dataclasses import dataclass

from ribalta.workers.crew import Crew


@dataclass(frozen=True)
class Shown:
    """What stands on a display, and its lamps: "red", "green", "amber" or "" each."""

    text: str
    left: str
    right: str


COLOURS = ("", "red", "green", "amber")


def understood(packet: bytes) -> dict[int, Shown]:
    """The displays of a packet by index; empty for what is neither version."""
    if len(packet) == 18 and packet[0] & 0x80 and not packet[1] & 0x80:
        lamps = packet[1]
        text = packet[2:].decode("ascii", "replace").rstrip()
        return {packet[0] - 0x80: Shown(text, "red" if lamps & 1 else "", "green" if lamps & 2 else "")}
    if len(packet) < 6 or int.from_bytes(packet[0:2], "little") != len(packet) - 2 or packet[2] != 0:
        return {}
    coding = "utf-16-le" if packet[3] & 1 else "ascii"
    found: dict[int, Shown] = {}
    at = 6
    while at + 6 <= len(packet):
        index, control, length = (int.from_bytes(packet[at + k : at + k + 2], "little") for k in (0, 2, 4))
        letters = packet[at + 6 : at + 6 + length]
        if len(letters) < length:
            break
        found[index] = Shown(letters.decode(coding, "replace"), COLOURS[control >> 4 & 3], COLOURS[control & 3])
        at += 6 + length
    return found


class TallyDisplay:
    """Listens until it is closed; `shown` is what it shows now."""

    def __init__(self, host: str, port: int) -> None:
        self.shown: dict[int, Shown] = {}
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.bind((host, port))
        self._socket.settimeout(0.2)
        self.port = self._socket.getsockname()[1]
        self._stopping = False
        self._thread = Crew().worker("tally display", self._run)
        self._thread.start()

    def close(self) -> None:
        self._stopping = True
        self._thread.join()
        self._socket.close()

    def _run(self) -> None:
        while not self._stopping:
            try:
                packet = self._socket.recv(4096)
            except TimeoutError:
                continue
            self.shown = {**self.shown, **understood(packet)}


def show(host: str, port: int) -> int:
    """A window with all displays, until it is closed."""
    from PySide6.QtCore import Qt, QTimer
    from PySide6.QtWidgets import QApplication, QLabel

    app = QApplication([])
    display = TallyDisplay(host, port)
    label = QLabel("Nothing has come yet.")
    label.setTextFormat(Qt.TextFormat.RichText)
    label.setMargin(24)
    label.setMinimumSize(420, 220)
    label.setStyleSheet("background: #101418; color: #e8eef4; font-size: 22px")
    label.setWindowTitle(f"Tally display, UDP {display.port}")

    def refresh() -> None:
        rows = [
            f"<tr><td>{'● on air' if s.left else ''}</td><td width=260>{index}&nbsp; {s.text}</td>"
            f"<td>{'next ●' if s.right else ''}</td></tr>"
            for index, s in sorted(display.shown.items())
        ]
        if rows:
            label.setText(f"<table cellpadding=4>{''.join(rows)}</table>")

    timer = QTimer()
    timer.timeout.connect(refresh)
    timer.start(100)
    label.show()
    code = app.exec()
    display.close()
    return code
