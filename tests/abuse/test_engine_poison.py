"""An input happens wholly or not at all, and a take never depends on automation."""

import dataclasses
import os
import random
import time
from collections import Counter

import pytest

from ribalta.core.engine import aftermath, loop
from ribalta.core.engine.automation import macro_runner, playlist_runner, triggers
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.program import overlays, switching
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.program.open_microphones import channels
from ribalta.core.engine.state.action import Action, NoParams, Outcome
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.engine.trouble import SAY_AGAIN_S
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.messages import MessageCame, Notice, PicturePresence, Position, ProgramChanged, VoicesHeard
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.macros import Macro, Step, StepKind
from ribalta.core.show.automation.playlists import Entry, EntryKind, Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import Trigger, When, WhenKind
from ribalta.core.show.document.sound import Microphone
from ribalta.media.program.mixer import Mixer
from ribalta.media.sources.source import Frame
from ribalta.server.program_host import plan_of
from ribalta.workers import crew
from ribalta.workers.crew import Crew
from tests.abuse.outside import Outside
from tests.abuse.poison import Poison, Poisoner
from tests.core.hand_wound import small_show
from tests.pictures import grey, level

SEEDS = range(int(os.environ.get("RIBALTA_SEEDS", "3")))
AUTOMATION = {
    "macro_runner": ("due_s", "step", "run_wild"),
    "playlist_runner": ("due_s", "advance", "after_change", "retimed"),
    "voice_follow": ("due_s", "step", "after_change", "why"),
    "triggers": ("alarm_s", "happened", "of_message", "fire", "with_alarm", "ring", "set_now", "set_due_s"),
    "switching": ("end_change", "release_held", "held_deadline_s"),
    "overlays": ("due_s", "settle"),
}
OUTSIDE = {"driver", "link", "receiver", "microphone", "headphones", "opening", "plug", "ear"}
POISONED = {"tally", "journal", "source", "tap", "composer"} | OUTSIDE
MODULES = {
    m.__name__.rpartition(".")[2]: m
    for m in (macro_runner, playlist_runner, voice_follow, triggers, switching, overlays)
}


def into(patch, name: str, value: object) -> None:
    """Wherever the engine calls it."""
    for module in (loop, aftermath):
        if hasattr(module, name):
            patch.setattr(module, name, value)


def busy_show():
    """Macros that go round, triggers at each take and on time, a playlist, microphones: all at once."""
    ready = Call(action="ready.camera", arguments={"camera": 3})
    steps = (Step(kind=StepKind.WAIT, seconds=0.3), Step(kind=StepKind.DO, call=Call(action="trim.drop")))
    macro = Macro(id="k1", name="Round", steps=(Step(kind=StepKind.REPEAT, times=0, steps=steps),))
    kinds = ((WhenKind.TAKEN, {}), (WhenKind.LEFT, {}), (WhenKind.SET, {}), (WhenKind.ON_AIR_FOR, {"seconds": 0.2}))
    made = [
        Trigger(id=f"g{k}", name=f"Trigger {kind}", when=When(kind=kind, **more), calls=(Call(action="layer.none"),))
        for k, (kind, more) in enumerate((*kinds, (WhenKind.MESSAGE, {"message": "osc /go"})))
    ]
    framings = [Item(kind=Kind.FRAMING, id=f"f{n}", called="") for n in (3, 6, 9)]
    entries = tuple(Entry(kind=EntryKind.SHOT, item=item, amount=0.5) for item in framings)
    mics = tuple(Microphone(id=f"m{n}", number=n, name=f"Mic {n}", address=f"rtp://239.0.0.{n}:4") for n in (1, 2))
    show = small_show(landing_rule="straight")
    return show.model_copy(
        update={
            "macros": (macro,),
            "triggers": tuple(made),
            "playlists": (Playlist(id="l1", name="Round", entries=entries, times=0),),
            "microphones": mics,
        }
    ), ready


def poisoned(monkeypatch, poison: Poisoner, **catalogue) -> Engine:
    for name, functions in AUTOMATION.items():
        into(monkeypatch, name, poison.of(MODULES[name], name, functions))
    into(monkeypatch, "light", lambda *given: poison.call("tally.light", light, *given))
    into(monkeypatch, "with_call", lambda *given: poison.call("macro_recorder.with_call", with_call, *given))
    show, _ = busy_show()
    return Engine(all_there(show), lambda entry, _: poison.call("journal", lambda _: None, entry), **catalogue)


PARTS = (
    "The conversation with camera",
    "Telling 127.0.0.1",
    "The sound from",
    "Listening",
    "What takes the sound away",
)
light, with_call = aftermath.light, loop.with_call


class Still:
    """A camera's picture of one grey."""

    trouble, newest_s = None, 0.0

    def __init__(self, level: int) -> None:
        self._frame = Frame(1, 0.0, grey(level, 64, 36))

    def arrives(self, now_s: float) -> bool:
        return True

    def step(self, now_s: float, frame_s: float | None) -> None: ...

    def want_main(self, now_s: float) -> None: ...

    def best(self) -> Frame:
        return self._frame

    def small(self) -> Frame:
        return self._frame

    def close(self) -> None: ...


class Taken:
    what = "program"

    def __init__(self) -> None:
        self.frames = 0

    def take(self, tick: int, at_s: float, picture) -> None:
        self.frames += 1


def poisoned_mixer(poison: Poisoner, said: list[str]) -> Mixer:
    """Its clock is not started: frames are made by hand. Each picture was seen once before."""
    sources = {f"c{n}": poison.of(Still(50 * n), "source") for n in (1, 2, 3, 4)}
    mixer = Mixer(sources, lambda _: None, size=(64, 36), crew=Crew(said.append))
    for guarded in mixer._sources.values():
        guarded.best(), guarded.small()
    mixer.taps = (poison.of(Taken(), "tap"), Taken())
    mixer._composer = poison.of(mixer._composer, "composer")
    mixer.desk_pictures.show_at({"next": (32, 18), "c1": (16, 9)})
    return mixer


@pytest.mark.parametrize("seed", SEEDS)
def test_two_hundred_takes_are_on_air_whatever_fails(monkeypatch, request, seed):
    poison = Poisoner(seed, 0.08)
    engine, chance = poisoned(monkeypatch, poison), random.Random(seed)
    now_s, heard, said, began_s = 10.0, [], [], time.monotonic()
    mixer = poisoned_mixer(poison, said)
    outside, turns, due = Outside(poison, engine.state.show, monkeypatch), 0, []
    request.addfinalizer(outside.close)
    poison.on = True
    for take in range(200):
        if take % 10 == 0:
            engine.act("macro.run", {"macro": "k1"}, now_s)
            engine.act("playlist.start", {"playlist": "l1"}, now_s)
            engine.act("voice.mode", {"mode": "automatic"}, now_s)
            for trigger in engine.state.show.triggers:
                engine.act("trigger.change", {"trigger": trigger.id, "enabled": True}, now_s)
        for _ in range(3):
            now_s += chance.choice((0.02, 0.1, 0.4))
            engine.report(Position("c1", engine.state.live("c1").aim, now_s), now_s)
            engine.report(MessageCame("osc /go"), now_s)
            engine.report(VoicesHeard(("m1",) if take % 2 else ()), now_s)
            engine.advance(now_s)
            outside.turn(engine.state, due, now_s, channels(engine.state))
            turns, due = turns + 1, []
        number = chance.choice([n for n in (1, 2, 3, 4) if f"c{n}" != engine.state.program.on_air.camera_id])
        engine.act("ready.camera", {"camera": number}, now_s)
        takes = engine.state.program.takes
        engine.act("take", {}, now_s)
        assert engine.state.program.takes > takes
        assert engine.state.program.on_air.camera_id == f"c{number}", take
        assert (engine.state.run.id, engine.state.run.depth) == (0, 0)
        mixer.follow(plan_of(engine.state))
        mixer.round(take, 0.0)
        mixer.desk_pictures.round()
        assert level(mixer.program) == 50 * number, take
        events, due = engine.drain()
        heard += [(now_s, e) for e in events if isinstance(e, Notice)]
    told = [(at_s, e.sentence) for at_s, e in heard if "mistake of Ribalta's" in e.sentence]
    last: dict[str, float] = {}
    for at_s, sentence in told:  # nothing is told without end
        assert at_s - last.get(sentence, float("-inf")) >= SAY_AGAIN_S - 1.3, sentence  # heard that late
        last[sentence] = at_s
    assert poison.raised.total() > 200
    assert mixer.taps[1].frames == 200
    most = 1 + int((time.monotonic() - began_s) / crew.SAY_AGAIN_S)  # the crew's clock is the real one
    times = Counter(said)
    assert len([s for s in times if s.startswith("The picture of camera")]) in (3, 4)
    for begins in ("The picture of camera", "What lies over program", "What takes program away"):
        assert all(1 <= times[s] <= most for s in times if s.startswith(begins))
    assert len([s for s in times if s.startswith("What lies over program")]) == 1
    assert len([s for s in times if s.startswith("What takes program away")]) == 1
    assert len(last) >= 5
    assert outside.ear.blocks == turns
    assert {name.partition(".")[0] for name in poison.raised} >= POISONED | AUTOMATION.keys()
    told_outside = Counter(outside.said)
    assert max(told_outside.values()) <= most
    for part in PARTS:
        assert len([s for s in told_outside if s.startswith(part)]) in range(1, 4), (part, told_outside)
    poison.on = False
    outside.told()
    outside.turn(engine.state, (), now_s + 9, channels(engine.state))
    assert min(outside.told()) > 0  # every receiver is told what is on air


@pytest.mark.parametrize("module", AUTOMATION)
def test_what_always_fails_is_switched_off_and_told_once(monkeypatch, module):
    """Each of these made every later take fail."""
    for function in AUTOMATION[module]:
        poison = Poisoner(1, 1.0)
        with monkeypatch.context() as patch:
            engine = poisoned(patch, poison)
            into(patch, module, poison.of(MODULES[module], module, (function,)))
            for other in AUTOMATION.keys() - {module}:
                into(patch, other, MODULES[other])
            into(patch, "light", light)
            engine._journal = lambda _: None
            engine = Engine(engine.state)
            now_s = 10.0
            engine.act("transition.set", {"kind": "mix", "seconds": 0.2}, now_s)
            for action, arguments in (
                ("macro.run", {"macro": "k1"}),
                ("playlist.start", {"playlist": "l1"}),
                ("voice.mode", {"mode": "automatic"}),
            ):
                engine.act(action, arguments, now_s)
            poison.on = True
            for k in range(6):
                now_s += 1.0
                engine.report(MessageCame("osc /go"), now_s)
                engine.act("ready.camera", {"camera": 1 + k % 2}, now_s)
                engine.act("take", {}, now_s)
                assert engine.state.program.on_air.camera_id == f"c{1 + k % 2}", function
            engine.advance(now_s + 1)
            told = Counter(e.sentence for e in engine.drain()[0] if isinstance(e, Notice) and "mistake" in e.sentence)
            if poison.raised:
                assert told, function
                assert max(told.values()) == 1, (function, told)


def test_a_failed_input_leaves_everything_as_it_was(monkeypatch):
    def fails(state, params, now_s):
        raise Poison("in an action")

    rows = (*CATALOGUE.rows, Action("test.fails", "Fail", NoParams, fails))
    engine = Engine(all_there(small_show()), catalogue=Catalogue(rows))
    engine.drain()
    before = engine.state
    ran = engine.act("test.fails", {}, 5.0)
    assert engine.state.with_run(count=before.run.count) == before
    assert "not done" in ran.refused
    said = [e for e in engine.drain()[0] if isinstance(e, Notice)]
    assert len(said) == 1
    assert "Poison" in said[0].sentence


@pytest.mark.parametrize("by", ["macro", "trigger", "playlist"])
def test_what_asked_for_an_action_that_fails_is_switched_off_and_named(by):
    def fails(state, params, now_s):
        raise Poison("in an action")

    rows = tuple(r if r.id != "trim.drop" else dataclasses.replace(r, run=fails) for r in CATALOGUE.rows)
    show, _ = busy_show()
    call = Call(action="trim.drop")
    macro = Macro(id="k9", name="Bad", steps=(Step(kind=StepKind.DO, call=call),))
    trigger = Trigger(id="g9", name="Worse", when=When(kind=WhenKind.TAKEN), calls=(call,))
    entry = Entry(kind=EntryKind.MACRO, item=Item(kind=Kind.MACRO, id="k9", called="Bad"), amount=5)
    update = {"macros": (macro,), "triggers": (trigger,) if by == "trigger" else ()}
    if by == "playlist":
        update["playlists"] = (Playlist(id="l9", name="Worst", entries=(entry,)),)
        rows = tuple(r if r.id != "macro.run" else dataclasses.replace(r, run=fails) for r in rows)
    engine = Engine(all_there(show.model_copy(update=update)), catalogue=Catalogue(rows))
    if by == "macro":
        engine.act("macro.run", {"macro": "k9"}, 1.0)
    elif by == "playlist":
        engine.act("playlist.start", {"playlist": "l9"}, 1.0)
    for k in range(3):
        engine.act("ready.camera", {"camera": 1 + k}, 2.0 + k)
        engine.act("take", {}, 2.0 + k)
    said = [e.sentence for e in engine.drain()[0] if isinstance(e, Notice)]
    name = {"macro": "Macro “Bad”", "trigger": "Trigger “Worse”", "playlist": "Playlist “Worst”"}[by]
    assert [s for s in said if s.startswith(name) and "mistake" in s], said
    assert engine.state.automation.runs == ()
    assert engine.state.automation.playlist is None
    assert engine.state.program.on_air.camera_id == "c3"
    if by == "trigger":
        assert engine.state.automation.fired["g9"].broken
        engine.act("trigger.change", {"trigger": "g9", "enabled": True}, 9.0)
        assert not engine.state.automation.fired["g9"].broken


def test_a_deadline_that_cannot_even_be_asked_for_is_no_deadline(monkeypatch):
    poison = Poisoner(1, 1.0)
    into(monkeypatch, "playlist_runner", poison.of(playlist_runner, "playlist_runner", ("due_s",)))
    engine = Engine(all_there(small_show()))
    engine.report(PicturePresence("c1", True), 1.0)
    poison.on = True
    assert engine.next_deadline_s() == NEVER_S
    engine.act("ready.camera", {"camera": 2}, 2.0)
    engine.act("take", {}, 2.0)
    assert [e for e in engine.drain()[0] if isinstance(e, ProgramChanged)]


def test_an_outcome_that_is_none_is_a_mistake_too():
    rows = tuple(
        r if r.id != "trim.drop" else dataclasses.replace(r, run=lambda *_: Outcome(None))  # type: ignore[arg-type]
        for r in CATALOGUE.rows
    )
    engine = Engine(all_there(small_show()), catalogue=Catalogue(rows))
    engine.act("trim.drop", {}, 1.0)
    engine.act("ready.camera", {"camera": 2}, 2.0)
    engine.act("take", {}, 2.0)
    assert engine.state.program.on_air.camera_id == "c2"
    assert engine.state.voice.mode is VoiceMode.OFF
