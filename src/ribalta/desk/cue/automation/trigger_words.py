"""When a trigger fires, in words, and whose moment that can be."""

from ribalta.core.base.spans import length_words
from ribalta.core.engine.automation.triggers import item_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.automation.triggers_pads_shortcuts import OF_CAMERAS, OF_MICS, OF_SHOTS, When, WhenKind

WHEN = {
    WhenKind.READIED: "a shot or scene is readied",
    WhenKind.TAKEN: "a shot or scene goes on air",
    WhenKind.LEFT: "a shot or scene leaves the air",
    WhenKind.ON_AIR_FOR: "a shot has been on air for so long",
    WhenKind.SET: "a camera is set",
    WhenKind.LOST: "a camera is lost",
    WhenKind.BACK: "a camera is back",
    WhenKind.MIC_OPENS: "a microphone opens",
    WhenKind.MIC_CLOSES: "a microphone closes",
    WhenKind.PLAYLIST: "a playlist goes on to another entry",
    WhenKind.TIME: "it is a time of day",
    WhenKind.COUNTDOWN: "a countdown is over",
    WhenKind.RECORDING_STOPS: "the recording stops",
    WhenKind.DISK_LOW: "the disk is low",
    WhenKind.MESSAGE: "a message comes in",
}


def kinds_of(when: WhenKind) -> tuple[Kind, ...]:
    """Whose moment it can be."""
    if when in OF_SHOTS:
        return (Kind.SCENE, Kind.CAMERA, Kind.FRAMING, Kind.MEDIUM)
    if when in OF_CAMERAS:
        return (Kind.CAMERA,)
    if when in OF_MICS:
        return (Kind.MICROPHONE,)
    if when is WhenKind.PLAYLIST:
        return (Kind.PLAYLIST,)
    return (Kind.TITLE,) if when is WhenKind.COUNTDOWN else ()


def when_words(state: LiveState, when: When) -> str:
    who = item_words(state, when.item) if when.item is not None else None
    match when.kind:
        case WhenKind.TIME:
            return f"it is {when.at}"
        case WhenKind.ON_AIR_FOR:
            return f"{who or 'any shot'} has been on air for {length_words(when.seconds)}"
        case WhenKind.DISK_LOW:
            return f"there is room for less than {when.minutes:g} minutes"
        case WhenKind.MESSAGE:
            return f"“{when.message or '…'}” comes in"
        case WhenKind.RECORDING_STOPS:
            return "the recording stops"
        case WhenKind.COUNTDOWN:
            return f"{who or 'a countdown'} is over"
    tail = WHEN[when.kind].split(" ", 2)[2] if who else ""
    if when.kind in OF_SHOTS:
        tail = WHEN[when.kind].removeprefix("a shot or scene ")
    return f"{who} {tail}" if who else WHEN[when.kind]
