"""Sets of shortcuts to begin with, for a keyboard, a gamepad and a board of 32 pads; applied whole or in part."""

from dataclasses import dataclass

from ribalta.core.engine.controls import Shortcuts
from ribalta.core.show.automation.calls import LETTERS, Call
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Shortcut


def _on(control: str, action: str, how: How = How.PRESS, layer: str = "", **arguments: str | int | bool) -> Shortcut:
    return Shortcut(control=control, how=how, layer=layer, call=Call(action=action, arguments=dict(arguments)))


KEYBOARD = (
    *(_on(f"key Ctrl+Alt+{x}", "scene.ready", scene=k) for k, x in enumerate(LETTERS, 1)),
    _on("key J", "slide", by=-1),
    _on("key ;", "slide", by=1),
    _on("key Shift+M", "record.chapter"),
    _on("key Ctrl+F12", "layer.latch", layer="Rehearsal"),
    _on("key Space", "ready.camera", layer="Rehearsal", camera=1),
)
GAMEPAD = (
    _on("gamepad a", "take"),
    _on("gamepad b", "take.transition"),
    _on("gamepad x", "unready"),
    _on("gamepad y", "cover"),
    _on("gamepad up", "board.page", by=-1),
    _on("gamepad down", "board.page", by=1),
    _on("gamepad left", "slide", by=-1),
    _on("gamepad right", "slide", by=1),
    _on("gamepad start", "macro.continue"),
    _on("gamepad back", "take.release"),
    _on("gamepad back", "black", How.LONG),
)


@dataclass(frozen=True, slots=True)
class StarterSet:
    """Shortcuts to begin with, or a page of pads."""

    name: str
    words: str
    shortcuts: tuple[Shortcut, ...] = ()
    page: bool = False


SETS = (
    StarterSet("Keyboard", "Scenes in one press with Ctrl+Alt, slides under J and ;, chapters with Shift+M", KEYBOARD),
    StarterSet("Gamepad", "Takes on the four buttons, pages and slides on the cross", GAMEPAD),
    StarterSet("32 pads", "A page of 8 by 4: the board's first framings, takes and bad moments", page=True),
)


def replaced(known: Shortcuts, new: Shortcut) -> Call | None:
    """What a shortcut would take the place of, on the same control, layer and way of working it."""
    return known.on(new.control, (new.layer,) if new.layer else ()).get(new.how)
