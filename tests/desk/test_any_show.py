"""Whatever a show has become, every view draws it, and nothing that is pressed in it makes a mistake of ours."""

import random
import sys
import threading
import traceback

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication

from ribalta.core.show.document.model import Show
from ribalta.desk.window import Window
from tests.core.engine.test_whole_catalogue import OPENING, Made
from tests.core.hand_wound import small_show
from tests.desk.hand_wound import HandWoundSession

VIEWS = ("Rig", "Frame", "Cue", "Check", "Air", "Wrap")
LEAVES_THE_WINDOW = (
    "…",
    "Import",
    "Export",
    "window",
    "Quit",
    "screen",
    "&Save",
    "&Open",
    "mail",
)  # opens a dialog or another window


@pytest.fixture
def mistakes(monkeypatch):
    """What a slot or a painting raises does not reach a test by itself."""
    found: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda *what: found.append("".join(traceback.format_exception(*what))))
    return found


def see_everything(window: Window) -> None:
    for view in VIEWS:
        window.show_view(view)
        shown = window.view(view)
        for page in getattr(shown, "pages", {"": None}):
            if page:
                shown.show_page(page)
            QApplication.processEvents()


def press_some(window: Window, chance: random.Random, count: int) -> None:
    """Buttons that can be pressed, wherever they are."""
    for _ in range(count):
        buttons = [
            one
            for one in window.findChildren(QAbstractButton)
            if one.isVisible() and one.isEnabled() and not any(word in one.text() for word in LEAVES_THE_WINDOW)
        ]
        chance.choice(buttons).click()
        QApplication.processEvents()


SHOWS = {"the demo's": OPENING.show, "small": small_show(), "empty": Show()}


@pytest.mark.parametrize(("which", "seed"), [*(("the demo's", k) for k in range(4)), ("small", 4), ("empty", 5)])
def test_every_view_draws_what_any_actions_have_made_and_any_button_can_be_pressed(app, mistakes, which, seed):
    session = HandWoundSession(SHOWS[which])
    window = Window(session)
    window.resize(1100, 700)
    window.show()
    made, chance = Made(OPENING.show, seed), random.Random(seed)
    try:
        for _ in range(30):
            session.act(*made.call())
        session.hall.turn(0.3)
        see_everything(window)
        assert mistakes == []
        for _ in range(2):
            window.show_view(chance.choice(VIEWS))
            press_some(window, chance, 8)
            QTest.keyClick(window, Qt.Key.Key_Escape)
        assert mistakes == []
    finally:
        for work in threading.enumerate():
            if work.name == "rehearsal":
                work.join(60)
        window.close()
        window.deleteLater()
        QApplication.processEvents()
