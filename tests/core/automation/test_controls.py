"""What working a key, button or note comes to; layers; items and positions; and removing what is used."""

import pytest

from ribalta.core.engine.controls import Controls
from ribalta.core.engine.views.pad_state import lights
from ribalta.core.ports.messages import DeskShortcuts, InUse
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.triggers_pads_shortcuts import How, Pad, Page, Shortcut
from ribalta.core.show.document.uses import faults, uses
from tests.core.hand_wound import Hall, small_show


class Worked:
    """A hall whose controls are worked by hand; `did` is what came of it."""

    def __init__(self, *shortcuts: Shortcut) -> None:
        self.hall = Hall(small_show().model_copy(update={"shortcuts": shortcuts}))
        self.did: list[str] = []
        self.controls = Controls(lambda: self.hall.state, self._run)

    def _run(self, call, cause) -> None:
        self.did.append(call.action + ("" if call.action != "layer.hold" else f" {call.arguments.get('on', True)}"))
        self.hall.engine.call(call, self.hall.clock.now_s(), cause)

    def down(self, control: str) -> bool:
        return self.controls.down(control, self.hall.clock.now_s())

    def up(self, control: str) -> None:
        self.controls.up(control, self.hall.clock.now_s())

    def tap(self, control: str, held_s: float = 0.05) -> None:
        self.down(control)
        self.turn(held_s)
        self.up(control)

    def turn(self, seconds: float) -> None:
        for _ in range(round(seconds * 100)):
            self.controls.advance(self.hall.clock.advance(0.01))

    def done(self) -> list[str]:
        did, self.did = self.did, []
        return did


def on(control: str, action: str, how: How = How.PRESS, layer: str = "", **arguments) -> Shortcut:
    return Shortcut(control=control, how=how, layer=layer, call=Call(action=action, arguments=arguments))


def test_a_press_runs_at_once_and_default_keys_hold_where_nothing_lies_over_them():
    w = Worked(on("key K", "black"), Shortcut(control="key H"))
    assert w.down("key K")
    assert w.done() == ["black"]
    w.down("key K")  # a keyboard repeats itself
    assert w.done() == []
    w.up("key K")
    w.tap("key B")
    assert w.done() == ["black"]
    w.tap("key H")  # silenced in this show
    assert w.done() == []
    assert not w.down("key Ctrl+Alt+Shift+J")


def test_a_press_waits_only_where_it_could_become_something_else():
    w = Worked(
        on("midi note 1 60", "black"),
        on("midi note 1 60", "card", How.LONG),
        on("gamepad a", "black"),
        on("gamepad a", "card", How.DOUBLE),
        on("key J", "clear", How.RELEASE),
    )
    w.down("midi note 1 60")
    assert w.done() == []
    w.turn(0.2)
    w.up("midi note 1 60")
    assert w.done() == ["black"]
    w.down("midi note 1 60")
    w.turn(0.7)
    assert w.done() == ["card"]
    w.up("midi note 1 60")
    assert w.done() == []
    w.tap("gamepad a")
    assert w.done() == []
    w.turn(0.4)
    assert w.done() == ["black"]
    w.tap("gamepad a")
    w.turn(0.1)
    w.tap("gamepad a")
    w.turn(1)
    assert w.done() == ["card"]
    w.down("key J")
    assert w.done() == []
    w.up("key J")
    assert w.done() == ["clear"]
    w.hall.act("shortcuts.times", long_s=2.0)
    w.tap("midi note 1 60", 1.5)
    assert w.done() == ["black"]


def test_a_layer_is_held_or_latched_and_lies_over_the_ground():
    w = Worked(
        Shortcut(control="key F9", call=Call(action="layer.hold", arguments={"layer": "Talk"})),
        Shortcut(control="key F10", call=Call(action="layer.latch", arguments={"layer": "Talk"})),
        on("key B", "card", layer="Talk"),
    )
    w.down("key F9")
    assert w.hall.state.automation.layers == ("Talk",)
    w.tap("key B")
    w.up("key F9")
    w.tap("key B")
    assert w.done() == ["layer.hold True", "card", "layer.hold False", "black"]
    w.tap("key F10")
    w.tap("key B")
    w.tap("key F10")
    assert w.done() == ["layer.latch", "card", "layer.latch"]
    assert w.hall.state.automation.layers == ()


def test_a_device_that_is_gone_lets_go_of_what_it_held():
    hold = Shortcut(control="gamepad x", call=Call(action="layer.hold", arguments={"layer": "Talk"}))
    w = Worked(hold, on("gamepad a", "black", How.LONG))
    w.down("gamepad x")
    w.down("gamepad a")
    w.controls.lost("gamepad", w.hall.clock.now_s())
    w.turn(2)
    assert w.done() == ["layer.hold True", "layer.hold False"]
    assert w.hall.state.automation.layers == ()


def test_a_shortcut_follows_its_item_or_its_position_as_chosen():
    w = Worked()
    for follows, control in (("item", "key J"), ("position", "key K")):
        w.hall.act(
            "shortcut.set",
            control=control,
            action="ready.framing",
            arguments={"camera": 2, "letter": "W"},
            follows=follows,
        )
    w.hall.act("framing.move", camera=2, letter="W", to_letter="E")  # they change places
    w.tap("key J")
    assert w.hall.state.program.next.framing_id == "f7"
    w.tap("key K")
    assert w.hall.state.program.next.framing_id == "f8"
    w.hall.act("shortcut.follow", control="key J", follows="position")
    w.hall.act("framing.move", camera=2, letter="E", to_letter="W")
    w.tap("key J")
    assert w.hall.state.program.next.framing_id == "f8"


def test_a_shortcut_belongs_to_the_show_or_to_the_desk():
    w = Worked()
    w.hall.act("shortcut.set", control="key K", action="card", owner="desk")
    kept = [e for e in w.hall.events if isinstance(e, DeskShortcuts)]
    assert kept[-1].shortcuts == w.hall.state.desk.shortcuts
    assert not w.hall.state.show.shortcuts
    w.tap("key K")
    w.hall.act("shortcut.set", control="key K", action="black")  # the show's lies over it
    w.tap("key K")
    assert w.done() == ["card", "black"]
    w.hall.act("shortcut.remove", control="key K")
    w.hall.act("shortcut.give", control="key K", owner="desk", to="show")
    assert [s.call.action for s in w.hall.state.show.shortcuts] == ["card"]
    w.hall.act("shortcut.set", control="key J", action="ready.framing", arguments={"camera": 2, "letter": "W"})
    w.hall.act("shortcut.give", control="key J", to="desk")
    assert w.hall.state.desk.shortcuts[0].call.follows == "position"
    w.hall.act("shortcut.follow", control="key J", owner="desk", follows="item")
    assert "follows the position" in w.hall.sentences[-1]
    w.hall.act("shortcut.remove", control="key J", owner="desk")
    w.hall.act("edit.undo")
    w.hall.act("edit.undo")
    assert w.hall.state.desk.shortcuts == ()
    w.hall.act("edit.undo")
    assert w.hall.state.show.shortcuts == ()


def test_removing_what_is_used_asks_what_should_happen_to_its_users():
    w = Worked()
    w.hall.act("shortcut.set", control="key K", action="ready.framing", arguments={"camera": 2, "letter": "W"})
    w.hall.act("page.add", name="Front")
    page = w.hall.state.show.pages[0].id
    call = {"action": "ready.framing", "arguments": {"camera": 2, "letter": "W"}}
    w.hall.act("pad.set", pads=page, at=3, label="Hands", call=call, picture={"kind": "framing", "id": "f7"})
    assert [u.words for u in uses(w.hall.state.show)[Kind.FRAMING, "f7"]] == ["shortcut K", "pad “Hands”"]
    w.hall.events.clear()
    w.hall.act("framing.remove", camera=2, letter="W")
    asked = next(e for e in w.hall.events if isinstance(e, InUse))
    assert asked.users == ("shortcut K", "pad “Hands”")
    assert w.hall.state.show.framing("f7") is not None
    w.hall.act(asked.action, **dict(asked.arguments), users="leave")
    assert faults(w.hall.state.show) == {
        ("shortcut", "key K|press|"): "“2 2W” was removed",
        ("pad", f"{page}:3"): "the framing was removed",
    }
    w.hall.act("edit.undo")
    assert not faults(w.hall.state.show)
    w.hall.act(asked.action, **dict(asked.arguments), users="remove")
    assert not w.hall.state.show.shortcuts
    assert not w.hall.state.show.page(page).pads
    assert w.hall.state.show.framing("f7") is None


def test_pads_keep_their_place_and_say_what_has_no_room():
    w = Worked()
    w.hall.act("page.add", name="Front", columns=4, rows=2)
    page = w.hall.state.show.pages[0].id
    w.hall.act("pad.set", pads=page, at=5, label="Black", call={"action": "black"}, long_call={"action": "card"})
    w.hall.act("pad.press", pads=page, at=5)
    assert w.hall.state.program.black.black
    w.hall.act("pad.press", pads=page, at=5, long=True)
    assert w.hall.state.program.card
    w.hall.act("page.change", pads=page, columns=8, rows=8)
    assert [p.at for p in w.hall.state.show.page(page).pads] == [9]
    w.hall.act("pad.move", pads=page, at=9, to=63)
    w.hall.act("page.change", pads=page, columns=4)
    assert "“Black” has no room on 4 by 8" in w.hall.sentences[-1]
    w.hall.act("page.change", pads=page, plain=True, code="1234")
    plain = w.hall.state.show.page(page)
    assert plain.opens_with("1234")
    assert not plain.opens_with("4321")
    assert "1234" not in plain.model_dump_json()


def test_a_controllers_notes_press_the_pads_of_its_page():
    w = Worked()
    w.hall.act("page.add", name="Front", columns=4, rows=4)
    page = w.hall.state.show.pages[0].id
    w.hall.act("pad.set", pads=page, at=5, label="Black", call={"action": "black"}, long_call={"action": "card"})
    w.hall.act("page.change", pads=page, surface={"port": "Pads", "channel": 2, "first_note": 40, "row_step": 4})
    w.tap("midi note 2 45")
    assert w.hall.state.program.black.black
    w.tap("midi note 2 45", 0.8)
    assert w.hall.state.program.card
    w.tap("midi note 1 45")
    w.tap("midi note 2 46")
    assert w.done() == ["pad.press", "pad.press"]
    assert lights(w.hall.state, w.hall.state.show.pages[0], 0.0)[45] == 127
    w.hall.act("shortcut.set", control="midi note 2 45", action="clear")  # the show's lies over it
    w.tap("midi note 2 45")
    assert w.done() == ["clear"]


@pytest.mark.parametrize("at", [0, 5, 31])
def test_a_controller_has_a_note_for_each_pad_or_none(at):
    page = Page(id="q1", name="P", columns=8, rows=4, pads=(Pad(at=at),), surface={"row_step": 16})
    assert page.surface.note(at, 8) == 36 + at // 8 * 16 + at % 8
    assert Page(id="q1", name="P", surface={"first_note": 120}).surface.note(15, 4) is None


def test_an_item_of_another_kind_with_the_same_id_is_not_meant():
    w = Worked()
    w.hall.act("macro.add", name="M", steps=[{"call": {"action": "mic.mute", "arguments": {"mic": 1}}}])
    assert (Kind.CAMERA, "c1") not in uses(w.hall.state.show)
    assert Item(kind=Kind.CAMERA, id="m1").key != Item(kind=Kind.MICROPHONE, id="m1").key
