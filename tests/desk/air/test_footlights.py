"""The lamps of the cameras: their words, shapes and colours."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from ribalta.core.ports.shots import LandingState
from ribalta.desk.painting import look
from ribalta.desk.widgets import footlights
from ribalta.desk.widgets.footlights import Footlights, Tally
from tests.desk.air.test_air_parts import count

SET, TRAVELLING, OFF, NO_CONTACT = LandingState


@pytest.mark.parametrize(
    ("lights", "words"),
    [
        (Footlights(Tally.ON_AIR, SET), "ON AIR"),
        (Footlights(Tally.NEXT, SET), "NEXT · SET"),
        (Footlights(Tally.NEXT, OFF), "NEXT · OFF"),
        (Footlights(Tally.NEXT, TRAVELLING, 0.5, 1.24), "NEXT 1.2 s"),
        (Footlights(Tally.NEXT, TRAVELLING, 0.5, 12.4, held=True), "HELD 12 s"),
        (Footlights(Tally.NONE, TRAVELLING, 0.5, 0.4), "0.4 s"),
        (Footlights(Tally.NONE, OFF), ""),
        (Footlights(Tally.NONE, NO_CONTACT), "NO CONTACT"),
        (Footlights(Tally.ON_AIR, NO_CONTACT), "ON AIR · NO CONTACT"),
        (Footlights(Tally.NEXT, NO_CONTACT, held=True), "HELD · NO CONTACT"),
        (Footlights(Tally.NEXT, OFF, late=True), "NEXT · LATE PICTURE"),
        (Footlights(Tally.NEXT, TRAVELLING, held=True, late=True), "HELD · LATE PICTURE"),
    ],
)
def test_the_words_of_the_lamps(lights, words):
    assert lights.words == words


def painted(app, lights: Footlights) -> np.ndarray:
    image = QImage(480, 12, QImage.Format.Format_RGB888)
    image.fill(look.NIGHT)
    painter = QPainter(image)
    footlights.paint(painter, QRectF(0, 0, 480, 12), lights, 30)
    painter.end()
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(12, image.bytesPerLine())
    return rows[:, : 480 * 3].reshape(12, 480, 3).astype(int)


def test_lamps_tell_their_state_by_shape_as_well_as_colour(app):
    on_air = painted(app, Footlights(Tally.ON_AIR, SET))
    filled = painted(app, Footlights(Tally.NEXT, SET))
    outlined = painted(app, Footlights(Tally.NEXT, OFF))
    lost = painted(app, Footlights(Tally.NONE, NO_CONTACT))
    idle = painted(app, Footlights(Tally.NONE, OFF))
    assert count(on_air, look.RED) > 1000
    assert count(on_air, look.GREEN) == 0
    assert count(filled, look.GREEN) > 2 * count(outlined, look.GREEN) > 0
    assert count(lost, look.LAMP_OFF) == pytest.approx(count(idle, look.LAMP_OFF) * 2 / 3, rel=0.02)


@given(st.floats(0, 1))
def test_travelling_lights_the_lamps_from_the_left(app, share):
    pixels = painted(app, Footlights(Tally.NEXT, TRAVELLING, share, 1.0))
    filled = [count(pixels[:, 16 * i : 16 * i + 16], look.GREEN) > 45 for i in range(30)]
    assert filled == sorted(filled, reverse=True)
    assert sum(filled) == int(share * 30)
