"""Every view at three sizes, in good and bad states: each text's contrast, size and room; the keys' ways; names."""

from itertools import combinations

import numpy as np
import pytest
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QAccessible, QImage, QPainter
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLineEdit,
    QWidget,
)

from ribalta.core.ports.crew import Ending, EndingStep, EveningEnd
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.shots import LandingState
from ribalta.core.readiness.check import check_lines
from ribalta.core.readiness.lines import Looked, Progress
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from ribalta.desk.painting import look
from ribalta.desk.widgets.footlights import Footlights, Tally, paint, paint_words
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession
from tests.desk.seen import BLIND, Text, contrast, ours, shown, texts

SIZES = ((1100, 700), (1280, 800), (1920, 1080))
CUE = ("Scenes", "Titles", "Media", "Transitions", "Microphones", "Voices", "Macros", "Playlists", "Triggers",
       "Shortcuts", "Pads", "Faders")  # fmt: skip
OUTSIDE = ("Microphones", "Outputs", "Messages", "Guests", "House")
FRAME = ("Aim", "Frame it for me", "Still true?", "Carry over")
WRAP = ("On air", "Close down", "Closing list", "What landed", "Hand over", "What ran")
CHECK = ("Tonight", "Opening list")
RIG = ("Reach", "Check", "Measure", "Place", "Adjust")
PLACES = [
    ("Air", ""),
    *(("Wrap", p) for p in WRAP),
    *(("Check", p) for p in CHECK),
    *(("Rig", p) for p in (*RIG, *OUTSIDE)),
    *(("Frame", p) for p in FRAME),
    *(("Cue", p) for p in CUE),
]
SMALLEST = {"Air": 14, "": 12}
STATES = ("well", "lost", "empty")
FIRST = [("Air", ""), ("Rig", RIG[0]), ("Frame", FRAME[0]), ("Cue", CUE[0]), ("Wrap", WRAP[1]), ("Check", CHECK[0])]
SOME = [
    ("Rig", RIG[1]),
    ("Frame", FRAME[1]),
    *(
        ("Cue", page)
        for page in ("Titles", "Macros", "Playlists", "Triggers", "Shortcuts", "Pads", "Microphones", "Voices")
    ),
]
LOOKS = (
    ("well", 100, SIZES[0], PLACES),
    ("well", 100, SIZES[1], FIRST),
    ("lost", 100, SIZES[1], PLACES),
    ("empty", 100, SIZES[1], FIRST),
    ("well", 100, SIZES[2], FIRST),
    ("long", 100, SIZES[1], [*FIRST, *SOME]),
    ("lost", 125, SIZES[0], FIRST),
    ("lost", 150, SIZES[1], [*FIRST, *SOME]),
    ("well", 150, SIZES[2], FIRST),
)


NAMES = (
    "The third potter from the left at her wheel, hands and bowl.",
    "הקדר השלישי משמאל ליד האובניים שלו, ידיים וקערה גדולה ויפה",
    "左から三番目の陶芸家、ろくろの前で、両手と大きな器をよく見せる構図、決勝の夜のための長い名前",
    "الخزاف الثالث من اليسار عند عجلته، اليدان والوعاء الكبير",
)


def long_named(show: Show) -> Show:
    """Everything that has a name has a long one, from left to right or from right to left, in four scripts."""
    made = show.model_dump()
    for field in ("cameras", "framings", "marks", "obstacles", "scenes", "titles", "media", "macros", "playlists",
                  "triggers", "pages", "microphones"):  # fmt: skip
        for k, part in enumerate(made[field]):
            part["name"] = NAMES[k % len(NAMES)][:60]
    for page in made["pages"]:
        for k, pad in enumerate(page["pads"]):
            pad["label"] = NAMES[k % len(NAMES)][:30]
    return Show.model_validate(made | {"title": NAMES[0]})


def opened(state: str) -> Window:
    stored = load(SHIPPED)
    show = {"empty": Show(title="Nothing yet"), "long": long_named(stored.show)}.get(state, stored.show)
    session = HandWoundSession(show)
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
    if state in ("lost", "long"):  # everything is wrong: no picture, no sound, no answer
        lines = check_lines(session.state, Looked(now_s=1.8e9), lambda error: pytest.fail(str(error)))
        session.evening.readiness.now = Progress(lines=lines, at_s=1.8e9)
        said = "3 files of 1 h 12 min in /home/crew/Videos; the last picture of each was read back"
        parts = (EndingStep(str(k), "Cameras to home and standby", e, said) for k, e in enumerate(Ending))
        session.evening.closing.now = EveningEnd(steps=tuple(parts))
    return window


@pytest.fixture(scope="module")
def windows(app):
    """By state and size of text; each is made when it is wanted first. Whoever looks at one looks at its size."""
    made = {}

    def window(state: str, percent: int = 100) -> Window:
        look.size_text(app, percent)  # of what is made and painted from now on
        if (state, percent) not in made:
            app.setFont(look.font(14))
            made[state, percent] = opened(state)
        return made[state, percent]

    yield window
    look.size_text(app, 100)
    app.setFont(look.font(14))
    for one in made.values():
        one.close()
        one.deleteLater()
    QApplication.processEvents()


def turned_to(window: Window, view: str, page: str, size: tuple[int, int]) -> QWidget:
    window.show()
    window.setUpdatesEnabled(False)  # painted once, by whoever looks
    window.resize(*size)
    window.show_view(view)
    if view == "Cue":
        window.cue.show_page(page)
    elif view in ("Check", "Wrap"):
        window.view(view).show_page(page)
    elif view == "Frame":
        window.frame.show_page(page)
    elif view == "Rig" and page in OUTSIDE:
        window.rig.show_page(page)
    elif view == "Rig":
        window.rig.show_page("Cameras")
        if window.bridge.state.show.cameras:
            window.rig.card.show_page(page)
    QApplication.processEvents()
    window.bridge.changed.emit()
    QApplication.processEvents()
    window.setUpdatesEnabled(True)
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


@pytest.mark.parametrize(("state", "percent", "size", "places"), LOOKS)
def test_every_text_can_be_read_whole_and_lies_over_no_other(windows, state, percent, size, places):
    wrong: set[str] = set()
    for view, page in places:
        window = turned_to(windows(state, percent), view, page, size)
        there: dict[QWidget, list[Text]] = {}
        around = places.index((view, page)) in (0, len(places) - 1)  # the line above and the strip are the same in all
        for text in texts(window if around else window.view(view)):
            where = f"{view} {page} at {size}, {percent} %: {text}"
            if text.px < least(view, text) * percent // 100:
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
        window = turned_to(windows("well"), view, page, (1280, 800))
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
    said = {what: parts_of(turned_to(windows("well"), *FIRST[k], (1280, 800)), what) for k, what in SAID}
    assert said["Framings"]["Q Ines and Bram"].startswith("1.3 s, Ines, Bram · wide · fit 100 · used once")
    assert said["Cameras"]["2 Centre"].startswith("ON AIR")
    assert said["Floor plan"]["mark Ines"] == "4.8 m left, 3.0 m back"
    window = turned_to(windows("well"), "Air", "", (1280, 800))
    board = QAccessible.queryAccessibleInterface(window.air.board)
    names, values = QAccessible.Text.Name, QAccessible.Text.Value
    parts = [board.child(k) for k in range(board.childCount())]
    said = {part.text(names): part.text(values) for part in parts}
    assert said["2 Centre"].startswith("ON AIR")
    assert said["1 A Adeyo close"].startswith("NEXT")
    assert not wrong, "\n".join(sorted(set(wrong))[:60]) + f"\n{len(set(wrong))} in all"


SAID = ((1, "Floor plan"), (2, "Framings"), (2, "Cameras"))


def parts_of(window: Window, called: str) -> dict[str, str]:
    """What a painted widget in front says of its parts, to a person who cannot see it."""
    there = next(w for w in shown(window) if w.accessibleName() == called and hasattr(w, "accessible_parts"))
    said = QAccessible.queryAccessibleInterface(there)
    names, values = QAccessible.Text.Name, QAccessible.Text.Value
    return {said.child(k).text(names): said.child(k).text(values) for k in range(said.childCount())}


def test_the_keyboard_is_seen_wherever_it_is(windows):
    """What has the focus looks otherwise than without it."""
    wrong = set()
    for view, page in (*FIRST, ("Rig", "Outputs")):
        window = turned_to(windows("well"), view, page, (1280, 800))
        window.activateWindow()
        for widget in shown(window):
            if not widget.focusPolicy() & Qt.FocusPolicy.TabFocus or not widget.isEnabled() or widget in (
                window.rig, window.frame, window.cue, window.air
            ):  # fmt: skip
                continue
            (window.top.help if widget is not window.top.help else window.top.save).setFocus()
            before = widget.grab().toImage()
            widget.setFocus()
            if widget.hasFocus() and widget.grab().toImage() == before:
                wrong.add(f"{view} {page}: {type(widget).__name__} {widget.accessibleName()!r}")
    assert not wrong, "\n".join(sorted(wrong))


def test_tally_set_and_wrong_differ_in_shape_or_word_for_who_sees_no_red_or_no_green(app):
    """The lamps of one camera in each state, as grey: no two are the same, whatever the colours are."""
    look.size_text(app, 100)
    states = [
        Footlights(Tally.ON_AIR, LandingState.SET),
        Footlights(Tally.NEXT, LandingState.SET),
        Footlights(Tally.NEXT, LandingState.OFF),
        Footlights(Tally.NONE, LandingState.SET),
        Footlights(Tally.NONE, LandingState.TRAVELLING, 0.5, 1.0),
        Footlights(Tally.NONE, LandingState.NO_CONTACT),
        Footlights(Tally.NEXT, LandingState.NO_CONTACT),
    ]
    for kind in BLIND:
        drawn = []
        for lights in states:
            picture = QImage(160, 60, QImage.Format.Format_RGB32)
            picture.fill(Qt.GlobalColor.black)
            painter = QPainter(picture)
            paint(painter, QRectF(0, 48, 160, 10), lights, 10)
            paint_words(painter, QRectF(0, 0, 160, 46), lights, 14)
            painter.end()
            drawn.append((lights, shape(picture, kind)))
        for (one, its), (other, that) in combinations(drawn, 2):
            share = float(np.mean(its != that))
            assert share > 0.01, (kind, one, other, share)


def shape(picture: QImage, kind: str) -> np.ndarray:
    """What is light and what is dark, as it is seen: no colour is left."""
    rows = np.frombuffer(picture.constBits(), np.uint8).reshape(picture.height(), picture.bytesPerLine())
    colours = {tuple(int(v) for v in c) for c in rows.reshape(-1, 4)[:, 2::-1]}
    light = {c: contrast(c, (0, 0, 0), kind) > 3 for c in colours}
    return np.array([[light[tuple(int(v) for v in c)] for c in row.reshape(-1, 4)[:, 2::-1]] for row in rows])
