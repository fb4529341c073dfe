"""Transitions, layers, scenes and bad moments: what goes on air, when, and what the next take will bring."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.program.landing import parts
from ribalta.core.ports.shots import NO_OVERLAYS, Shot
from ribalta.core.show.document.scenes import Easing, Inset, Scene, Source, Title, Transition, TransitionKind, WipeShape
from tests.core.hand_wound import Hall, small_show
from tests.depth import examples


def composed_show():
    """Camera 4 in an inset, two titles, and a scene that needs cameras 1, 2 and 3."""
    inset = Inset(slot=1, source=Source(camera_id="c4"), corner=0.1)
    scene = Scene(
        id="s1",
        number=1,
        name="Three at once",
        base=Source(camera_id="c1", framing_id="f4"),
        insets=(
            Inset(slot=2, source=Source(camera_id="c2", framing_id="f7")),
            Inset(slot=3, source=Source(camera_id="c3", framing_id="f11")),
        ),
        title_ids=(None, "t2", None),
    )
    titles = (
        Title(id="t1", name="Name", template="lower-third", moves="rise"),
        Title(id="t2", name="Bug", template="bug", layer=2, moves="cut"),
    )
    return small_show().model_copy(update={"insets": (inset,), "scenes": (scene,), "titles": titles})


@pytest.fixture
def hall() -> Hall:
    return Hall(composed_show())


def ready_and_set(hall: Hall, *keys: str) -> None:
    hall.press(*keys)
    hall.turn(5)


# Transitions


def test_shift_space_takes_with_the_transition_that_is_set_and_v_brings_the_normal_one_back(hall):
    hall.act("transition.set", kind="wipe", shape="circle", seconds=2.0, easing="eased", softness=0.4)
    assert hall.state.program.transition == Transition(
        kind=TransitionKind.WIPE, shape=WipeShape.CIRCLE, seconds=2.0, easing=Easing.EASED, softness=0.4
    )
    ready_and_set(hall, "1", "Q")
    hall.press("Shift+Space")
    assert hall.state.program.in_transition.transition.shape is WipeShape.CIRCLE
    hall.turn(1.0)
    assert hall.state.program.in_transition.progress_at(hall.clock.now_s()) == pytest.approx(0.5)
    hall.turn(1.1)
    assert hall.state.program.in_transition is None
    hall.press("V")
    assert hall.state.program.transition == hall.state.show.settings.normal
    hall.press("Z", "Shift+V", "X", "V")
    assert hall.state.program.transition.kind is TransitionKind.DIP


def test_a_transition_can_be_turned_back_and_then_it_has_not_happened(hall):
    ready_and_set(hall, "1", "W")
    hall.act("layer.switch", slot="inset1", with_next=True)
    hall.press("Shift+Space")
    hall.turn(0.4)
    hall.press("U")
    assert hall.state.on_air("c1")
    hall.turn(0.35)
    assert hall.state.program.in_transition is not None
    hall.turn(0.1)
    assert (hall.state.program.on_air, hall.state.program.next) == (Shot("c4"), Shot("c1", "f4"))
    assert hall.state.program.in_transition is None
    assert hall.state.program.overlays == NO_OVERLAYS
    assert hall.state.overlays_of(hall.state.program.next).on("inset1") is not None
    hall.press("Space")
    assert hall.state.program.on_air == Shot("c1", "f4")


def test_turned_back_twice_it_goes_on(hall):
    ready_and_set(hall, "1", "W")
    hall.press("Shift+Space")
    hall.turn(0.4)
    hall.press("U", "U")
    hall.turn(0.45)
    assert hall.state.program.on_air == Shot("c1", "f4")
    assert hall.state.program.in_transition is None


def test_a_transition_by_hand_begins_only_when_set_and_is_done_or_undone_at_its_ends(hall):
    hall.press("1", "W")
    hall.act("transition.by_hand", by=0.1)
    assert "not set yet" in hall.sentences[-1]
    hall.turn(5)
    for share in (0.2, 0.7, 0.4):
        hall.act("transition.by_hand", share=share)
        hall.turn(3)
        assert hall.state.program.in_transition.progress_at(hall.clock.now_s()) == pytest.approx(share)
    assert hall.state.on_air("c4")
    assert hall.state.on_air("c1")
    hall.act("transition.by_hand", by=-0.4)
    assert (hall.state.program.on_air, hall.state.program.next) == (Shot("c4"), Shot("c1", "f4"))
    hall.act("transition.by_hand", share=0.5)
    hall.act("transition.by_hand", share=1.0)
    assert hall.state.program.on_air == Shot("c1", "f4")
    assert hall.records[-1].landed


def test_a_take_during_a_transition_by_hand_finishes_it(hall):
    ready_and_set(hall, "1", "W")
    hall.act("transition.by_hand", share=0.3)
    hall.press("Space")
    assert hall.state.program.in_transition is None
    assert hall.state.program.on_air == Shot("c1", "f4")


# Layers


def test_an_inset_puts_its_camera_on_air_and_off_again_after_it_has_faded(hall):
    ready_and_set(hall, "1", "W")
    hall.press("Space")
    assert not hall.state.on_air("c4")
    hall.press("Ctrl+1")
    assert hall.state.on_air("c4")
    hall.press("Ctrl+1")
    assert hall.state.on_air("c4")
    hall.turn(0.4)
    assert not hall.state.on_air("c4")
    assert hall.state.program.fading == {}


def test_what_changes_with_the_next_take_is_in_next_and_not_on_air_before(hall):
    ready_and_set(hall, "1", "W")
    hall.press("Ctrl+Alt+1", "Ctrl+Alt+6")
    assert hall.state.program.overlays == NO_OVERLAYS
    coming = hall.state.overlays_of(hall.state.program.next)
    assert set(coming.in_use) == {"inset1", "title1"}
    hall.press("Ctrl+Alt+6")
    assert set(hall.state.overlays_of(hall.state.program.next).in_use) == {"inset1"}
    hall.press("Space")
    assert set(hall.state.program.overlays.in_use) == {"inset1"}
    assert hall.state.program.pending == {}


def test_a_layer_turned_off_in_mid_transition_is_off_on_both_sides(hall):
    hall.press("Ctrl+6")
    ready_and_set(hall, "1", "W")
    hall.press("Shift+Space")
    hall.turn(0.2)
    hall.press("Ctrl+6")
    assert (
        hall.state.program.in_transition.before_overlays
        == hall.state.program.in_transition.after_overlays
        == NO_OVERLAYS
    )
    hall.turn(1)
    assert hall.state.program.overlays == NO_OVERLAYS


def test_an_inset_without_a_picture_says_how_to_give_it_one(hall):
    hall.press("Ctrl+2")
    assert "choose one under Scenes" in hall.sentences[-1]
    hall.act("inset.change", slot=2, camera=2, letter="W", left=0.1, top=0.1, wide=0.3, crop=(0.2, 0, 0.2, 0))
    hall.press("Ctrl+2")
    assert hall.state.program.overlays.on("inset2").source == Source(camera_id="c2", framing_id="f7")
    hall.act("inset.change", slot=2, crop=(0.6, 0, 0.5, 0))
    assert "a tenth" in hall.sentences[-1]
    hall.act("inset.change", slot=2, corner=0.3)
    assert hall.state.program.overlays.on("inset2").corner == 0.3
    hall.press("Ctrl+Z")
    assert hall.state.show.insets[1].corner == 0.0


# Scenes


def test_a_scene_sends_all_its_cameras_and_lands_when_the_last_is_set(hall):
    hall.cameras["c3"].answers = True
    hall.press("0", "Q")
    goals = {n: hall.state.live(n).goal_framing_id for n in ("c1", "c2", "c3")}
    assert goals == {"c1": "f4", "c2": "f7", "c3": "f11"}
    assert all(hall.state.is_next(n) for n in ("c1", "c2", "c3"))
    hall.press("Space")
    assert hall.state.program.held is not None
    hall.turn(6)
    record = hall.records[-1]
    assert (record.landed, record.framing_name, record.camera_number) == (True, "Three at once", 0)
    assert record.error_percent < 1
    assert all(hall.state.on_air(n) for n in ("c1", "c2", "c3"))
    assert hall.state.program.overlays.on("title2") == "t2"


def test_a_scene_that_was_readied_last_sends_again(hall):
    hall.press("0", "Q")
    hall.turn(5)
    for n in ("c1", "c2", "c3"):
        hall.cameras[n].asked.clear()
    hall.press("0", "Q")
    assert all(hall.cameras[n].asked for n in ("c1", "c2", "c3"))


def test_what_a_scene_brought_leaves_with_it_and_what_hands_put_on_stays(hall):
    hall.press("Ctrl+1", "0", "Q")
    hall.turn(6)
    hall.press("Space")
    assert set(hall.state.program.overlays.in_use) == {"inset1", "inset2", "inset3", "title2"}
    hall.press("4")
    hall.press("Tab")
    assert set(hall.state.program.overlays.in_use) == {"inset1"}


def test_a_scene_whose_camera_is_on_air_elsewhere_waits_under_then_and_moves_up(hall):
    ready_and_set(hall, "2", "E")
    hall.press("Space", "0", "Q")
    assert "waits under Then" in hall.sentences[-1]
    assert [s.scene_id for s in hall.state.program.then] == ["s1"]
    hall.press("4", "Space")
    assert hall.state.program.next.scene_id == "s1"
    hall.turn(6)
    hall.press("Space")
    assert hall.records[-1].landed


def test_a_scene_with_an_own_transition_is_taken_with_that(hall):
    hall.act("transition.set", kind="dip", seconds=1.2)
    hall.act("scene.transition", scene=1, own=True)
    hall.press("Z")
    ready_and_set(hall, "0", "Q")
    hall.press("Shift+Space")
    assert hall.state.program.in_transition.transition.kind is TransitionKind.DIP


def test_the_desk_as_it_stands_becomes_a_scene(hall):
    ready_and_set(hall, "1", "W")
    hall.press("Space", "Ctrl+1", "Ctrl+6", "0", "Shift+W")
    scene = hall.state.show.scene_numbered(2)
    assert scene.base == Source(camera_id="c1", framing_id="f4")
    assert scene.insets == hall.state.show.insets
    assert scene.title_ids == ("t1", None, None)
    assert scene.transition is None
    hall.press("Shift+W")
    assert "Press long to replace" in hall.sentences[-1]
    hall.act("scene.rename", scene=2, name="Jury and signs")
    hall.act("scene.move", scene=2, to=1)
    assert [s.name for s in hall.state.show.scenes] == ["Jury and signs", "Three at once"]
    hall.act("scene.remove", scene=2)
    hall.press("Ctrl+Z")
    assert len(hall.state.show.scenes) == 2


def test_a_scene_with_something_missing_or_impossible_is_refused_with_a_sentence(hall):
    hall.act("scene.inset", scene=1, slot=2, camera=1, letter="E")
    hall.press("0", "Q")
    assert "camera 1 at two framings" in hall.sentences[-1]
    hall.act("scene.inset", scene=1, slot=2, remove=True)
    hall.act("framing.remove", camera=3, letter="E")
    hall.press("0", "Q")
    assert "was removed" in hall.sentences[-1]
    hall.press("R")
    assert "no scene on R" in hall.sentences[-1]


def test_scenes_of_three_cameras_all_land_under_hold(hall):
    for _ in range(40):
        hall.press("0", "Q", "Space")
        hall.turn(3)
        hall.press("4", "Space", "1", "E", "2", "E", "3", "Q")
        hall.turn(0.7)
    scenes = [r for r in hall.records if r.shot.scene_id is not None]
    assert len(scenes) == 40
    assert all(r.landed for r in scenes)


# Bad moments


def test_clear_takes_everything_off_in_mid_transition(hall):
    hall.press("Ctrl+1", "Ctrl+6", "0", "Q")
    hall.turn(6)
    hall.press("Shift+Space")
    hall.turn(0.3)
    hall.press("Y")
    change = hall.state.program.in_transition
    assert (hall.state.program.overlays, change.before_overlays, change.after_overlays) == (
        NO_OVERLAYS,
        NO_OVERLAYS,
        NO_OVERLAYS,
    )
    assert hall.state.program.on_air == Shot("c1", "f4")
    hall.turn(1)
    assert (hall.state.program.overlays, hall.state.program.on_air) == (NO_OVERLAYS, Shot("c1", "f4"))


def test_black_and_the_card_work_while_a_take_is_held_and_in_mid_transition(hall):
    hall.press("1", "W", "Space", "B", "H")
    assert hall.state.program.held is not None
    hall.turn(0.24)
    assert hall.state.program.black.darkness_at(hall.clock.now_s()) == pytest.approx(0.5)
    hall.press("B")
    hall.turn(0.5)
    assert hall.state.program.black.darkness_at(hall.clock.now_s()) == 0.0
    hall.turn(4)
    assert hall.records[-1].landed
    assert hall.state.program.card
    hall.press("H")
    assert not hall.state.program.card


# All of it together


def test_a_show_with_scenes_and_transitions_is_replayed_to_the_same_state(hall):
    hall.act("transition.set", kind="wipe", shape="clock", seconds=1.2)
    hall.press("Ctrl+1", "0", "Q")
    hall.turn(5)
    hall.press("Shift+Space")
    hall.turn(0.4)
    hall.press("U", "U", "Ctrl+Alt+6", "B")
    hall.turn(2)
    hall.press("0", "Shift+W", "4", "Space", "H")
    hall.turn(1)
    again = replay(hall.opening, hall.entries)
    assert again.state.show == hall.state.show
    assert again.state.program == hall.state.program


KEYS = [
    *("1", "2", "3", "4", "Q", "W", "E", "0", "Space", "Shift+Space", "Tab", "Backspace", "Esc", "U", "Y", "B", "H"),
    *("Ctrl+1", "Ctrl+Alt+1", "Ctrl+6", "Ctrl+Alt+6", "Ctrl+7", "Alt+Q", "Alt+W", "Shift+W", "Ctrl+Z", "X", "V"),
]


@examples(10)
@given(st.lists(st.tuples(st.sampled_from(KEYS), st.sampled_from((0.0, 0.1, 0.9))), min_size=5, max_size=40))
def test_whatever_is_pressed_what_is_on_air_is_whole_and_tally_says_so(presses):
    hall = Hall(composed_show())
    for key, pause_s in presses:
        hall.press(key)
        hall.turn(pause_s)
        state = hall.state
        assert state.program.on_air is not None
        shown = [
            *parts(state, state.program.on_air),
            *(parts(state, state.program.in_transition.before) if state.program.in_transition else ()),
        ]
        assert all(state.on_air(part.camera_id) for part in shown)
        assert state.program.overlays.by_scene <= state.program.overlays.in_use.keys()
        assert state.scene(state.program.on_air) is not None or state.program.on_air.scene_id is None
        assert all(state.show.titled(x) is not None for x in state.program.overlays.layers if isinstance(x, str))
        if state.program.in_transition is not None:
            assert 0 <= state.program.in_transition.progress_at(hall.clock.now_s()) <= 1
            assert state.program.in_transition.after == state.program.on_air
        if state.program.next is not None:
            assert set(state.program.pending) <= {f"inset{n}" for n in (1, 2, 3, 4)} | {
                "key",
                "title1",
                "title2",
                "title3",
            }
    hall.turn(3)
    assert hall.state.program.in_transition is None
    assert hall.state.program.fading == {}


def test_program_changes_its_size_and_rate_only_while_nobody_takes_it_away():
    hall = Hall(small_show())

    def asked(action: str, **arguments) -> str:
        return hall.engine.act(action, arguments, hall.clock.now_s()).refused or ""

    assert asked("outputs.change", format="1080p59.94") == ""
    outputs = hall.state.show.outputs
    assert (outputs.size, float(outputs.rate)) == ((1920, 1080), pytest.approx(59.94, abs=0.001))
    asked("record", on=True)
    assert "Stop that first" in asked("outputs.change", format="720p25")
    assert asked("outputs.change", format="1080p59.94", aux="clean") == ""
    asked("record", on=False)
    assert asked("outputs.change", format="720p25") == ""
    assert asked("outputs.change", format="720p24")


def test_a_journal_of_before_counted_in_frames():
    hall = Hall(small_show())
    made = replay(hall.state, [{"action": "transition.set", "params": {"kind": "wipe", "frames": 50}, "t": 1.0}])
    assert made.state.program.transition.seconds == 2.0
