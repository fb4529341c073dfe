"""What the Clay Cup's crew prepared to be pressed: macros, triggers, shortcuts, pads, and whom messages go to."""

from ribalta.core.show.automation.calls import LETTERS, Call, Item, Kind, following_items
from ribalta.core.show.automation.macros import Again, Condition, Is, Macro, Step, StepKind
from ribalta.core.show.automation.playlists import Aside, Entry, Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import (
    Destination,
    How,
    Pad,
    Page,
    Shortcut,
    Trigger,
    When,
    WhenKind,
    Wire,
)
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.scenes import CUT, Transition, TransitionKind
from ribalta.demo import shipped

LIGHTS = Destination(id=shipped.LIGHTS, name="Lights", wire=Wire.OSC, host="127.0.0.1", port=9000)


def with_cues(show: Show) -> Show:
    """The show with everything that is pressed. Its framings and scenes must be there already."""
    macros = _macros(show)
    show = show.model_copy(update={"macros": macros, "destinations": (LIGHTS,)})
    return show.model_copy(
        update={
            "triggers": _triggers(show),
            "shortcuts": _shortcuts(show),
            "pages": _pages(show),
            "playlists": _playlists(show),
        }
    )


def _ready(show: Show, camera: int, letter: str) -> Call:
    return _tied(show, "ready.framing", camera=camera, letter=letter)


def _tied(show: Show, action: str, **arguments: int | str | float | bool) -> Call:
    return following_items(show, Call(action=action, arguments=dict(arguments)))


def _do(call: Call, note: str = "") -> Step:
    return Step(kind=StepKind.DO, call=call, note=note)


def _plain(action: str, **arguments: int | str | float | bool) -> Step:
    return _do(Call(action=action, arguments=dict(arguments)))


def _wait(seconds: float) -> Step:
    return Step(kind=StepKind.WAIT, seconds=seconds)


UNTIL_SET = Step(kind=StepKind.UNTIL_SET, seconds=15.0)


def _macros(show: Show) -> tuple[Macro, ...]:
    title_on = _plain("title.switch", title="t1", on=True)
    title_off = _plain("title.switch", title="t1", on=False)
    welcome = Macro(
        id="a1",
        name="Welcome",
        folder="Opening",
        colour="#e0c068",
        note="From the wide to the host, with the corner on.",
        steps=(
            _plain("cover"),
            _plain("title.switch", title="t3", on=True),
            _do(_ready(show, 1, "D"), "the host stands on the right spot"),
            UNTIL_SET,
            _plain("take.transition", kind="mix", seconds=1.0),
            _wait(2.0),
            _do(_ready(show, 2, "A")),
        ),
    )
    potters = Macro(
        id="a2",
        name="Meet the potters",
        folder="Opening",
        colour="#e0c068",
        again=Again.IGNORE,
        steps=tuple(
            step
            for camera, letter, row in ((1, "W", 1), (3, "W", 4), (2, "W", 2), (3, "A", 3))
            for step in (
                _do(_ready(show, camera, letter)),
                UNTIL_SET,
                _plain("take"),
                _plain("title.row", title="t1", to=row),
                title_on,
                _wait(1.5),
                title_off,
                _wait(0.3),
            )
        ),
    )
    hands = Macro(
        id="a3",
        name="Hands, then face",
        colour="#8fb8de",
        steps=(
            _do(_ready(show, 3, "E")),
            UNTIL_SET,
            _plain("take"),
            _wait(1.5),
            Step(
                kind=StepKind.TOGETHER,
                steps=(
                    _do(_ready(show, 2, "W")),
                    _do(_tied(show, "framing.restore", camera=1, letter="E"), "goes there ahead"),
                ),
            ),
            UNTIL_SET,
            _plain("take"),
        ),
    )
    jury = Macro(
        id="a4",
        name="The jury speaks",
        colour="#b9a4e0",
        steps=(
            Step(
                kind=StepKind.IF,
                condition=Condition(what=Is.IN_CONTACT, item=Item(kind=Kind.CAMERA, id="c1", called="Left")),
                steps=(_do(_ready(show, 1, "R")),),
                otherwise=(_do(_tied(show, "ready.camera", camera=5)),),
            ),
            UNTIL_SET,
            _plain("take.transition", kind="mix", seconds=0.48),
            Step(kind=StepKind.UNTIL_KEY, note="when the first juror begins"),
            _do(_ready(show, 4, "A")),
        ),
    )
    close = Macro(
        id="a5",
        name="Good night",
        colour="#9aa7b5",
        again=Again.STOP,
        steps=(_plain("cover"), _plain("clear"), _wait(1.0), _plain("black", black=True, seconds=2.0)),
    )
    return (welcome, potters, hands, jury, close)


def _triggers(show: Show) -> tuple[Trigger, ...]:
    jury = Item(kind=Kind.SCENE, id="s2", called="Jury and two wheels")
    camera3 = Item(kind=Kind.CAMERA, id="c3", called="Right")
    lights = Call(
        action="message.send",
        arguments={"destination": LIGHTS.id, "address": "/hall/on_air", "arguments": ["{on_air}"]},
    )
    return (
        Trigger(
            id="g1",
            name="Close-ups wait for the jury",
            when=When(kind=WhenKind.READIED, item=jury),
            calls=(
                _tied(show, "framing.restore", camera=4, letter="A"),
                _tied(show, "framing.restore", camera=3, letter="R"),
            ),
        ),
        Trigger(id="g2", name="Lights follow the picture", when=When(kind=WhenKind.TAKEN), calls=(lights,)),
        Trigger(
            id="g3",
            name="Points off after the jury",
            when=When(kind=WhenKind.LEFT, item=jury),
            calls=(Call(action="title.switch", arguments={"title": "t2", "on": False}),),
        ),
        Trigger(
            id="g4",
            name="Camera 3 lost: to the wide",
            when=When(kind=WhenKind.LOST, item=camera3),
            only_if=(Condition(what=Is.ON_AIR, item=camera3),),
            calls=(Call(action="cover"),),
            on_air_only=True,
        ),
        Trigger(
            id="g5",
            name="Doors",
            when=When(kind=WhenKind.TIME, at="19:30"),
            enabled=False,
            calls=(Call(action="macro.run", arguments={"macro": "a1"}),),
            once=True,
        ),
    )


def _playlists(show: Show) -> tuple[Playlist, ...]:
    cameras = {c.number: c.id for c in show.cameras}

    def seen(camera: int, letter: str, seconds: float, note: str = "", mixes_s: float = 0.0) -> Entry:
        framing = show.framing_at(cameras[camera], LETTERS.index(letter))
        assert framing is not None
        item = Item(kind=Kind.FRAMING, id=framing.id, called=f"{camera} {framing.name}")
        how = Transition(kind=TransitionKind.MIX, seconds=mixes_s) if mixes_s else CUT
        return Entry(item=item, amount=seconds, note=note, transition=how)

    wide = Entry(item=Item(kind=Kind.CAMERA, id=cameras[5], called="Wide"), amount=5.0, note="between the rounds")
    at_the_wheels = Playlist(
        id="l1",
        name="At the wheels",
        times=0,
        aside=Aside.WAIT,
        entries=(
            seen(1, "W", 6.0),
            seen(4, "W", 5.0, mixes_s=0.48),
            seen(2, "W", 6.0),
            seen(3, "E", 4.5),
            seen(1, "Q", 5.0),
            seen(4, "R", 5.0, mixes_s=0.48),
            seen(2, "R", 6.0),
            seen(3, "W", 6.0),
            wide,
        ),
    )
    the_jury = Playlist(
        id="l2",
        name="Jury, one after another",
        entries=(
            seen(1, "R", 6.0),
            seen(4, "A", 4.0),
            seen(1, "T", 5.0, "the first juror"),
            seen(3, "S", 1.4),
            seen(1, "A", 5.0, "the second juror"),
            seen(2, "D", 4.0),
            seen(1, "S", 5.0, "the third juror"),
        ),
    )
    return (at_the_wheels, the_jury)


def _shortcuts(show: Show) -> tuple[Shortcut, ...]:
    return (
        Shortcut(control="key Ctrl+Alt+Q", call=Call(action="macro.run", arguments={"macro": "a1"})),
        Shortcut(control="key Ctrl+Alt+W", call=Call(action="macro.run", arguments={"macro": "a2"})),
        Shortcut(control="key J", call=_ready(show, 1, "R")),
        Shortcut(control="key J", how=How.LONG, call=_tied(show, "scene.ready", scene=2)),
        Shortcut(control="key Ctrl+F12", call=Call(action="layer.latch", arguments={"layer": "Jury"})),
        Shortcut(control="key Q", layer="Jury", call=_ready(show, 1, "T")),
        Shortcut(control="key W", layer="Jury", call=_ready(show, 1, "A")),
        Shortcut(control="key E", layer="Jury", call=_ready(show, 1, "S")),
        Shortcut(control="midi note 1 60", call=_ready(show, 2, "W")),
        Shortcut(control="gamepad a", call=Call(action="take")),
        Shortcut(control="gamepad b", call=Call(action="cover")),
    )


def _pages(show: Show) -> tuple[Page, ...]:
    def pad(at: int, label: str, call: Call, colour: str = "#b9ab98", long: Call | None = None) -> Pad:
        return Pad(at=at, label=label, call=call, colour=colour, long_call=long)

    def run(macro: str) -> Call:
        return Call(action="macro.run", arguments={"macro": macro})

    front = (
        pad(0, "Welcome", run("a1"), "#e0c068"),
        pad(1, "Meet the potters", run("a2"), "#e0c068"),
        pad(2, "Hands, then face", run("a3"), "#8fb8de"),
        pad(3, "The jury speaks", run("a4"), "#b9a4e0"),
        pad(4, "Ines", _ready(show, 1, "W"), long=_ready(show, 1, "E")),
        pad(5, "Bram", _ready(show, 2, "W"), long=_ready(show, 2, "T")),
        pad(6, "Suri", _ready(show, 2, "R"), long=_ready(show, 2, "G")),
        pad(7, "Jory", _ready(show, 3, "W"), long=_ready(show, 3, "E")),
        pad(8, "Jury and wheels", _tied(show, "scene.ready", scene=2), "#b9a4e0"),
        pad(9, "The rounds", _tied(show, "scene.ready", scene=3), "#8fb8de"),
        pad(10, "Points", Call(action="title.switch", arguments={"title": "t2"}), "#c98fc0"),
        pad(11, "Potter's name", Call(action="title.switch", arguments={"title": "t1"}), "#c98fc0"),
        pad(12, "Take", Call(action="take"), "#f1e8da"),
        pad(13, "Cover", Call(action="cover"), "#f1e8da"),
        pad(14, "Continue", Call(action="macro.continue"), "#9aa7b5"),
        pad(15, "Good night", run("a5"), "#9aa7b5"),
    )
    helper = (
        pad(0, "Slide back", Call(action="slide", arguments={"by": -1}), "#8fb8de"),
        pad(1, "Next slide", Call(action="slide", arguments={"by": 1}), "#8fb8de"),
        pad(2, "Potter's name", Call(action="title.switch", arguments={"title": "t1"}), "#c98fc0"),
        pad(3, "Next potter", Call(action="title.row", arguments={"title": "t1", "by": 1}), "#c98fc0"),
    )
    return (
        Page(id="q1", name="Front", columns=4, rows=4, pads=front),
        Page(id="q2", name="Helper", columns=2, rows=2, plain=True, pads=helper),
    )
