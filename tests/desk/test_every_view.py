"""Every view at three sizes, in good and bad states: each text's contrast, size and room; the keys' ways; names."""

from itertools import combinations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLineEdit,
    QWidget,
)

from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession
from tests.desk.seen import BLIND, Text, contrast, ours, shown, texts

SIZES = ((1100, 700), (1280, 800), (1920, 1080))
CUE = ("Scenes", "Titles", "Media", "Transitions", "Sound", "Voices", "Outputs", "Macros", "Playlists", "Triggers",
       "Shortcuts", "Pads", "Messages", "Why")  # fmt: skip
FRAME = ("Aim", "Frame it for me", "Still true?", "Carry over")
RIG = ("Reach", "Check", "Measure", "Place", "Adjust")
PLACES = [("Air", ""), *(("Rig", p) for p in RIG), *(("Frame", p) for p in FRAME), *(("Cue", p) for p in CUE)]
SMALLEST = {"Air": 14, "": 12}
STATES = ("well", "lost", "empty")
FIRST = [("Air", ""), ("Rig", RIG[0]), ("Frame", FRAME[0]), ("Cue", CUE[0])]
LOOKS = (
    ("well", SIZES[0], PLACES),
    ("well", SIZES[1], FIRST),
    ("lost", SIZES[1], PLACES),
    ("empty", SIZES[1], FIRST),
    ("well", SIZES[2], FIRST),
)


def opened(state: str) -> Window:
    stored = load(SHIPPED)
    session = HandWoundSession(stored.show if state != "empty" else Show(title="Nothing yet"))
    session.file.pictures.update(stored.pictures)
    window = Window(session)
    hall = session.hall
    if state != "empty":
        hall.press("2", "W")
        hall.turn(6)
        hall.press("Space", "1", "A")
        hall.turn(0.3)
    if state == "lost":
        hall.contact("c1", False)
        hall.contact("c3", False)
        hall.press("F12")
        window.bridge.noticed.emit(Notice("Camera 3 does not answer on UDP 52381.", Severity.FAULT))
    return window


@pytest.fixture(scope="module")
def windows(app):
    made = {state: opened(state) for state in STATES}
    yield made
    for window in made.values():
        window.close()
        window.deleteLater()
    QApplication.processEvents()


def turned_to(window: Window, view: str, page: str, size: tuple[int, int]) -> QWidget:
    window.resize(*size)
    window.show()
    window.show_view(view)
    if view == "Cue":
        window.cue.show_page(page)
    elif view == "Frame":
        window.frame.show_page(page)
    elif view == "Rig" and window.bridge.state.show.cameras:
        window.rig.card.show_page(page)
    QApplication.processEvents()
    window.bridge.changed.emit()
    QApplication.processEvents()
    return window


def least(place: str, text) -> int:
    """On Air and on the strip all that must be read in the show is larger."""
    in_show = place == "Air" or type(text.widget).__module__ == "ribalta.desk.shell.strip"
    return SMALLEST["Air" if in_show else ""]


def bears(text) -> bool:
    """May it have less contrast: a button or field that is disabled, the letter of an empty place."""
    return not text.widget.isEnabled() or (
        len(text.words) == 1 and type(text.widget).__name__ in ("Board", "FramingList")
    )


@pytest.mark.parametrize(("state", "size", "places"), LOOKS)
def test_every_text_can_be_read_whole_and_lies_over_no_other(windows, state, size, places):
    wrong: set[str] = set()
    for view, page in places:
        window = turned_to(windows[state], view, page, size)
        there: dict[QWidget, list[Text]] = {}
        around = places.index((view, page)) in (0, len(places) - 1)  # the line above and the strip are the same in all
        for text in texts(window if around else window.view(view)):
            where = f"{view} {page} at {size}: {text}"
            if text.px < least(view, text):
                wrong.add(f"too small, {where}")
            if text.contrast < (3.0 if bears(text) else 4.5):
                wrong.add(f"too faint, {where}")
            if min(contrast(text.ink, text.ground, kind) for kind in BLIND) < (2.8 if bears(text) else 4.0):
                wrong.add(f"too faint without colour, {where}")
            if text.clipped and "…" not in text.words:
                wrong.add(f"cut, {where}")
            if ours(text.widget) and not isinstance(text.widget, QAbstractButton):
                there.setdefault(text.widget, []).append(text)
        for several in there.values():
            for one, other in combinations(several, 2):
                if one.words != other.words and one.core.intersects(other.core):
                    wrong.add(f"over each other, {view} {page} at {size}: {one} and {other}")
    assert not wrong, "\n".join(sorted(wrong)[:80]) + f"\n{len(wrong)} in all"


CONTROLS = (QAbstractButton, QLineEdit, QComboBox, QAbstractItemView, QAbstractSlider)


def test_every_control_is_reached_by_tab_and_says_what_it_is_painted_ones_too(windows):
    wrong = []
    for view, page in PLACES:
        window = turned_to(windows["well"], view, page, (1280, 800))
        chain, part = set(), window.nextInFocusChain()
        while part is not window and part not in chain:
            chain.add(part)
            part = part.nextInFocusChain()
        for widget in shown(window):
            painted = hasattr(widget, "accessible_parts")
            if not (isinstance(widget, CONTROLS) or painted) or not widget.isEnabled():
                continue
            if type(widget).__name__.startswith("QScroll") or widget.objectName().startswith("qt_"):
                continue
            where = (
                f"{view} {page}: {type(widget).__name__} {widget.accessibleName() or getattr(widget, 'text', str)()!r}"
            )
            tabbed = bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus)
            if isinstance(widget, CONTROLS) and (widget not in chain or not tabbed):
                wrong.append(f"not reached by Tab: {where}")
            said = QAccessible.queryAccessibleInterface(widget)
            if not said.text(QAccessible.Text.Name).strip():
                wrong.append(f"has no name: {where}")
            if painted:
                names = [said.child(k).text(QAccessible.Text.Name) for k in range(said.childCount())]
                wrong += [f"has a part without a name: {where}" for name in names if not name.strip()]
    window = turned_to(windows["well"], "Air", "", (1280, 800))
    board = QAccessible.queryAccessibleInterface(window.air.board)
    names, values = QAccessible.Text.Name, QAccessible.Text.Value
    parts = [board.child(k) for k in range(board.childCount())]
    said = {part.text(names): part.text(values) for part in parts}
    assert said["2 Centre"].startswith("ON AIR")
    assert said["1 A Adeyo close"].startswith("NEXT")
    assert not wrong, "\n".join(sorted(set(wrong))[:60]) + f"\n{len(set(wrong))} in all"
