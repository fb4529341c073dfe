"""MIDI through mido and python-rtmidi: ports that come and go, notes in, notes and lights out.

Where the machine has no MIDI it says so, and everything else works.
"""

import contextlib
import threading
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from importlib.util import find_spec
from pathlib import Path
from typing import Any, Protocol, TypeVar

import mido

from ribalta.core.show.automation.faders import Coding
from ribalta.remote.incoming import Incoming

SEQUENCER = Path("/dev/snd/seq")  # without it, the backend complains aloud each time it is asked
BACKEND = find_spec("rtmidi") is not None
NO_BACKEND = "There is no MIDI with this version of Python: it needs 3.11 or 3.12. Everything else works."
T = TypeVar("T")
BEND_MIDDLE = 8192
PRESSED = 64  # of 0 to 127, for a controller that is used as a button


class NoBackend(OSError):
    """The library that speaks MIDI is not there."""


class Ports(Protocol):
    """The MIDI ports of a machine. Raises OSError where there is no MIDI, or a port cannot be opened."""

    def inputs(self) -> Sequence[str]: ...
    def outputs(self) -> Sequence[str]: ...
    def open_input(self, name: str, heard: Callable[[Any], None]) -> Any: ...
    def open_output(self, name: str) -> Any: ...


class MachinePorts:
    """Through ALSA. Errors of the backend, which have no common base, become OSError."""

    def inputs(self) -> Sequence[str]:
        return _tried(lambda: [str(name) for name in mido.get_input_names()])

    def outputs(self) -> Sequence[str]:
        return _tried(lambda: [str(name) for name in mido.get_output_names()])

    def open_input(self, name: str, heard: Callable[[Any], None]) -> Any:
        return _tried(lambda: mido.open_input(name, callback=heard))

    def open_output(self, name: str) -> Any:
        return _tried(lambda: mido.open_output(name))


def _tried(work: Callable[[], T]) -> T:
    if not BACKEND:
        raise NoBackend(NO_BACKEND)
    if not SEQUENCER.exists():
        raise OSError("there is no MIDI on this machine")
    try:
        return work()
    except OSError:
        raise
    except Exception as error:
        raise OSError(str(error)) from None


def told_apart(names: Sequence[str]) -> Mapping[str, str]:
    """Port names as they are shown, to the machine's own: two of the same name are numbered."""
    total, seen, found = Counter(names), Counter[str](), {}
    for name in names:
        seen[name] += 1
        found[name if total[name] == 1 else f"{name} ({seen[name]})"] = name
    return found


def number_of(message: Any) -> tuple[str, int] | None:
    """(control, number) of a controller, 0 to 127, or of pitch bend, 0 to 16383; None for what has no such number."""
    if message.type == "control_change":
        return f"midi control {message.channel + 1} {message.control}", int(message.value)
    if message.type == "pitchwheel":
        return f"midi bend {message.channel + 1}", int(message.pitch) + BEND_MIDDLE
    return None


def control_of(message: Any) -> tuple[str, bool | None, str] | None:
    """(control, pressed, line) of a MIDI message; None for what is neither a note, a controller nor a program."""
    kind = message.type
    if kind in ("note_on", "note_off"):
        control = f"midi note {message.channel + 1} {message.note}"
        return control, kind == "note_on" and message.velocity > 0, f"{control} {message.velocity}"
    if kind == "control_change":
        control = f"midi control {message.channel + 1} {message.control}"
        return control, message.value >= PRESSED, f"{control} {message.value}"
    if kind == "program_change":
        control = f"midi program {message.channel + 1} {message.program}"
        return control, None, control
    return None


class Midi:
    """`follow` opens what is wanted and there; `trouble` says what is wrong, or nothing."""

    def __init__(self, ports: Ports, incoming: Incoming) -> None:
        self._ports, self._incoming = ports, incoming
        self._inputs: dict[str, Any] = {}
        self._outputs: dict[str, Any] = {}
        self._lit: dict[tuple[str, int, int], int] = {}
        self._held: dict[str, set[str]] = {}
        self._lock = threading.Lock()
        self.trouble = ""
        self.names: tuple[tuple[str, ...], tuple[str, ...]] = ((), ())

    def follow(self, wanted: Sequence[str]) -> None:
        """Open the inputs that are wanted (all, if none is named) and close those that are gone."""
        try:
            there, out = told_apart(self._ports.inputs()), told_apart(self._ports.outputs())
            self.trouble = "" if there or out else "No MIDI device is connected."
        except OSError as error:
            there, out = {}, {}
            self.trouble = (
                NO_BACKEND if isinstance(error, NoBackend) else "This machine has no MIDI. Everything else works."
            )
        self.names = tuple(there), tuple(out)
        chosen = {shown: name for shown, name in there.items() if not wanted or shown in wanted}
        for shown in [s for s in self._inputs if s not in chosen]:
            self._close(shown)
        for shown, name in chosen.items():
            if shown not in self._inputs:
                try:
                    self._incoming.faders.gone(shown)  # before anything comes from it
                    self._inputs[shown] = self._ports.open_input(name, self._hearing(shown))
                except OSError as error:
                    self.trouble = f"MIDI “{shown}” cannot be opened: {error}."
        for shown in [s for s in self._outputs if s not in out]:
            with contextlib.suppress(Exception):
                self._outputs.pop(shown).close()
            self._lit = {key: v for key, v in self._lit.items() if key[0] != shown}

    def _close(self, shown: str) -> None:
        """A device that is gone holds nothing down any more."""
        with contextlib.suppress(Exception):
            self._inputs.pop(shown).close()
        self._incoming.faders.gone(shown)
        for control in self._held.pop(shown, ()):
            self._incoming.came(f"{control} 0", shown, control, False)

    def _hearing(self, shown: str) -> Callable[[Any], None]:
        def heard(message: Any) -> None:
            self.hear(shown, message)

        return heard

    def hear(self, shown: str, message: Any) -> None:
        """On the backend's thread."""
        number = number_of(message)
        if number is not None and self._incoming.faders.moved(shown, *number):
            return
        found = control_of(message)
        if found is None or self._incoming.full():
            return
        control, down, line = found
        held = self._held.setdefault(shown, set())
        if control.startswith("midi control") and down is not None and down == (control in held):
            self._incoming.value(line, shown)  # it moves, but not across the middle
            return
        if down is not None:
            (held.add if down else held.discard)(control)
        self._incoming.came(line, shown, control, down)

    def send(self, name: str, midi: str, channel: int, number: int, value: int) -> None:
        """Raises OSError when that port is not there."""
        if midi == "note":
            kind = "note_on" if value else "note_off"
            message = mido.Message(kind, channel=channel - 1, note=number, velocity=value)
        elif midi == "control":
            message = mido.Message("control_change", channel=channel - 1, control=number, value=value)
        else:
            message = mido.Message("program_change", channel=channel - 1, program=number)
        self._output(name).send(message)

    def show_value(self, name: str, control: str, coding: Coding, raw: int) -> None:
        """A value for a fader or knob, so that it moves or its ring shows it; on all outputs if none is named. One that
        is not there is passed over."""
        _, kind, *rest = control.split()
        channel, messages = int(rest[0]) - 1, list[Any]()
        if kind == "bend":
            messages.append(mido.Message("pitchwheel", channel=channel, pitch=raw - BEND_MIDDLE))
        elif coding is Coding.BITS_14:
            number = int(rest[1])
            for controller, half in ((number, raw >> 7), (number + 32, raw & 127)):
                messages.append(mido.Message("control_change", channel=channel, control=controller, value=half))
        else:
            messages.append(mido.Message("control_change", channel=channel, control=int(rest[1]), value=raw))
        for each in (name,) if name else self.names[1]:
            with contextlib.suppress(OSError, ValueError):
                for message in messages:
                    self._output(each).send(message)

    def light(self, name: str, channel: int, values: Mapping[int, int]) -> None:
        """Lights of a controller; only what changes is sent. One that is not there is passed over."""
        for note, value in values.items():
            key = (name, channel, note)
            if self._lit.get(key) == value:
                continue
            try:
                self._output(name).send(mido.Message("note_on", channel=channel - 1, note=note, velocity=value))
                self._lit[key] = value
            except (OSError, ValueError):
                return

    def _output(self, name: str) -> Any:
        with self._lock:
            if name not in self._outputs:
                real = told_apart(self._ports.outputs()).get(name)
                if real is None:
                    raise OSError(f"there is no MIDI port “{name}” here")
                self._outputs[name] = self._ports.open_output(real)
            return self._outputs[name]

    def close(self) -> None:
        for shown in list(self._inputs):
            self._close(shown)
        for port in self._outputs.values():
            with contextlib.suppress(Exception):
                port.close()
        self._outputs.clear()
