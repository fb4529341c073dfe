"""Macros on a hand-wound clock: making, recording, running, stopping, and what a dry run foretells."""

from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.dryrun.rehearsal import dry_run
from ribalta.core.engine.journal.replaying import replay
from ribalta.core.engine.loop import Engine
from ribalta.core.ports.causes import ActionRan, By
from ribalta.core.ports.messages import Logged, Notice, ProgramChanged
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.macros import Condition, Is, Macro, Step, StepKind, walk
from tests.core.hand_wound import Hall, small_show
from tests.depth import examples

F = {f"{n}{x}": f"f{3 * n + k}" for n in (1, 2, 3) for k, x in enumerate("QWE")}


def do(action: str, **arguments) -> Step:
    return Step(call=Call(action=action, arguments=arguments))


def ready(camera: int, letter: str) -> Step:
    items = (Item(kind=Kind.FRAMING, id=F[f"{camera}{letter}"], called=letter),)
    return Step(call=Call(action="ready.framing", arguments={"camera": camera, "letter": letter}, items=items))


def wait(seconds: float) -> Step:
    return Step(kind=StepKind.WAIT, seconds=seconds)


UNTIL_SET = Step(kind=StepKind.UNTIL_SET, seconds=20)


def hall_with(*macros: Macro, **settings_) -> Hall:
    return Hall(small_show(**settings_).model_copy(update={"macros": macros}))


def ran(hall: Hall) -> list[str]:
    return [e.action for e in hall.events if isinstance(e, ActionRan)]


def times(hall: Hall, action: str) -> list[float]:
    return [round(e.at_s, 2) for e in hall.events if isinstance(e, ActionRan) and e.action == action]


OPENING = Macro(
    id="a1",
    name="Opening",
    steps=(
        ready(2, "W"),
        UNTIL_SET,
        do("take"),
        wait(1.5),
        ready(1, "E"),
        UNTIL_SET,
        do("take.transition", kind="mix"),
    ),
)


def test_a_macro_waits_for_cameras_and_its_takes_land():
    hall = hall_with(OPENING)
    hall.act("macro.run", macro="a1")
    hall.turn(12)
    assert [r.landed for r in hall.records] == [True, True]
    assert [r.held_s for r in hall.records] == [0.0, 0.0]
    assert hall.state.program.on_air.framing_id == F["1E"]
    assert not hall.state.automation.runs


def test_a_wait_ends_at_its_own_time_however_late_the_loop_wakes():
    hall = hall_with(Macro(id="a1", name="M", steps=(do("black"), wait(0.5), do("black"), wait(0.25), do("card"))))
    start = hall.clock.now_s()
    hall.act("macro.run", macro="a1")
    hall.engine.advance(hall.clock.advance(10))
    hall._serve()
    assert times(hall, "black") == [round(start, 2), round(start + 0.5, 2)]
    assert times(hall, "card") == [round(start + 0.75, 2)]


def test_steps_together_run_beside_each_other_and_what_follows_waits_for_all():
    both = Step(
        kind=StepKind.TOGETHER,
        steps=(
            Step(kind=StepKind.REPEAT, times=1, steps=(wait(1.0), do("black"))),
            Step(kind=StepKind.REPEAT, times=3, steps=(wait(0.5), do("card"))),
        ),
    )
    hall = hall_with(Macro(id="a1", name="M", steps=(both, do("clear"))))
    start = hall.clock.now_s()
    hall.act("macro.run", macro="a1")
    hall.turn(3)
    assert times(hall, "card") == [round(start + k * 0.5, 2) for k in (1, 2, 3)]
    assert times(hall, "black") == [round(start + 1.0, 2)]
    assert times(hall, "clear") == [round(start + 1.5, 2)]


def test_an_if_looks_when_it_is_reached_and_steps_that_are_off_are_passed_over():
    on_air = Condition(what=Is.ON_AIR, item=Item(kind=Kind.CAMERA, id="c4"))
    step = Step(kind=StepKind.IF, condition=on_air, steps=(do("black"),), otherwise=(do("card"),))
    off = do("clear").model_copy(update={"off": True})
    hall = hall_with(Macro(id="a1", name="M", steps=(off, step)))
    hall.act("macro.run", macro="a1")
    assert ran(hall) == ["macro.run", "black"]
    hall.act("ready.camera", camera=1)
    hall.act("take")
    hall.turn(3)
    hall.act("macro.run", macro="a1")
    assert ran(hall)[-1] == "card"


def test_waits_for_a_take_and_for_a_key_can_be_limited_and_skipped():
    until_taken = Step(kind=StepKind.UNTIL_TAKEN, seconds=2, then_stop=True)
    until_key = Step(kind=StepKind.UNTIL_KEY)
    hall = hall_with(
        Macro(id="a1", name="Taken", steps=(until_taken, do("black"))),
        Macro(id="a2", name="Key", steps=(until_key, do("card"))),
    )
    hall.act("macro.run", macro="a1")
    hall.turn(3)
    assert "black" not in ran(hall)
    assert any("“Taken” waited 2 s in vain for a take, so it stopped." in s for s in hall.sentences)
    hall.act("macro.run", macro="a1")
    hall.act("cover")
    hall.act("ready.camera", camera=1)
    hall.act("take")
    hall.turn(1)
    assert "black" in ran(hall)
    hall.act("macro.run", macro="a2")
    hall.turn(60)
    assert "card" not in ran(hall)
    hall.act("macro.continue")
    assert ran(hall)[-1] == "card"
    hall.act("macro.run", macro="a1")
    hall.act("macro.skip", macro="a1")
    assert ran(hall)[-1] == "black"


def test_what_pressing_a_running_macro_does_is_its_own_choice():
    def counted(again: str) -> int:
        hall = hall_with(Macro(id="a1", name="M", again=again, steps=(wait(1), do("black"))))
        hall.act("macro.run", macro="a1")
        hall.turn(0.5)
        hall.act("macro.run", macro="a1")
        hall.turn(4)
        return ran(hall).count("black")

    assert [counted(again) for again in ("restart", "ignore", "stop", "queue")] == [1, 1, 0, 2]


def test_a_pause_keeps_the_time_that_is_left():
    hall = hall_with(Macro(id="a1", name="M", steps=(wait(2), do("black"))))
    hall.act("macro.run", macro="a1")
    hall.turn(0.5)
    hall.act("macro.pause")
    hall.turn(5)
    hall.act("macro.pause")
    hall.turn(1.4)
    assert "black" not in ran(hall)
    hall.turn(0.2)
    assert "black" in ran(hall)


def test_a_macro_that_would_run_itself_is_refused_with_the_path():
    hall = hall_with(
        Macro(id="a1", name="Opening", steps=(Step(kind=StepKind.MACRO, macro="a2"),)),
        Macro(id="a2", name="Music", steps=(do("macro.run", macro="a3"),)),
        Macro(id="a3", name="Lights"),
    )
    step = {"kind": "macro", "macro": "a1"}
    hall.act("macro.add_steps", macro="a3", path=(0,), steps=[step])
    assert hall.sentences[-1] == "It would run itself: “Lights” → “Opening” → “Music” → “Lights”."
    assert not hall.state.show.macro("a3").steps
    endless = {"kind": "repeat", "times": 0, "steps": [do("black").model_dump()]}
    hall.act("macro.add_steps", macro="a3", path=(0,), steps=[endless])
    assert "repeats without an end and without waiting" in hall.sentences[-1]
    endless["steps"].append(wait(1).model_dump())
    hall.act("macro.add_steps", macro="a3", path=(0,), steps=[endless])
    assert len(hall.state.show.macro("a3").steps) == 1


def test_steps_are_edited_in_place_and_every_edit_is_undone():
    hall = hall_with(OPENING)
    before = hall.state.show.macros
    hall.act("macro.retime", macro="a1", factor=2)
    assert hall.state.show.macro("a1").steps[3].seconds == 3.0
    hall.act("macro.add_steps", macro="a1", path=(3,), steps=[wait(0.4).model_dump()], instead=True)
    hall.act("macro.add_steps", macro="a1", path=(0,), steps=[{"kind": "repeat", "times": 2, "steps": []}])
    hall.act("macro.add_steps", macro="a1", path=(0, 0), steps=[do("black").model_dump(), wait(1).model_dump()])
    hall.act("macro.move", macro="a1", path=(0, 1), by=-1)
    hall.act("macro.duplicate_step", macro="a1", path=(0, 0))
    hall.act("macro.remove_step", macro="a1", path=(0, 2))
    macro = hall.state.show.macro("a1")
    assert [s.kind for s in macro.steps[0].steps] == ["wait", "wait"]
    assert [path for path, _ in walk(macro.steps)][:4] == [(0,), (0, 0), (0, 1), (1,)]
    for _ in range(7):
        hall.act("edit.undo")
    assert hall.state.show.macros == before


def test_what_is_recorded_means_the_same_wherever_the_letters_are_named():
    hall = Hall(small_show())
    hall.act("macro.record", on=True, name="Taped")
    hall.press("2", "W")
    hall.turn(3)
    hall.press("Space")
    hall.turn(1.25)
    hall.press("E")
    hall.act("macro.record", on=False)
    macro = hall.state.show.macros[0]
    assert macro.name == "Taped"
    assert [s.call.action if s.call else s.seconds for s in macro.steps] == [
        *("ready.framing", 3.0, "take", 1.25, "ready.framing")
    ]
    hall.press("1")
    hall.act("macro.run", macro=macro.id)
    hall.turn(0.1)
    assert hall.state.desk.row == "c2"


def test_an_item_that_moves_is_followed_and_one_that_is_gone_is_said():
    hall = hall_with(Macro(id="a1", name="M", steps=(ready(2, "W"), do("take"))))
    hall.act("framing.move", camera=2, letter="W", to_letter="G")
    hall.act("camera.renumber", camera=2, to=7)
    hall.act("macro.run", macro="a1")
    assert hall.state.program.next.framing_id == F["2W"]
    hall.act("unready")
    hall.act("framing.remove", camera=7, letter="G")
    assert "is used by macro “M”" in hall.sentences[-1]
    hall.act("framing.remove", camera=7, letter="G", users="leave")
    hall.act("macro.run", macro="a1")
    assert any("“W” was removed, so nothing was done" in s for s in hall.sentences)
    hall.act("edit.undo")
    hall.act("framing.remove", camera=7, letter="G", users="remove")
    assert [s.call.action for s in hall.state.show.macro("a1").steps] == ["take"]


def test_why_shows_the_chain_that_moved_a_camera():
    hall = hall_with(OPENING)
    hall.engine.act("macro.run", {"macro": "a1"}, hall.clock.now_s(), cause=hall_cause("key", "F5"))
    hall._serve()
    hall.turn(0.1)
    chain = hall.engine.history.chain(hall.state.live("c2").moved_by)
    assert [(r.cause.by, r.action) for r in chain] == [(By.KEY, "macro.run"), (By.MACRO, "ready.framing")]
    assert chain[-1].cause.words == "“Opening”, step 1"
    assert chain[-1].words == "Ready camera 2 at “2W”"


def hall_cause(by: str, words: str):
    from ribalta.core.ports.causes import Cause

    return Cause(By(by), words)


def test_a_dry_run_foretells_order_and_times():
    hall = hall_with(OPENING)
    lines = dry_run(hall.state, Call(action="macro.run", arguments={"macro": "a1"}), hall.clock.now_s())
    start = hall.clock.now_s()
    hall.act("macro.run", macro="a1")
    hall.turn(14)
    real = [e for e in hall.events if isinstance(e, ActionRan) and e.cause.by is By.MACRO]
    foretold = [line for line in lines if line.action]
    assert [line.action for line in foretold] == [e.action for e in real]
    assert [line.landed for line in lines if line.landed is not None] == [True, True]
    for line, event in zip(foretold, real, strict=True):
        assert abs(line.at_s - (event.at_s - start)) < 0.6, line  # the hall's cameras move in their own way
    assert not hall.engine.state.automation.runs


# Whatever is done

KEYS = ("1", "2", "3", "Q", "W", "E", "Space", "Shift+Space", "Backspace", "Tab", "Z", "V", "B", "H", "Alt+W", "Esc")


@given(st.lists(st.tuples(st.sampled_from(KEYS), st.floats(0, 2)), min_size=1, max_size=12))
@examples(20)
def test_any_macro_that_was_recorded_gives_the_same_events_when_it_is_run_from_the_same_state(presses):
    hall = Hall(small_show())
    hall.act("macro.record", on=True)
    opening, now_s = hall.state, hall.clock.now_s()
    cameras = {name: (camera.aim, camera.goal) for name, camera in hall.cameras.items()}
    hall.events.clear()
    for key, pause in presses:
        hall.press(key)
        hall.turn(round(pause, 2))
    done = hall.clock.now_s() - now_s
    first = _events(hall)
    hall.act("macro.record", on=False)
    if not hall.state.show.macros:
        return
    again = Hall(hall.state.show)
    again.clock.advance(now_s - again.clock.now_s())
    again.engine = Engine(opening.with_(show=hall.state.show).with_automation(recording=None))
    for name, (aim, goal) in cameras.items():
        again.cameras[name].aim, again.cameras[name].goal = aim, goal
    again._report_s = 0.0
    again.events.clear()
    again.act("macro.run", macro=again.state.show.macros[0].id)
    again.turn(done)
    assert _events(again)[: len(first)] == first


def _events(hall: Hall) -> list[object]:
    """What became of it; refused presses are not recorded, so what they say is left out."""
    kept = [e for e in hall.events if isinstance(e, ProgramChanged | Logged)]
    return [
        (e.record.shot, e.record.landed, e.record.transition_s)
        if isinstance(e, Logged)
        else (e.before, e.after, e.transition_s)
        for e in kept
    ]


leaf = st.sampled_from(
    [
        *(do("black"), do("card"), ready(1, "W"), ready(2, "E"), do("take"), wait(0.1), wait(0.7), UNTIL_SET),
        *(Step(kind=StepKind.UNTIL_TAKEN, seconds=0.5), Step(kind=StepKind.UNTIL_KEY, seconds=0.3)),
    ]
)
tree = st.recursive(
    leaf,
    lambda inner: st.builds(
        lambda kind, steps, times_, wanted: Step(
            kind=kind,
            steps=tuple(steps),
            times=times_,
            condition=Condition(what=Is.ON_AIR, item=Item(kind=Kind.CAMERA, id="c4"), wanted=wanted),
        ),
        st.sampled_from([StepKind.REPEAT, StepKind.TOGETHER, StepKind.IF]),
        st.lists(inner, max_size=3),
        st.integers(1, 3),
        st.booleans(),
    ),
    max_leaves=8,
)


@given(st.lists(tree, min_size=1, max_size=5), st.floats(0, 4))
def test_stopping_at_any_point_leaves_no_step_pending(steps, after_s):
    hall = hall_with(Macro(id="a1", name="M", steps=tuple(steps)))
    hall.act("macro.run", macro="a1")
    hall.turn(round(after_s, 2))
    hall.act("macro.stop")
    hall.events.clear()
    hall.turn(3)
    hall.engine.advance(hall.clock.now_s() + 1000)
    hall._serve()
    assert not hall.state.automation.runs
    assert [e for e in hall.events if isinstance(e, ActionRan)] == []


@given(st.lists(tree, min_size=1, max_size=5))
def test_a_macro_always_ends_and_replaying_its_inputs_leads_to_the_same(steps):
    hall = hall_with(Macro(id="a1", name="M", steps=tuple(steps)))
    hall.act("macro.run", macro="a1")
    hall.turn(5)
    hall.engine.advance(hall.clock.now_s() + 2000)
    assert not hall.state.automation.runs
    again = replay(hall.opening, hall.entries)
    again.advance(hall.clock.now_s() + 2000)
    assert again.state.program.records == hall.state.program.records
    assert again.state.program.on_air == hall.state.program.on_air
    assert again.state.run.count == hall.state.run.count


def test_a_macro_that_runs_wild_is_stopped_and_said():
    inner = Step(kind=StepKind.REPEAT, times=1000, steps=(do("card"),))
    hall = hall_with(Macro(id="a1", name="Wild", steps=(Step(kind=StepKind.REPEAT, times=1000, steps=(inner,)),)))
    hall.act("macro.run", macro="a1")
    assert not hall.state.automation.runs
    said = [e.sentence for e in hall.events if isinstance(e, Notice) and "put a wait into it" in e.sentence]
    assert said == ["“Wild” did 2000 things at once and was stopped: put a wait into it."]
