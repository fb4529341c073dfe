"""What triggers and macros may ask of the show as it is, held to what is seen from outside."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from ribalta.core.engine.automation.conditions import holds
from ribalta.core.engine.program.landing import landing_state
from ribalta.core.ports.messages import OutputEnded, PicturePresence
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.calls import Item, Kind
from ribalta.core.show.automation.macros import OF_NOTHING, Condition, Is
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.outputs import OutputSettings
from ribalta.core.show.document.sound import Microphone
from tests.core.engine.test_switching import composed_show
from tests.core.hand_wound import Hall
from tests.depth import examples

ITEMS = [
    *(Item(kind=Kind.CAMERA, id=f"c{n}") for n in (1, 2, 3, 4)),
    *(Item(kind=Kind.FRAMING, id=f"f{k}") for k in (3, 4, 7, 8, 11)),
    Item(kind=Kind.SCENE, id="s1"),
    *(Item(kind=Kind.TITLE, id=name) for name in ("t1", "t2")),
    Item(kind=Kind.MICROPHONE, id="q1"),
    Item(kind=Kind.CAMERA, id="gone"),
    Item(kind=Kind.FRAMING, id="gone"),
    Item(kind=Kind.MICROPHONE, id="gone"),
]
KEYS = ["1", "2", "3", "4", "Q", "W", "E", "0", "Space", "Shift+Space", "Tab", "Esc", "Ctrl+1", "Ctrl+6", "Left"]


def heard_show() -> Show:
    mic = Microphone(id="q1", number=1, name="Host", address="", channel=1)
    outputs = OutputSettings(stream_to="udp://127.0.0.1:5000")
    return composed_show().model_copy(update={"microphones": (mic,), "outputs": outputs})


def is_so(hall: Hall, condition: Condition) -> bool:
    return holds(hall.state, condition, hall.clock.now_s())


def seen_on_air(hall: Hall, item: Item) -> bool:
    """From the last cut and from what lies over the picture, not from the engine's own lists."""
    state, program = hall.state, hall.state.program.on_air
    layers = state.program.overlays.layers
    before = state.program.in_transition.before if state.program.in_transition is not None else None
    match item.kind:
        case Kind.TITLE:
            return item.id in layers
        case Kind.SCENE:
            return program is not None and program.scene_id == item.id
        case Kind.FRAMING:
            return program is not None and program.scene_id is None and program.framing_id == item.id
        case Kind.CAMERA:
            shown = {shot.camera_id for shot in (program, before) if shot is not None}
            shown |= {
                layer.source.camera_id for layer in layers if hasattr(layer, "source") and layer.source is not None
            }
            return item.id in shown
        case _:
            return False


@given(st.lists(st.tuples(st.sampled_from(KEYS), st.sampled_from((0.0, 0.3, 2.5))), max_size=14))
@examples(15)
def test_what_is_asked_is_answered_as_it_is_seen_and_turned_round(presses):
    hall = Hall(heard_show())
    for key, pause_s in presses:
        hall.press(key)
        hall.turn(pause_s)
        state, now_s = hall.state, hall.clock.now_s()
        for item in ITEMS:
            for what in set(Is) - set(OF_NOTHING):
                asked = Condition(what=what, item=item)
                assert is_so(hall, asked) is not is_so(hall, asked.model_copy(update={"wanted": False}))
            if seen_on_air(hall, item):
                assert is_so(hall, Condition(what=Is.ON_AIR, item=item)), item
            elif item.kind is not Kind.CAMERA:  # a camera may still be going off with what fades
                assert not is_so(hall, Condition(what=Is.ON_AIR, item=item)), item
            if item.kind is Kind.FRAMING and (framing := state.show.framing(item.id)) is not None:
                landed = landing_state(state, Shot(framing.camera_id, framing.id), now_s) is LandingState.SET
                assert is_so(hall, Condition(what=Is.SET, item=item)) is landed
                ready = state.program.next == Shot(framing.camera_id, framing.id)
                assert is_so(hall, Condition(what=Is.NEXT, item=item)) is ready
            if item.id == "gone":
                assert not any(is_so(hall, Condition(what=what, item=item)) for what in set(Is) - set(OF_NOTHING))


def test_contact_microphones_and_outputs():
    hall = Hall(heard_show())
    steered, fixed = (Condition(what=Is.IN_CONTACT, item=Item(kind=Kind.CAMERA, id=i)) for i in ("c1", "c4"))
    assert is_so(hall, steered)
    assert is_so(hall, fixed)
    hall.contact("c1", False)
    hall.engine.report(PicturePresence("c4", False), hall.clock.now_s())
    assert not is_so(hall, steered)
    assert not is_so(hall, fixed)
    heard = Condition(what=Is.OPEN, item=Item(kind=Kind.MICROPHONE, id="q1"))
    assert is_so(hall, heard)
    hall.act("mic.mute", mic=1, on=True)
    assert not is_so(hall, heard)
    for what, action, output in ((Is.RECORDING, "record", "recording"), (Is.STREAMING, "stream", "stream")):
        assert not is_so(hall, Condition(what=what))
        hall.act(action, on=True)
        assert is_so(hall, Condition(what=what))
        hall.engine.report(OutputEnded(output, "the disk is full", True), hall.clock.now_s())
        assert not is_so(hall, Condition(what=what))


@pytest.mark.parametrize("what", [w for w in Is if w not in OF_NOTHING])
def test_a_question_about_nothing_is_no_condition(what):
    with pytest.raises(ValidationError, match=f"say what is to be {what}"):
        Condition(what=what)
