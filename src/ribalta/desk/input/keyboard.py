"""From a key press to an action, by the catalogue's default keys."""

from PySide6.QtCore import QKeyCombination, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.show.document.model import LETTERS

PREFIXES = {"": "", "Shift+": "", "Alt+": "", "Ctrl+Shift+": ", even on air, in the set time"}

LAYERS = "an inset (1 … 4), the key (5), a title (6 … 8)"

HANDS = {
    "Ctrl+Alt+1 … 8": "The same with the next take",
    "click, drag, wheel": "Centre, steer and zoom, on the picture of Next",
    "Shift and drag": "Fill the frame with a box",
    "Ctrl and any of these": "The same for the camera on air, slowly",
    "right click, long press": "On a framing: put it under Then; store over it",
}


def key_name(event: QKeyEvent) -> str:
    """The key as the catalogue writes it: "Space", "Shift+E", "Ctrl+Left", "+", "Num+3" on the number pad."""
    digits = Qt.Key.Key_0 <= event.key() <= Qt.Key.Key_9
    if digits and event.modifiers() == Qt.KeyboardModifier.KeypadModifier:
        return f"Num+{event.key() - Qt.Key.Key_0}"
    modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
    key = Qt.Key(event.key())
    if key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal, Qt.Key.Key_Backtab):
        modifiers &= ~Qt.KeyboardModifier.ShiftModifier
    return QKeySequence(QKeyCombination(modifiers, key)).toString(QKeySequence.SequenceFormat.PortableText)


def help_rows() -> list[tuple[str, str]]:
    """(keys, what they do) for the key page: the catalogue's rows, then what hands do."""
    rows = []
    for action in CATALOGUE.rows:
        keys = list(action.keys)
        if not keys:
            continue
        by_letter = [k for k in keys if k[-1] in LETTERS and k[:-1] in PREFIXES]
        for prefix, meaning in PREFIXES.items():
            if prefix + LETTERS[0] in by_letter:
                rows.append((f"{prefix}Q … G", action.sentence.replace("{letter}", "Q … G") + meaning))
        if keys[0][-1] == "1" and len(keys) > 1:
            first = keys[0][:-1]
            last = max(key[-1] for key in keys if key[:-1] == first)
            sentence = action.sentence.replace("{camera}", f"1 … {last}").replace("{slot}", LAYERS)
            sentence = sentence.replace("{number}", f"1 … {last}")
            rows.append((f"{keys[0]} … {last}", sentence))
        elif not by_letter:
            fine = any(not k.startswith("Ctrl+") for k in keys)  # else Ctrl is no finer way of the same
            plain = [k for k in keys if not (fine and k.startswith("Ctrl+"))]
            rows.append(("  ".join(plain), action.sentence))
            if len(plain) < len(keys):
                rows.append(("Ctrl with these", action.sentence + ", finely"))
    return rows + list(HANDS.items())
