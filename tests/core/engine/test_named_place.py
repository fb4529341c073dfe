"""Keys that speak of the place named last, and of the desk: they are actions like all others."""

from ribalta.core.ports.messages import DeskAsked, SaveWanted
from tests.core.hand_wound import Hall


def test_the_place_that_somebody_named_last_is_protected_and_removed():
    hall = Hall()
    hall.press("P")
    assert "Nothing is named yet" in hall.sentences[-1]
    hall.press("2", "W", "P")
    assert hall.state.show.framing_at("c2", 1).protected
    hall.press("Del")
    assert "is protected" in hall.sentences[-1]
    hall.press("3", "W", "Del")
    assert "is readied as Next" in hall.sentences[-1]
    hall.press("1", "Q")
    hall.act("framing.rename", camera=3, letter="W", name="Hands")
    hall.press("Del")
    assert hall.state.show.framing_at("c3", 1) is None


def test_what_is_asked_of_the_desk_and_of_the_file_is_told():
    hall = Hall()
    rule = hall.state.show.settings.landing_rule
    hall.press("L", "Ctrl+S", "F2", "F5")
    assert hall.state.show.settings.landing_rule != rule
    assert any(isinstance(e, SaveWanted) for e in hall.events)
    asked = [(e.action, e.view) for e in hall.events if isinstance(e, DeskAsked)]
    assert asked == [("desk.view", "Rig"), ("desk.find", "")]
    assert hall.state.desk.view == "Rig"
