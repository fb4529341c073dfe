"""Faders and knobs: how controllers count, picking values up, motors, banks, fine steps, and floods."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.faders.codings import MOST_14, Decoder, Turned, encoded
from ribalta.core.engine.faders.hands import FaderHands
from ribalta.core.engine.faders.numbers import number_of
from ribalta.core.engine.loop import Engine
from ribalta.core.ports.causes import By, Cause
from ribalta.core.show.automation.faders import Coding
from ribalta.core.show.files.storage import load
from ribalta.demo.shipped import SHIPPED
from tests.depth import examples

MIDI = Cause(By.FADER, "controller 7 on channel 1")


class Surface:
    """An engine with the demo's show, and a controller whose movements reach it."""

    def __init__(self) -> None:
        self.engine, self.hands, self.now_s = Engine(all_there(load(SHIPPED).show)), FaderHands(), 1.0

    def act(self, action: str, **arguments: object) -> str:
        self.now_s += 0.01
        return self.engine.act(action, arguments, self.now_s).refused

    def give(self, control: str = "midi control 1 7", **arguments: object) -> None:
        assert not self.act("fader.give", control=control, **arguments)

    def turn(self, place: float | None = None, by: float = 0.0, k: int = -1, after_s: float = 0.02) -> bool:
        self.now_s += after_s
        state = self.engine.state
        fader = state.show.faders[k]
        turned = Turned(place, by)
        call = self.hands.turned(state, fader, turned, state.automation.fader_fine, self.now_s)
        if call is not None:
            self.engine.call(call, self.now_s, MIDI)
        return call is not None

    def level(self, number: int = 1) -> float:
        mic = next(m for m in self.engine.state.show.microphones if m.number == number)
        return self.engine.state.strip(mic.id).gain_db

    def place(self, k: int = -1) -> float:
        number = number_of(self.engine.state, self.engine.state.show.faders[k], self.now_s)
        assert number is not None
        return number.place


@pytest.fixture
def surface() -> Surface:
    return Surface()


@pytest.mark.parametrize(
    ("coding", "raw", "steps"),
    [
        *((Coding.TWOS_COMPLEMENT, raw, by) for raw, by in ((1, 1), (3, 3), (127, -1), (125, -3))),
        *((Coding.SIGN_BIT, raw, by) for raw, by in ((1, 1), (3, 3), (65, -1), (67, -3))),
        *((Coding.AROUND_64, raw, by) for raw, by in ((65, 1), (67, 3), (63, -1), (61, -3))),
    ],
)
def test_encoders_in_their_usual_codings(coding, raw, steps):
    turned = Decoder(coding).value(raw)
    assert turned == Turned(by=steps / 128)


def test_a_resting_fader_that_trembles_by_one_says_nothing_and_a_slow_hand_is_heard():
    decoder = Decoder(Coding.BITS_7)
    heard = [decoder.value(raw) for raw in (64, 65, 64, 65, 64, 65, 64)]
    assert [turned is not None for turned in heard] == [True, True, *[False] * 5]
    assert decoder.value(66) is not None
    assert [decoder.value(raw) is not None for raw in (67, 68, 69, 70)] == [True] * 4
    back = [decoder.value(raw) for raw in (69, 68, 67)]
    assert back[-1] == Turned(67 / 127)
    assert [decoder.value(raw) is not None for raw in (1, 0, 1, 0)] == [True, True, False, False]


@given(values=st.lists(st.integers(0, MOST_14), min_size=1, max_size=30), low_first=st.booleans())
@examples(100)
def test_halves_of_14_bits_in_either_order_end_at_the_value(values, low_first):
    decoder, now_s, last = Decoder(Coding.BITS_14), 0.0, None
    for k, value in enumerate(values):
        now_s += 0.05
        order = ((value & 127, False), (value >> 7, True)) if low_first else ((value >> 7, True), (value & 127, False))
        heard = []
        for raw, upper in order:
            now_s += 0.001
            heard.append(decoder.half(raw, upper, now_s))
        last = next((turned for turned in reversed(heard) if turned is not None), last)
        if k > 1:  # by then it is known which half comes first: nothing is heard between the two
            assert all(t is None or abs(t.place - value / MOST_14) < 1e-9 for t in heard)
    late = decoder.due(now_s + 1)
    last = late if late is not None else last
    assert last is not None
    assert abs(last.place - values[-1] / MOST_14) <= 1 / MOST_14


def test_an_upper_half_alone_counts_after_a_moment():
    decoder = Decoder(Coding.BITS_14)
    assert decoder.half(64, True, 1.0) is None
    assert decoder.due(1.01) is None
    assert decoder.due(1.03) == Turned((64 << 7) / MOST_14)
    assert decoder.due(2.0) is None


@given(place=st.floats(0, 1), coding=st.sampled_from([Coding.BITS_7, Coding.BITS_14, Coding.PITCH_BEND]))
@examples(100)
def test_what_is_sent_to_a_control_is_what_it_would_send(place, coding):
    raw, decoder = encoded(coding, place), Decoder(coding)
    turned = decoder.value(raw) if coding is not Coding.BITS_14 else None
    if turned is None:
        decoder.half(raw >> 7, True, 1.0)
        turned = decoder.half(raw & 127, False, 1.001)
    assert turned is not None
    assert abs(turned.place - place) <= 0.5 / 127 + 1e-9


def test_a_fader_picks_the_value_up_and_nothing_jumps(surface):
    surface.give(quantity="level", mic=1)
    surface.act("mic.gain", mic=1, db=0.0)  # at 0.833 of its way
    for place in (0.1, 0.3, 0.6, 0.8):
        assert not surface.turn(place)
    assert surface.level() == 0.0
    assert surface.turn(0.9)  # it has passed the value
    assert surface.turn(0.5)
    assert surface.level() == pytest.approx(-24, abs=0.1)
    surface.act("mic.gain", mic=1, db=-50.0)  # somebody else moves it
    assert not surface.turn(0.6)
    assert surface.level() == -50.0
    assert surface.turn(0.1)
    assert surface.level() == pytest.approx(-52.8, abs=0.1)


def test_a_fast_movement_that_is_heard_as_one_picks_the_value_up_on_its_way(surface):
    surface.give(quantity="level", mic=1)
    fast = Turned(0.5).after(Turned(0.95).after(Turned(0.1)))
    assert fast == Turned(0.5, low=0.1, high=0.95)
    assert Turned(by=0.1).after(Turned(by=-0.3)).by == pytest.approx(-0.2)
    call = surface.hands.turned(surface.engine.state, surface.engine.state.show.faders[-1], fast, False, 2.0)
    assert call is not None
    assert call.arguments["db"] == -24.0


def test_a_motor_fader_is_never_picked_up_but_follows(surface):
    surface.give(quantity="level", mic=1, motor=True)
    assert surface.turn(0.25)
    assert surface.level() == pytest.approx(-42, abs=0.1)
    assert not surface.hands.back(surface.engine.state, 1, surface.now_s + 1), "it stands where it was put"
    surface.act("mic.gain", mic=1, db=0.0)
    assert not surface.hands.back(surface.engine.state, 1, surface.now_s), "a hand is still on it"
    (back,) = surface.hands.back(surface.engine.state, 1, surface.now_s + 1)
    assert (back.place, back.words) == (pytest.approx(60 / 72), "+0.0 dB")
    assert not surface.hands.back(surface.engine.state, 1, surface.now_s + 2)


def test_an_encoder_adds_its_steps_up_and_a_press_makes_them_fine(surface):
    surface.give(quantity="master", coding="steps, two's complement", motor=True)
    before = surface.place()
    for _ in range(8):
        surface.turn(by=-1 / 128)
    assert surface.place() == pytest.approx(before - 8 / 128, abs=1e-3)
    assert surface.hands.back(surface.engine.state, 1, surface.now_s), "its ring follows while it is turned"
    surface.act("fader.fine")
    before = surface.place()
    for _ in range(8):
        surface.turn(by=-1 / 128)
    assert surface.place() == pytest.approx(before - 1 / 128, abs=1e-3)


def test_banks_shift_their_strips_while_the_master_stays(surface):
    surface.give("midi control 1 9", quantity="master")
    for bank in (1, 2):
        for k in range(4):
            surface.give(f"midi control 1 {k}", quantity="level", mic=1 + k + 4 * (bank - 1), bank=bank)

    def whose() -> list[str]:
        state = surface.engine.state
        return [f.item.id if f.item else "" for f in FaderHands.in_hand(state, state.automation.fader_bank)]

    first = whose()
    assert not surface.act("fader.bank", by=1)
    second = whose()
    assert len(first) == len(second) == 5
    assert [a == b for a, b in zip(first, second, strict=True)].count(True) == 1
    assert not surface.act("fader.bank", by=1)
    assert whose() == first
    assert "no bank 3" in surface.act("fader.bank", to=3)


def test_a_transition_by_hand_goes_from_either_end_of_its_fader(surface):
    surface.give("midi bend 1", quantity="transition", coding="pitch bend")
    surface.act("landing.rule", rule="straight")
    for ends in ((0.0, 0.5, 1.0), (1.0, 0.5, 0.0)):
        on_air = surface.engine.state.program.on_air
        surface.act("ready.camera", camera=2 if on_air is None or on_air.camera_id != "c2" else 3)
        wanted = surface.engine.state.program.next
        for place in ends:
            surface.turn(place)
        assert surface.engine.state.program.on_air == wanted
        assert surface.engine.state.program.in_transition is None


def test_what_a_fader_changes_in_the_show_is_one_step_to_undo(surface):
    title = next((t for t in surface.engine.state.show.titles if len(t.rows) > 2), None)
    if title is None:
        title = surface.engine.state.show.titles[0]
        rows = [[[name, f"{name} {k}"] for name, _ in title.fields] for k in range(12)]
        assert not surface.act("title.rows", title=title.id, rows=rows)
    surface.give(quantity="row", title=title.id, motor=True)
    steps = len(surface.engine.state.edits.undo)
    for k in range(40):
        surface.turn(k / 40)
    turned = next(t for t in surface.engine.state.show.titles if t.id == title.id)
    assert turned.row == len(turned.rows) - 1
    assert len(surface.engine.state.edits.undo) == steps + 1
    surface.act("edit.undo")
    assert next(t for t in surface.engine.state.show.titles if t.id == title.id).row == 0


def test_every_number_can_be_given_and_set_from_end_to_end(surface):
    state = surface.engine.state
    camera = next(c for c in state.show.cameras if c.steered)
    kinds = [{"quantity": "level", "mic": 2}, {"quantity": "master"}, {"quantity": "monitoring"}]
    kinds += [{"quantity": name, "camera": camera.number} for name in ("zoom", "speed")]
    kinds += [{"quantity": "inset", "slot": 1}]
    if not state.show.insets:
        surface.act("inset.change", camera=camera.number, slot=1)
    for k, arguments in enumerate(kinds):
        surface.give(f"midi control 2 {k}", motor=True, **arguments)
        for place in (0.0, 0.4, 1.0):
            surface.turn(place, after_s=2.0)
            assert surface.place() == pytest.approx(place, abs=0.01), arguments


def test_what_a_fader_had_is_gone_with_its_microphone(surface):
    surface.give(quantity="level", mic=3)
    assert "used by" in surface.act("mic.remove", mic=3)
    assert not surface.act("mic.remove", mic=3, users="remove")
    assert not surface.engine.state.show.faders


def test_the_selected_cameras_number_follows_the_row(surface):
    surface.give(quantity="speed", motor=True)
    numbers = [c.number for c in surface.engine.state.show.cameras if c.steered][:2]
    for number, place in zip(numbers, (0.2, 0.9), strict=True):
        surface.act("row.select", camera=number)
        surface.turn(place, after_s=2.0)
    paces = [surface.engine.state.show.camera_numbered(n).steer_pace for n in numbers]
    assert paces == [pytest.approx(0.24, abs=0.01), pytest.approx(0.905, abs=0.01)]


def test_what_has_no_camera_is_not_trimmed(surface):
    state = surface.engine.state
    assert "nothing to trim" in surface.act("trim", right=0.01) or state.program.next is not None
    surface.act("medium.ready", medium=state.show.media[0].id)
    assert "no camera to trim" in surface.act("trim", right=0.01)


@pytest.mark.parametrize(
    ("control", "coding"),
    [("midi control 1 x", "7 bit"), ("midi foo", "7 bit"), ("midi control 17 1", "7 bit"),
     ("midi control 1 128", "7 bit"),
     ("osc /fader/1", "14 bit"), ("midi control 1 32", "14 bit"), ("midi bend 1", "14 bit"), ("key A", "7 bit")],
)  # fmt: skip
def test_what_is_no_control_or_cannot_count_so_is_given_nothing(surface, control, coding):
    assert surface.act("fader.give", control=control, quantity="master", coding=coding)
    assert not surface.engine.state.show.faders
