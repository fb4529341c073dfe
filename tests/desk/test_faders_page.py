"""The page of faders and knobs: learning one, what it moves, banks, and leaving it be."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ribalta.core.ports.messages import Learned
from ribalta.core.show.automation.faders import Coding, Quantity
from ribalta.desk.window import Window
from tests.desk.hand_wound import HandWoundSession, opened


@pytest.fixture
def window(app):
    yield from opened(Window(HandWoundSession()), "Cue")


@pytest.fixture
def page(window):
    window.cue.show_page("Faders")
    return window.cue.faders


def learned(page, control: str, coding: Coding = Coding.BITS_7) -> None:
    page.add.click()
    assert page._bridge.faders.learning
    page._bridge.fader_learned.emit(Learned(control, "Deck", coding))
    page.refresh()


def choose(choice, value: str) -> None:
    choice.setCurrentIndex(choice.findData(value))
    choice.activated.emit(choice.currentIndex())


def test_a_fader_is_learned_given_moved_to_a_bank_and_freed(window, page, hall):
    hall.act("mic.add", name="Ines")
    assert "Press Add" in page.list.item(0).text()
    for number in range(2):
        learned(page, f"midi control 1 {number}")
        assert page.fader.control == f"midi control 1 {number}", "the new one is selected"
    assert page.fader.quantity is Quantity.MASTER
    choose(page.quantity, "level")
    page.refresh()
    assert page.fader.item.called == "Ines"
    choose(page.bank, "1")
    page.motor.click()
    page.refresh()
    fader = page.fader
    assert (fader.control, fader.bank, fader.motor, fader.quantity) == ("midi control 1 1", 1, True, Quantity.LEVEL)
    assert fader.item.called == "Ines"
    assert len(hall.state.show.faders) == 2
    page.fine.click()
    assert hall.state.automation.fader_fine
    page.remove.click()
    page.refresh()
    assert [f.control for f in hall.state.show.faders] == ["midi control 1 0"]


def test_escape_and_leaving_the_page_end_the_listening(window, page):
    page.add.click()
    QTest.keyClick(page, Qt.Key.Key_Escape)
    assert not page._bridge.faders.learning
    page.add.click()
    window.cue.show_page("Pads")
    assert not page._bridge.faders.learning


def test_which_bank_is_under_the_hands_is_on_the_strip_and_on_air(window, hall):
    hall.act("mic.add", name="Ines")
    hands = window.strip.names.lines()[2]
    assert hands[0] == "Check"  # one bank: there is nothing to say
    for bank in (1, 2):
        hall.act("fader.give", control="midi control 1 1", quantity="level", mic=1, bank=bank)
    hall.act("fader.bank", to=2)
    hall.act("fader.fine", on=True)
    hands = window.strip.names.lines()[2]
    assert hands[1] == "faders: bank 2 of 2, fine"
    heading = next(cell for cell in window.air.side.cells() if cell.words == "Sound")
    assert heading.note == "bank 2 of 2, fine"
    window.grab()
    window.show_view("Air")
    window.air.side.grab()
