"""What is said at a broker, topic by topic, each with its JSON Schema. All are retained, but `event` and answers."""

from collections.abc import Mapping
from typing import Any

from ribalta.core.engine.program.landing import landing_state
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.as_run import AsRunLine
from ribalta.core.ports.shots import Shot

ROOT = "ribalta"
HEALTH, ON_AIR, NEXT, TALLY, FRAMINGS, OUTPUTS, EVENT, COMMAND = (
    *("health", "on-air", "next", "tally", "framings", "outputs", "event", "command"),
)
Payload = dict[str, Any]


def topic(name: str, *parts: str) -> str:
    """Of a server in the house."""
    return "/".join((ROOT, name, *parts))


def published(state: LiveState, now_s: float) -> dict[str, Payload]:
    """What is retained, by the topic behind the server's own name; `health` is not of these."""
    show, program = state.show, state.program
    said: dict[str, Payload] = {
        ON_AIR: _shot(state, program.on_air, now_s) | {"take": program.takes, "black": bool(program.black.black)},
        NEXT: _shot(state, program.next, now_s) | {"held": program.held is not None},
        OUTPUTS: {"recording": state.output("recording").on, "streaming": state.output("stream").on},
    }
    for camera in show.cameras:
        number = str(camera.number)
        live = state.live(camera.id)
        said[f"{TALLY}/{number}"] = {
            "camera": camera.number,
            "name": camera.name,
            "onAir": state.on_air(camera.id),
            "next": state.is_next(camera.id),
            "contact": live.answers or not camera.steered,
            "picture": live.picture,
        }
        said[f"{FRAMINGS}/{number}"] = {
            "camera": camera.number,
            "framings": [
                {"letter": f.letter, "page": f.page, "name": f.name}
                for f in sorted(show.framings, key=lambda f: f.slot)
                if f.camera_id == camera.id
            ],
        }
    return said


def _shot(state: LiveState, shot: Shot | None, now_s: float) -> Payload:
    if shot is None:
        return {"words": "", "camera": None, "framing": None, "is": ""}
    camera, framing = state.show.camera(shot.base.camera_id), state.framing(shot)
    return {
        "words": state.shot_words(shot),
        "camera": camera.number if camera is not None else None,
        "framing": framing.name if framing is not None else None,
        "is": str(landing_state(state, shot, now_s)),
    }


def event_of(line: AsRunLine) -> Payload:
    """A line of the as-run log."""
    return {
        "number": line.number,
        "at": line.wall_s,
        "kind": str(line.kind),
        "words": line.words,
        "camera": line.camera or None,
        "framing": line.framing or None,
        "landing": str(line.landing),
        "by": line.by,
    }


def health(online: bool, title: str = "", version: str = "") -> Payload:
    """`online` false is also the last will."""
    return {"online": online, "show": title, "version": version}


_TEXT, _FLAG, _NUMBER = {"type": "string"}, {"type": "boolean"}, {"type": "integer"}
_MAYBE = {"type": ["integer", "null"]}, {"type": ["string", "null"]}


def _object(**fields: Any) -> Payload:
    return {"type": "object", "required": sorted(fields), "properties": fields, "additionalProperties": False}


_SHOT = {"words": _TEXT, "camera": _MAYBE[0], "framing": _MAYBE[1], "is": _TEXT}
_FRAMING = _object(letter=_TEXT, page=_NUMBER, name=_TEXT)
SCHEMAS: Mapping[str, Payload] = {
    HEALTH: _object(online=_FLAG, show=_TEXT, version=_TEXT),
    ON_AIR: _object(**_SHOT, take=_NUMBER, black=_FLAG),
    NEXT: _object(**_SHOT, held=_FLAG),
    OUTPUTS: _object(recording=_FLAG, streaming=_FLAG),
    f"{TALLY}/NUMBER": _object(camera=_NUMBER, name=_TEXT, onAir=_FLAG, next=_FLAG, contact=_FLAG, picture=_FLAG),
    f"{FRAMINGS}/NUMBER": _object(camera=_NUMBER, framings={"type": "array", "items": _FRAMING}),
    EVENT: _object(
        number=_NUMBER,
        at={"type": "number"},
        kind=_TEXT,
        words=_TEXT,
        camera=_MAYBE[0],
        framing=_MAYBE[1],
        landing=_TEXT,
        by=_TEXT,
    ),
    COMMAND: _object(code=_TEXT, do=_TEXT, **{"with": {"type": "object"}}),
}
ABOUT: Mapping[str, str] = {
    HEALTH: "whether this server is there; its last will says that it is not",
    ON_AIR: "what is on air, how it stands, and the number of the take",
    NEXT: "what is readied, and whether a take waits for it",
    OUTPUTS: "whether program is recorded and streamed",
    f"{TALLY}/NUMBER": "a camera: on air, next, whether it answers and has a picture",
    f"{FRAMINGS}/NUMBER": "the framings of a camera",
    EVENT: "each line of the as-run log as it is written; not retained",
    COMMAND: "sent by others: the code of an invitation, an action and its arguments",
}
