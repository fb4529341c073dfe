"""Defects of a show, of its surroundings and of its machine, one at a time, and the line of the check that must say so.

`bench check` makes those that can be made for real in copies of the demo; `test_check` all of them, as measured.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from ribalta.core.base.aim import Aim
from ribalta.core.engine.dryrun.rehearsal import all_there
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.playlist_outlook import of_playlist
from ribalta.core.ports.shots import FadeToBlack, Judgement, Verdict
from ribalta.core.readiness.holding import FrameCost
from ribalta.core.readiness.lines import Looked, Mixed, PictureLook, SoundLook
from ribalta.core.show.automation.calls import Call, Item, Kind
from ribalta.core.show.automation.faders import FaderGiven, Quantity
from ribalta.core.show.automation.macros import Macro, Step, StepKind
from ribalta.core.show.automation.playlists import Entry, Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import Destination, Shortcut, Trigger, When, WhenKind, Wire
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.outputs import TallyReceiver
from ribalta.core.show.document.readiness import Readiness
from ribalta.core.show.document.scenes import Transition, TransitionKind
from ribalta.core.sound.levels import Level

NO_WHERE = "nobody.invalid"
NO_DEVICES = ("control.midi", "control.gamepad")  # of the demo's keys, which most machines do not have


@dataclass(frozen=True)
class Seed:
    """`key` and words of the subject of the line that must come. `show` makes the defect in the show; `fault` in the
    stand-ins of one camera; `looked` and `state` are how it is measured or seen where it cannot be made."""

    name: str
    key: str
    subject: str
    show: Callable[[Show], Show] | None = None
    fault: tuple[int, Mapping[str, Any]] | None = None
    looked: Callable[[Looked], Looked] | None = None
    state: Callable[[LiveState], LiveState] | None = None
    folder: str = ""

    @property
    def real(self) -> bool:
        """Whether it can be made in a copy of the demo."""
        return self.show is not None or self.fault is not None


def prepared(show: Show, now_s: float) -> Show:
    """The demo as its crew has it before doors: tonight's titles, no late entry in a playlist, no devices expected that
    this machine has not got."""
    titles = tuple(title.model_copy(update={"changed_at_s": now_s}) for title in show.titles)
    playlists = tuple(p for p in (_in_time(show, playlist) for playlist in show.playlists) if p.entries)
    readiness = Readiness(left_out=NO_DEVICES)
    return show.model_copy(update={"titles": titles, "playlists": playlists, "readiness": readiness})


def _in_time(show: Show, playlist: Playlist) -> Playlist:
    """Without the entries that would come late."""
    outlook = of_playlist(all_there(show), playlist)
    late = [k for k in outlook.late if outlook.foretold[k].begins_s > 0]
    if not late:
        return playlist
    entries = playlist.entries[: late[0]] + playlist.entries[late[0] + 1 :]
    return _in_time(show, playlist.model_copy(update={"entries": entries}))


def _part(name: str, part_id: str, **changes: Any) -> Callable[[Show], Show]:
    def change(show: Show) -> Show:
        parts = tuple(p.model_copy(update=changes) if p.id == part_id else p for p in getattr(show, name))
        return show.model_copy(update={name: parts})

    return change


def _add(name: str, *parts: Any) -> Callable[[Show], Show]:
    return lambda show: show.model_copy(update={name: (*getattr(show, name), *parts)})


def _outputs(**changes: Any) -> Callable[[Show], Show]:
    return lambda show: show.model_copy(update={"outputs": show.outputs.model_copy(update=changes)})


def _control(camera_id: str, **changes: Any) -> Callable[[Show], Show]:
    def change(show: Show) -> Show:
        camera = show.camera(camera_id)
        assert camera is not None
        assert camera.control is not None
        return _part("cameras", camera_id, control=camera.control.model_copy(update=changes))(show)

    return change


def _picture(camera_id: str, **changes: Any) -> Callable[[Show], Show]:
    def change(show: Show) -> Show:
        camera = show.camera(camera_id)
        assert camera is not None
        return _part("cameras", camera_id, picture=camera.picture.model_copy(update=changes))(show)

    return change


def _seen(camera_id: str, **changes: Any) -> Callable[[Looked], Looked]:
    return lambda looked: replace(
        looked, pictures={**looked.pictures, camera_id: replace(looked.pictures[camera_id], **changes)}
    )


def _found(camera_id: str, said: str) -> Callable[[Looked], Looked]:
    return lambda looked: replace(looked, checks={**looked.checks, camera_id: [said]})


def _heard(mic_id: str, level: Level, quietest_db: float = -62.0, trouble: str = "") -> Callable[[Looked], Looked]:
    return lambda looked: replace(looked, sound={**looked.sound, mic_id: SoundLook(level, quietest_db, trouble)})


def _out(**changes: Any) -> Callable[[Looked], Looked]:
    return lambda looked: replace(looked, outputs=replace(looked.outputs, **changes))


def _machine(**changes: Any) -> Callable[[Looked], Looked]:
    return lambda looked: replace(looked, machine=replace(looked.machine, **changes))


def _forgetful(camera_id: str) -> Callable[[Show], Show]:
    """It can only recall, and remembers nothing."""

    def change(show: Show) -> Show:
        camera = show.camera(camera_id)
        assert camera is not None
        assert camera.head is not None
        framings = tuple(f.model_copy(update={"memory": None}) for f in show.framings)
        head = camera.head.model_copy(update={"reports_position": False})
        return _part("cameras", camera_id, head=head)(show.model_copy(update={"framings": framings}))

    return change


def _turned_over(camera_id: str) -> Callable[[Show], Show]:
    def change(show: Show) -> Show:
        camera = show.camera(camera_id)
        assert camera is not None
        place = camera.place.model_copy(update={"hung": not camera.place.hung})
        return _part("cameras", camera_id, place=place)(show)

    return change


def _do(action: str, **arguments: Any) -> Step:
    return Step(kind=StepKind.DO, call=Call(action=action, arguments=arguments))


def _settings(**changes: Any) -> Callable[[Show], Show]:
    return lambda show: show.model_copy(update={"settings": show.settings.model_copy(update=changes)})


def _planned(minutes: float) -> Callable[[Show], Show]:
    return lambda show: show.model_copy(
        update={"readiness": show.readiness.model_copy(update={"planned_minutes": minutes})}
    )


def _all_recorded_for_two_days(show: Show) -> Show:
    return _planned(2880)(_outputs(record_camera_ids=tuple(c.id for c in show.cameras))(show))


def _nothing(show: Show) -> Show:
    return Show(title=show.title, readiness=show.readiness)


def _reaches_again(*keys: str) -> Callable[[Show], Show]:
    return lambda show: show.model_copy(
        update={"readiness": Readiness(left_out=tuple(k for k in show.readiness.left_out if k not in keys))}
    )


GONE = Item(kind=Kind.FRAMING, id="f9999", called="Gone")
KNOCKED = Verdict(Judgement.OFF, 7.0, 0.0, 0.0, 1.0, 0.9, 1.0, Aim(0.0, 0.0, 0.0))
QUIET, LOUD = Level(-75.0, -70.0, -70.0), Level(-6.0, -0.2, -0.2)
LATE = (_do("landing.rule", rule="straight"), _do("ready.framing", camera=1, letter="F"), _do("take"))
BACK_AND_FORTH = tuple(Entry(item=Item(kind=Kind.FRAMING, id=f, called=f), amount=0.6) for f in ("f1", "f9", "f1"))

SEEDS: tuple[Seed, ...] = (
    # cameras
    Seed("an empty show", "cameras.any", "The show", show=_nothing),
    Seed("a camera is silent", "camera.check", "Camera 2", fault=(2, {"silence": True}),
         looked=_found("c2", "Camera 2 does not answer.")),
    Seed("its control is switched off", "camera.check", "Camera 3", show=_control("c3", port=9),
         looked=_found("c3", "Camera 3 does not answer.")),
    Seed("it hangs upside down", "camera.check", "Camera 1", show=_turned_over("c1"),
         looked=_found("c1", "Its picture is upside down.")),
    Seed("no cover shot", "cover.set", "The cover shot", show=_settings(cover_camera_id=None)),
    # pictures
    Seed("no picture", "picture.live", "Camera 6", show=_picture("c6", name="ribalta-nothing-here"),
         looked=lambda looked: replace(looked, pictures={k: v for k, v in looked.pictures.items() if k != "c6"})),
    Seed("a frozen picture", "picture.frozen", "Camera 3", fault=(3, {"frozen": True}),
         looked=_seen("c3", changed=False)),
    Seed("a cap on the lens", "picture.black", "Camera 2", fault=(2, {"black": True}),
         looked=_seen("c2", bright=0.0, detail=0.0)),
    Seed("a wall of one colour", "picture.flat", "Camera 2", looked=_seen("c2", detail=0.001)),
    Seed("few pictures a second", "picture.rate", "Camera 4", looked=_seen("c4", rate=11.0)),
    Seed("one picture in a while", "picture.rate", "Camera 4", looked=_seen("c4", rate=0.0)),
    Seed("small pictures", "picture.size", "Camera 1", show=_outputs(format="1080p25")),
    Seed("a late picture", "picture.delay", "Camera 2", show=_picture("c2", delay_s=0.8)),
    # framings
    Seed("no framings", "framings.any", "The board",
         show=lambda show: Show(cameras=show.cameras, settings=show.settings, readiness=show.readiness)),
    Seed("out of reach", "framing.reach", "1 Q", show=_part("framings", "f1", pan_deg=260.0)),
    Seed("not in the camera's memory", "framing.memory", "2 ", show=_forgetful("c2")),
    Seed("computed, never looked at", "framing.seen", "1 Q", show=_part("framings", "f1", seen=False)),
    Seed("without a picture", "framing.picture", "1 Q", show=_part("framings", "f1", picture=None)),
    Seed("of last season", "framing.age", "1 Q", show=_part("framings", "f1", pictured_at_s=1.7e9)),
    Seed("the camera was knocked", "framing.true", "1 Q",
         state=lambda state: state.with_verdict("f1", KNOCKED)),
    Seed("the stage has changed", "framing.changed", "1 Q",
         state=lambda state: state.with_verdict("f1", replace(KNOCKED, judgement=Judgement.CHANGED))),
    # cues
    Seed("a macro of something removed", "cue.broken", "Macro “Welcome”",
         show=_part("macros", "a1", steps=(Step(kind=StepKind.UNTIL_SET, item=GONE),))),
    Seed("a hidden key of the show", "key.hides", "Key Space",
         show=_add("shortcuts", Shortcut(control="key Space", call=Call(action="clear")))),
    Seed("a key given twice", "key.clash", "Key J", state=lambda state: state.with_desk(
        shortcuts=(Shortcut(control="key J", call=Call(action="clear")),)
    ), show=None),
    Seed("a trigger that waits for nobody", "trigger.fires", "Trigger “Never”",
         show=_add("triggers", Trigger(id="g900", name="Never", calls=(Call(action="clear"),),
                                       when=When(kind=WhenKind.MESSAGE, message="osc /never")))),
    Seed("a trigger without an action", "trigger.fires", "Trigger “Nothing”",
         show=_add("triggers", Trigger(id="g901", name="Nothing", when=When(kind=WhenKind.TAKEN)))),
    Seed("a step that is refused", "macro.refused", "Macro “Refused”",
         show=_add("macros", Macro(id="a900", name="Refused", steps=(_do("camera.home", camera=5),)))),
    Seed("a macro that does not wait", "macro.lands", "Macro “Hasty”",
         show=_add("macros", Macro(id="a901", name="Hasty", steps=LATE))),
    Seed("a macro without steps", "macro.steps", "Macro “Empty”", show=_add("macros", Macro(id="a902", name="Empty"))),
    Seed("a playlist of something removed", "playlist.broken", "Playlist “Gone”",
         show=_add("playlists", Playlist(id="l900", name="Gone", entries=(
             Entry(item=GONE, amount=5.0),
         )))),
    Seed("an empty playlist", "playlist.empty", "Playlist “Empty”",
         show=_add("playlists", Playlist(id="l901", name="Empty"))),
    Seed("a playlist that comes late", "playlist.lands", "Playlist “Late”",
         show=_add("playlists", Playlist(id="l902", name="Late", entries=BACK_AND_FORTH))),
    # titles and media
    Seed("last week's title", "title.old", "Title “Potter”", show=_part("titles", "t1", changed_at_s=1.79e9)),
    Seed("a title without words", "title.empty", "Title “Potter”",
         show=_part("titles", "t1", fields=(("name", ""), ("what", "")))),
    Seed("a drawing that is gone", "title.drawing", "Title “Potter”", show=_part("titles", "t1", template="gone.svg"),
         looked=lambda looked: replace(looked, missing={"t1": "its drawing is missing"})),
    Seed("a slide that is gone", "medium.there", "“The rounds”", show=_part("media", "b1", files=("gone.png",)),
         looked=lambda looked: replace(looked, missing={"b1": "its files are missing"})),
    # sound
    Seed("no device", "sound.device", "Microphone 2", show=lambda show: _part(
        "microphones", show.microphones[1].id, address="")(show)),
    Seed("nobody sends", "sound.signal", "Microphone 3", show=lambda show: _part(
        "microphones", show.microphones[2].id, address="rtp://127.0.0.1:9")(show),
        looked=_heard("q3", Level(), trouble="nothing comes")),
    Seed("it is off", "sound.silent", "Microphone 4", looked=_heard("q4", Level(), -100.0)),
    Seed("it clips", "sound.loud", "Microphone 1", looked=_heard("q1", LOUD)),
    Seed("turned low", "sound.quiet", "Microphone 5", looked=_heard("q5", QUIET, -80.0)),
    Seed("steady noise", "sound.noise", "Microphone 6", looked=_heard("q6", Level(-36.0, -34.0, -33.0), -37.0)),
    Seed("it follows nothing", "sound.follows", "Microphone 1", show=lambda show: _part(
        "microphones", show.microphones[0].id, follows=True, camera_ids=(), mark_id=None)(show)),
    Seed("two hear the same", "sound.alike", "Microphone 1", show=lambda show: _part(
        "microphones", show.microphones[1].id, channel=1)(show),
        looked=lambda looked: replace(looked, mixed=Mixed(0.0, (("q1", "q2"),)))),
    Seed("hum", "sound.hum", "Program's sound", looked=lambda looked: replace(looked, mixed=Mixed(0.6))),
    Seed("the master is down", "sound.master", "The master", state=lambda state: state.with_sound(master_db=-60.0)),
    Seed("one is listened to alone", "sound.solo", "Microphone 1",
         state=lambda state: state.with_sound(strips=MappingProxyType({"q1": replace(state.strip("q1"), solo=True)}))),
    # transition and overlays
    Seed("black", "mix.black", "Program", state=lambda state: state.with_program(black=FadeToBlack(True, 0.0, 0))),
    Seed("the holding card", "mix.card", "Program", state=lambda state: state.with_program(card=True)),
    Seed("another transition", "mix.transition", "The transition", state=lambda state: state.with_program(
        transition=Transition(kind=TransitionKind.WIPE, seconds=2.0))),
    Seed("a title that comes", "mix.overlays", "Over the picture",
         state=lambda state: state.with_program(pending=MappingProxyType({"title1": "t1"}))),
    # outputs
    Seed("no recording expected", "recording.armed", "Recording", show=_outputs(expects_recording=False)),
    Seed("a folder that cannot be written", "recording.folder", "Recording", show=_outputs(folder="/proc/nowhere"),
         looked=_out(folder="/proc/nowhere", folder_trouble="No such file or directory")),
    Seed("too little room", "recording.room", "Recording", show=_all_recorded_for_two_days,
         looked=_out(room_minutes=100.0)),
    Seed("a recording that cannot be read", "recording.test", "Recording",
         looked=_out(test_trouble="no picture could be read back")),
    Seed("a removed camera is recorded", "recording.cameras", "Recording", show=_outputs(record_camera_ids=("c99",))),
    Seed("nobody takes the stream", "stream.reach", "Stream", show=_outputs(stream_to="rtmp://127.0.0.1:9/live"),
         looked=_out(stream_trouble="127.0.0.1:9 does not answer")),
    Seed("a tally receiver that is not known", "tally.reach", f"Tally for {NO_WHERE}",
         show=_outputs(tally=(TallyReceiver(host=NO_WHERE, port=8900),)),
         looked=_out(out_of_reach={f"tally {NO_WHERE}:8900": "is not known"})),
    # controllers and partners
    Seed("no MIDI device", "control.midi", "A MIDI device", show=_reaches_again("control.midi")),
    Seed("no gamepad", "control.gamepad", "A gamepad", show=_reaches_again("control.gamepad")),
    Seed("no surface", "control.port", "“Faders of the hall”", show=_add("faders", FaderGiven(
        id="x900", control="midi control 1 7", port="Faders of the hall", quantity=Quantity.MASTER))),
    Seed("a partner that is not known", "partner.reach", "Partner “Hall”",
         show=_add("destinations", Destination(id="d900", name="Hall", wire=Wire.OSC, host=NO_WHERE, port=9001)),
         looked=_out(out_of_reach={"partner d900": "is not known"})),
    # machine
    Seed("frames are lost", "machine.frames", "Program", looked=_machine(frames=150)),
    Seed(
        "more than it holds",
        "machine.holds",
        "Program at 1280x720, 25 frames a second",
        looked=_machine(costs={"720": FrameCost(0.03, 0.05), "1080": FrameCost(0.07, 0.12)}, cores=2),
    ),
    Seed("too much runs", "machine.load", "Load", looked=_machine(waits=0.8)),
    Seed("on its battery", "machine.power", "Power", looked=_machine(power="battery", battery=31.0)),
    Seed("a wrong clock", "machine.clock", "Clock", looked=_machine(year=1970)),
)  # fmt: skip


def all_well(show: Show, now_s: float) -> Looked:
    """What is measured when nothing is wrong."""
    pictures = {c.id: PictureLook(True, 1280, 720, 0.4, 0.2, True, 25.0) for c in show.cameras}
    sound = {m.id: SoundLook(Level(-24.0, -14.0, -12.0), -62.0) for m in show.microphones}
    looked = Looked(pictures, {c.id: [] for c in show.cameras}, sound, now_s=now_s)
    return _machine(frames=200, seconds=8.0, waits=0.05, power="mains", year=2030)(_out(room_minutes=5000.0)(looked))


@dataclass(frozen=True)
class Lines:
    """Of one check: the keys and subjects of those that are not well."""

    bad: tuple[tuple[str, str], ...] = field(default=())

    def says(self, seed: Seed) -> bool:
        """Whether the seed's line is among them."""
        return any(key == seed.key and subject.startswith(seed.subject) for key, subject in self.bad)
