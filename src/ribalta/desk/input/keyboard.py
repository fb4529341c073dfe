"""What a key is called: by its place on the keyboard, or by what is written on it."""

from PySide6.QtCore import QKeyCombination, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence

from ribalta.core.show.document.model import LETTERS

# Where keys are, whatever a layout writes on them: the codes that X11 and Wayland give (the kernel's and 8).
PLACES = {49: "`", 34: "[", 35: "]"} | {10 + k: digit for k, digit in enumerate("1234567890")}
for _first, _row in ((24, "QWERTYUIOP"), (38, "ASDFGHJKL"), (52, "ZXCVBNM")):
    PLACES |= {_first + k: letter for k, letter in enumerate(_row)}
WITH_CODES = ("xcb", "wayland")
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def key_name(event: QKeyEvent) -> str:
    """The key as the catalogue writes it: "Space", "Shift+E", "Ctrl+Left", "+", "Num+3" on the number pad.

    Numbers and letters are found by their place on the keyboard, so that they lie as they are drawn on every layout;
    with Ctrl by what is written on them (Ctrl+Z is where its Z is), but for the letters of framings.
    """
    modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
    digits = Qt.Key.Key_0 <= event.key() <= Qt.Key.Key_9
    if digits and event.modifiers() == Qt.KeyboardModifier.KeypadModifier:
        return f"Num+{event.key() - Qt.Key.Key_0}"
    place = _place(event) if event.modifiers() == modifiers else ""
    if place:
        return _with(modifiers, place)
    key = event.key()
    if key == Qt.Key.Key_AsciiTilde and modifiers & SHIFT:
        key = Qt.Key.Key_QuoteLeft
    if key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Equal, Qt.Key.Key_Backtab):
        modifiers &= ~SHIFT
    return QKeySequence(QKeyCombination(modifiers, Qt.Key(key))).toString(QKeySequence.SequenceFormat.PortableText)


def written_on(event: QKeyEvent) -> tuple[str, str] | None:
    """A key by its place, and what is written on it; None for keys without a place, or with a modifier."""
    place = PLACES.get(event.nativeScanCode(), "") if QGuiApplication.platformName() in WITH_CODES else ""
    sign = event.text().upper()
    plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
    return (place, sign) if place and plain and len(sign) == 1 and sign.isprintable() else None


def _place(event: QKeyEvent) -> str:
    """What the key is called after its place; empty when what is written on it counts."""
    place = PLACES.get(event.nativeScanCode(), "") if QGuiApplication.platformName() in WITH_CODES else ""
    if not place.isalpha() or not event.modifiers() & CTRL or not 32 < event.key() < 127:
        return place
    framings = event.modifiers() == CTRL | SHIFT and place in LETTERS
    return place if framings else ""


def _with(modifiers: Qt.KeyboardModifier, name: str) -> str:
    words = {"Ctrl": CTRL, "Alt": Qt.KeyboardModifier.AltModifier, "Shift": SHIFT}
    return "+".join([*(word for word, one in words.items() if modifiers & one), name])
