"""When something happens, only if, then: on a hand-wound clock."""

import time

from hypothesis import given
from hypothesis import strategies as st

from ribalta.core.engine.automation import triggers
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.state.live import opening_state
from ribalta.core.ports.causes import ActionRan, By
from ribalta.core.ports.messages import MessageCame, OutputEnded, RoomLeft
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.macros import Condition, Is
from ribalta.core.show.automation.triggers_pads_shortcuts import Trigger, When, WhenKind
from ribalta.core.show.document.scenes import Scene, Source
from ribalta.core.show.document.sound import Microphone
from tests.core.hand_wound import Hall, small_show

SCENE = Item(kind=Kind.SCENE, id="s1", called="Jury")


def call(action: str, **arguments) -> Call:
    return Call(action=action, arguments=arguments)


def send(camera: int, letter: str) -> Call:
    return call("framing.restore", camera=camera, letter=letter)


def trigger(kind: WhenKind, *calls: Call, item: Item | None = None, id_: str = "g1", **fields) -> Trigger:
    when = {n: fields.pop(n) for n in ("at", "seconds", "minutes", "message") if n in fields}
    return Trigger(id=id_, name=f"T{id_}", when=When(kind=kind, item=item, **when), calls=calls, **fields)


def hall_with(*made: Trigger, **opening) -> Hall:
    show = small_show().model_copy(
        update={
            "triggers": made,
            "scenes": (Scene(id="s1", number=1, name="Jury", base=Source(camera_id="c1", framing_id="f4")),),
            "microphones": (Microphone(id="m1", number=1, name="Host", address="", channel=1, muted=True),),
        }
    )
    hall = Hall(show)
    if opening:
        hall.engine = Engine(opening_state(show, hall.clock.now_s(), **opening))
        hall.turn(0.5)
    return hall


def fired(hall: Hall, id_: str = "g1") -> int:
    return hall.state.automation.fired.get(id_, triggers.NEVER_FIRED).count


def by_triggers(hall: Hall) -> list[str]:
    return [e.action for e in hall.events if isinstance(e, ActionRan) and e.cause.by is By.TRIGGER]


def test_a_playlist_that_goes_on_is_a_moment():
    hall = hall_with(
        trigger(WhenKind.PLAYLIST, call("card"), item=Item(kind=Kind.PLAYLIST, id="l100")),
        trigger(WhenKind.PLAYLIST, call("cover"), item=Item(kind=Kind.PLAYLIST, id="l7"), id_="g2"),
    )
    entries = [{"item": {"kind": "camera", "id": c}, "amount": 2.0} for c in ("c4", "c1", "c4")]
    hall.act("playlist.add", name="Round", entries=entries)
    hall.act("playlist.start", playlist="l100")
    hall.turn(1)
    assert fired(hall) == 1
    hall.act("playlist.pause")
    hall.turn(3)
    hall.act("playlist.pause")
    assert fired(hall) == 1
    hall.turn(6)
    assert fired(hall) == 3
    assert fired(hall, "g2") == 0


def test_a_scene_recalls_two_framings_every_time_it_is_readied():
    hall = hall_with(trigger(WhenKind.READIED, send(2, "W"), send(3, "E"), item=SCENE))
    for k in range(10):
        for camera, letter in ((2, "Q"), (3, "Q")):
            hall.act("framing.restore", camera=camera, letter=letter)
        hall.turn(3)
        hall.act("scene.ready", scene=1)
        assert fired(hall) == k + 1
        assert hall.state.live("c2").goal_framing_id == "f7"
        assert hall.state.live("c3").goal_framing_id == "f11"
        hall.turn(3)


def test_shots_are_taken_and_leave_also_through_transitions():
    camera = Item(kind=Kind.CAMERA, id="c4")
    hall = hall_with(
        trigger(WhenKind.LEFT, call("black"), item=camera),
        trigger(WhenKind.TAKEN, call("card"), item=camera, id_="g2"),
    )
    hall.act("ready.camera", camera=1)
    hall.turn(1)
    hall.act("take.transition", kind="mix", seconds=1.0)
    hall.turn(0.5)
    assert by_triggers(hall) == []
    hall.turn(1)
    assert by_triggers(hall) == ["black"]
    hall.act("cover")
    assert by_triggers(hall) == ["black", "card"]


def test_cameras_set_lost_and_back_are_noticed_each_time():
    item = Item(kind=Kind.CAMERA, id="c2")
    hall = hall_with(
        trigger(WhenKind.SET, call("black"), item=item),
        trigger(WhenKind.LOST, call("card"), item=item, id_="g2"),
        trigger(WhenKind.BACK, call("clear"), id_="g3"),
    )
    hall.act("ready.framing", camera=2, letter="W")
    assert fired(hall) == 0
    hall.turn(3)
    assert fired(hall) == 1
    set_s = hall.state.automation.fired["g1"].last_s
    assert abs(set_s - (hall.state.live("c2").still_since_s + 0.12)) < 1e-6  # when its picture shows it
    hall.act("ready.framing", camera=2, letter="E")
    hall.turn(3)
    hall.contact("c2", False)
    hall.contact("c2", True)
    assert [fired(hall, g) for g in ("g1", "g2", "g3")] == [2, 1, 1]


def test_a_time_of_day_comes_once_a_day_and_what_has_gone_by_does_not():
    noon = 12 * 3600.0
    hall = hall_with(
        trigger(WhenKind.TIME, call("black"), at="12:00:10"),
        trigger(WhenKind.TIME, call("card"), at="11:59", id_="g2"),
        wall_s=noon - 3600 * 2,
        utc_offset_s=7200.0,
    )
    hall.turn(9)
    assert (fired(hall), fired(hall, "g2")) == (0, 0)
    hall.turn(1.5)
    assert (fired(hall), fired(hall, "g2")) == (1, 0)
    hall.engine.advance(hall.clock.advance(86400))
    assert (fired(hall), fired(hall, "g2")) == (2, 1)
    hall.act("trigger.add", name="Late", when={"kind": "time of day", "at": "12:00"}, calls=[{"action": "black"}])
    hall.turn(1)
    assert not [g for g in hall.state.automation.fired if g not in ("g1", "g2")]


def test_so_long_on_air_is_told_once_for_each_time_on_air():
    hall = hall_with(trigger(WhenKind.ON_AIR_FOR, call("card"), seconds=5))
    hall.turn(5)
    assert fired(hall) == 1
    hall.turn(20)
    assert fired(hall) == 1
    hall.act("ready.camera", camera=1)
    hall.act("take")
    hall.turn(4)
    assert fired(hall) == 1
    hall.turn(2)
    assert fired(hall) == 2


def test_microphones_recordings_disk_and_messages():
    mic = Item(kind=Kind.MICROPHONE, id="m1")
    hall = hall_with(
        trigger(WhenKind.MIC_OPENS, call("black"), item=mic),
        trigger(WhenKind.MIC_CLOSES, call("black"), item=mic, id_="g2"),
        trigger(WhenKind.RECORDING_STOPS, call("card"), id_="g3"),
        trigger(WhenKind.DISK_LOW, call("card"), minutes=10, id_="g4"),
        trigger(WhenKind.MESSAGE, call("cover"), message="osc /go", id_="g5"),
    )
    for _ in range(2):
        hall.act("mic.mute", mic=1)
        hall.act("mic.mute", mic=1)
    hall.act("record", on=True)
    hall.engine.report(OutputEnded("recording", "no room"), hall.clock.now_s())
    for minutes in (30, 9, 8, 30, 9):
        hall.engine.report(RoomLeft(minutes), hall.clock.now_s())
    for line in ("osc /go", "osc /go 1", "osc /gone", "midi note 1 60"):
        hall.engine.report(MessageCame(line), hall.clock.now_s())
    assert [fired(hall, f"g{k}") for k in (1, 2, 3, 4, 5)] == [2, 2, 1, 2, 2]


def test_what_held_a_trigger_back_is_said():
    on_air = Condition(what=Is.ON_AIR, item=Item(kind=Kind.CAMERA, id="c2"))
    hall = hall_with(
        trigger(WhenKind.READIED, call("black"), only_if=(on_air,)),
        trigger(WhenKind.READIED, call("card"), once=True, id_="g2"),
        trigger(WhenKind.READIED, call("card"), apart_s=5, id_="g3"),
        trigger(WhenKind.READIED, call("card"), on_air_only=True, id_="g4"),
        trigger(WhenKind.READIED, call("card"), enabled=False, id_="g5"),
    )
    hall.act("view.shown", view="Cue")
    for _ in range(2):
        hall.act("ready.camera", camera=1)
        hall.turn(1)
    why = {g: f.why_not for g, f in hall.state.automation.fired.items()}
    assert why["g1"] == "camera 2 was not on air"
    assert why["g2"] == "it fires once, and has"
    assert why["g3"] == "it had fired 1.0 s before, and does so every 5 s at most"
    assert why["g4"] == "it is armed only on Air, and Cue was shown"
    hall.act("trigger.change", trigger="g2", enabled=True)
    hall.act("ready.camera", camera=1)
    assert [fired(hall, f"g{k}") for k in (1, 2, 3, 4, 5)] == [0, 2, 1, 0, 0]


def test_trying_leaves_what_is_on_air_alone():
    hall = hall_with(trigger(WhenKind.READIED, send(2, "W"), call("cover"), call("black"), item=SCENE))
    on_air = hall.state.program.on_air
    hall.act("trigger.try", trigger="g1")
    assert [(ran.action, bool(ran.refused)) for ran in hall.events if isinstance(ran, ActionRan)][1:] == [
        ("framing.restore", False),
        ("cover", True),
        ("black", True),
    ]
    assert (hall.state.program.on_air, hall.state.program.black.black) == (on_air, False)
    assert " ".join(hall.sentences).count("would change what is on air, and was left out of this try") == 2


def test_triggers_that_set_each_other_off_are_cut_with_the_chain():
    a = trigger(WhenKind.READIED, call("ready.camera", camera=2), item=Item(kind=Kind.CAMERA, id="c1"))
    b = trigger(WhenKind.READIED, call("ready.camera", camera=1), item=Item(kind=Kind.CAMERA, id="c2"), id_="g2")
    hall = hall_with(a, b)
    hall.act("ready.camera", camera=1)
    assert len(by_triggers(hall)) <= triggers.DEEPEST
    said = next(s for s in hall.sentences if "would have gone on and on" in s)
    assert "by hand: Ready camera 1 as it stands → trigger “Tg1”" in said


kinds = st.sampled_from([WhenKind.READIED, WhenKind.TAKEN, WhenKind.LEFT, WhenKind.ON_AIR_FOR, WhenKind.SET])
calls = st.sampled_from(
    [call("ready.camera", camera=n) for n in (1, 2, 3, 4)]
    + [
        call("take"),
        call("cover"),
        call("black"),
        call("ready.framing", camera=2, letter="W"),
        call("scene.ready", scene=1),
    ]
)


@given(st.lists(st.tuples(kinds, st.lists(calls, min_size=1, max_size=4)), min_size=1, max_size=30))
def test_no_set_of_triggers_can_starve_the_frame_clock(made):
    hall = hall_with(
        *(trigger(kind, *does, id_=f"g{k}", seconds=0.04) for k, (kind, does) in enumerate(made)),
    )
    begun = time.process_time()
    before = hall.state.run.count
    hall.act("ready.camera", camera=1)
    hall.act("take")
    hall.turn(2)
    assert time.process_time() - begun < 4.0  # 2 s of show
    assert hall.state.run.count - before < 2 * 4 * (triggers.MOST_A_SECOND + 100)


def test_a_show_that_waits_on_times_does_nothing_for_it_between_them(monkeypatch):
    many = [trigger(WhenKind.TIME, call("black"), at=f"{k // 60:02d}:{k % 60:02d}", id_=f"g{k}") for k in range(500)]
    hall = hall_with(*many, wall_s=20 * 3600.0)
    looked = []
    monkeypatch.setattr(triggers, "_times", lambda *a: looked.append(a) or iter(()))
    hall.turn(5)
    hall.act("ready.framing", camera=2, letter="W")
    hall.turn(5)
    assert looked == []
