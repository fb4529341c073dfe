"""Keys that speak of the desk and of the show's file: they are actions like all others."""

from ribalta.core.ports.messages import DeskAsked
from ribalta.core.ports.saving import SaveWanted
from tests.core.hand_wound import Hall


def test_what_is_asked_of_the_desk_and_of_the_file_is_told():
    hall = Hall()
    rule = hall.state.show.settings.landing_rule
    hall.press("L", "Ctrl+S", "F2", "F5", "Del")
    assert hall.state.show.settings.landing_rule != rule
    assert any(isinstance(e, SaveWanted) for e in hall.events)
    asked = [(e.action, e.view) for e in hall.events if isinstance(e, DeskAsked)]
    assert asked == [("desk.view", "Rig"), ("desk.find", ""), ("desk.remove", "")]
    assert hall.state.desk.view == "Rig"


def test_a_surface_that_only_recalls_cannot_have_the_desk_remove_anything():
    hall = Hall()
    ran = hall.engine.act("desk.remove", {}, hall.clock.now_s(), recall_only=True)
    assert "only recalls" in ran.refused
    assert not [e for e in hall.engine.drain()[0] if isinstance(e, DeskAsked)]
