"""What working a control comes to: a key, a button, a note or a message, however it arrives.

A controller's notes press the pads of its page. The desk's own shortcuts lie over those and over the catalogue's
default keys, and the show's over all of them; the uppermost layer in force lies on top. A press runs at once, unless
the same control also has a long or a double press: then it waits until it is clear which was meant.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By, Cause
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Page, Shortcut

BY = {"key": By.KEY, "gamepad": By.GAMEPAD, "midi": By.MIDI, "osc": By.OSC}
Run = Callable[[Call, Cause], None]
Found = Mapping[How, Call | None]


def on_surface(page: Page) -> Iterator[Shortcut]:
    """What the notes of a page's controller do: they press its pads."""
    if page.surface is None:
        return
    for pad in page.pads:
        note = page.surface.note(pad.at, page.columns)
        if note is None:
            continue
        control, arguments = f"midi note {page.surface.channel} {note}", {"pads": page.id, "at": pad.at}
        if pad.call is not None:
            yield Shortcut(control=control, call=Call(action="pad.press", arguments=dict(arguments)))
        if pad.long_call is not None:
            long = Call(action="pad.press", arguments={**arguments, "long": True})
            yield Shortcut(control=control, how=How.LONG, call=long)


class Shortcuts:
    """Every shortcut by its control and layer, for one show and one desk; found at once, however many there are."""

    def __init__(
        self,
        show: tuple[Shortcut, ...],
        desk: tuple[Shortcut, ...],
        pages: tuple[Page, ...] = (),
        catalogue: Catalogue = CATALOGUE,
    ) -> None:
        self.source = show, desk, pages
        self._found: dict[tuple[str, str], dict[How, Call | None]] = {}
        self._given = frozenset(shortcut.control for shortcut in (*desk, *show))
        for key, (row, arguments) in catalogue.keys.items():
            call = Call(action=row.id, arguments=dict(arguments))
            self._found[f"key {key}", ""] = {How.PRESS: call}
        for shortcut in (*(s for page in pages for s in on_surface(page)), *desk, *show):
            self._found.setdefault((shortcut.control, shortcut.layer), {})[shortcut.how] = shortcut.call

    def on(self, control: str, layers: tuple[str, ...]) -> Found:
        """What a control does with these layers in force: of each way of working it, the uppermost."""
        found: dict[How, Call | None] = {}
        for layer in ("", *layers):
            found.update(self._found.get((control, layer), {}))
        return found

    def is_given(self, control: str) -> bool:
        """Has a person put something on it, in whatever layer? Else it is a default key, or nothing."""
        return control in self._given

    def controls(self) -> Iterator[tuple[str, str, How, Call | None]]:
        """(control, layer, how, call) of all, the default keys among them."""
        for (control, layer), hows in self._found.items():
            for how, call in hows.items():
                yield control, layer, how, call


@dataclass
class _Down:
    """A control that is held down, or was let go so lately that a second press may follow."""

    found: Found
    since_s: float
    long_at_s: float = NEVER_S
    double_until_s: float = NEVER_S
    up: bool = False
    done: bool = False
    let_go: Call | None = None


class Controls:
    """Owned by the engine's owner: `down` and `up` are told with the time, and `advance` when `next_deadline_s` has
    come. What is to run is handed to `run`."""

    def __init__(self, state: Callable[[], LiveState], run: Run, catalogue: Catalogue = CATALOGUE) -> None:
        self._state, self._run_call, self._catalogue = state, run, catalogue
        self._shortcuts: Shortcuts | None = None
        self._down: dict[str, _Down] = {}

    @property
    def shortcuts(self) -> Shortcuts:
        """What every control does now: made anew when show, desk or pads have changed."""
        state = self._state()
        source = state.show.shortcuts, state.desk.shortcuts, state.show.pages
        made = self._shortcuts
        if made is None or any(old is not new for old, new in zip(made.source, source, strict=True)):
            made = self._shortcuts = Shortcuts(*source, self._catalogue)
        return made

    def down(self, control: str, now_s: float) -> bool:
        """It was pressed. False when it does nothing at all here."""
        self.advance(now_s)
        before = self._down.get(control)
        if before is not None and not before.up:
            return True  # it is held: a keyboard repeats itself
        if before is not None and now_s <= before.double_until_s:
            del self._down[control]
            self._down[control] = _Down(before.found, now_s, up=False, done=True)
            self._run(control, before.found, How.DOUBLE)
            return True
        found = self.shortcuts.on(control, self._state().automation.layers)
        if not found:
            return False
        times = self._state().show.times
        held = self._down[control] = _Down(found, now_s)
        if How.LONG in found:
            held.long_at_s = now_s + times.long_s
        if How.LONG not in found and How.DOUBLE not in found:
            self._press(control, held)
        return True

    def up(self, control: str, now_s: float) -> None:
        """A control is let go; a press that waits for a second one may then be done."""
        self.advance(now_s)
        held = self._down.get(control)
        if held is None or held.up:
            return
        held.up, held.long_at_s = True, NEVER_S
        if not held.done and How.DOUBLE in held.found:
            held.double_until_s = held.since_s + self._state().show.times.double_s
            if now_s < held.double_until_s:
                self._let_go(control, held)
                return
        if not held.done:
            self._press(control, held)
        self._let_go(control, held)
        del self._down[control]

    def lost(self, device: str, now_s: float) -> None:
        """A device is gone: what was held on it is let go, and nothing of it runs later."""
        for control in [c for c in self._down if c.startswith(f"{device} ")]:
            held = self._down.pop(control)
            if not held.up:
                held.done = True
                self._let_go(control, held, only_ends=True)

    def next_deadline_s(self) -> float:
        """When `advance` next has something to do, in clock time; infinite when nothing is held."""
        if not self._down:
            return NEVER_S
        return min(min(h.long_at_s, h.double_until_s if h.up else NEVER_S) for h in self._down.values())

    def advance(self, now_s: float) -> None:
        """Long presses that are long enough by now, and presses that no second one followed."""
        if self.next_deadline_s() > now_s:
            return
        for control, held in list(self._down.items()):
            if held.long_at_s <= now_s:
                held.long_at_s, held.done = NEVER_S, True
                self._run(control, held.found, How.LONG)
            elif held.up and held.double_until_s < now_s:
                del self._down[control]
                self._press(control, held)

    def _press(self, control: str, held: _Down) -> None:
        held.done = True
        self._run(control, held.found, How.PRESS)
        call = held.found.get(How.PRESS)
        row = self._catalogue.by_id.get(call.action) if call is not None else None
        if call is not None and row is not None and row.let_go is not None:
            held.let_go = call.model_copy(update={"arguments": {**call.arguments, **row.let_go}})
            if held.up:
                self._let_go(control, held)

    def _let_go(self, control: str, held: _Down, only_ends: bool = False) -> None:
        if held.let_go is not None:
            ends, held.let_go = held.let_go, None
            self._run_call(ends, _cause(control, How.RELEASE))
        if not only_ends:
            self._run(control, held.found, How.RELEASE)

    def _run(self, control: str, found: Found, how: How) -> None:
        call = found.get(how)
        if call is not None:
            self._run_call(call, _cause(control, how))


def _cause(control: str, how: How) -> Cause:
    device, _, name = control.partition(" ")
    return Cause(BY.get(device, By.GUEST), name if how is How.PRESS else f"{name} ({how})")
