"""Voice follow against the real stand-ins: the demo's conversations are spoken, sent as sound, heard by the desk's
gates, and followed with cameras that have to travel. In real time; `takes` is how many of them, the first ones first.

Who was on air is read from the engine, and whether a picture moved as it was cut to from the frames of the stand-ins.
"""

import json
import time
from collections.abc import Mapping
from dataclasses import dataclass, field

from bench.common.hall import Truth, running_demo
from ribalta.core.engine.dryrun.voice_rehearsal import GRACE_S, is_right
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show
from ribalta.core.sound.conversation import Conversation, read_conversation, truths
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import CONVERSATIONS
from ribalta.server.session import Session

REST_S = 6.0  # between two: the cover shot comes back, and the gates hear the room
MOVING_PERCENT = 1.0
SHORT_S = 0.08


def _calm(show: Show) -> Show:
    """Without its triggers, which would take what voice follow has not asked for."""
    return show.model_copy(update={"triggers": ()})


@dataclass
class _Watched:
    """What was on air since when, in seconds from the beginning of the conversation."""

    shots: list[tuple[float, Shot | None]] = field(default_factory=list)
    moving: int = 0


def _watch(session: Session, begun_s: float, seconds: float, pictures: Mapping[str, Truth]) -> _Watched:
    watched = _Watched([(0.0, session.state.program.on_air)])
    seen = len(session.state.program.records)
    while time.monotonic() < begun_s + seconds:
        time.sleep(0.005)
        state = session.state
        for record in state.program.records[seen:]:
            watched.shots.append((record.at_s - begun_s, record.shot))
            framing = state.framing(record.shot)
            if framing is not None:
                camera = state.camera(record.shot)
                off = offset_percent(pictures[camera.id].aim(), framing.aim, camera.lens)
                watched.moving += off > MOVING_PERCENT
        seen = len(state.program.records)
    return watched


def _right(session: Session, conversation: Conversation, watched: _Watched) -> tuple[float, float]:
    """For how long it was judged, and for how long it was right."""
    show, state = session.state.show, session.state
    ends = [*(at for at, _ in watched.shots[1:]), conversation.seconds]
    judged = right = 0.0
    for truth in truths(conversation):
        since_s = truth.from_s + GRACE_S + (show.voice.silence_s if truth.silent else 0.0)
        judged += max(0.0, truth.to_s - since_s)
        for (at_s, shot), end_s in zip(watched.shots, ends, strict=True):
            overlap = min(end_s, truth.to_s) - max(at_s, since_s)
            if overlap > 0 and is_right(show, state, shot, truth):
                right += overlap
    return judged, right


def run(takes: int) -> dict[str, object]:
    paths = sorted(CONVERSATIONS.glob("*.json"))[:takes]
    judged = right = 0.0
    short = moving = 0
    rows: dict[str, object] = {}
    with running_demo("voice-live", _calm) as (session, standins):
        minimum_s = session.state.show.voice.minimum_s
        pictures = {c.id: Truth(c.picture.name) for c in session.state.show.cameras}
        for path in paths:
            conversation = read_conversation(path)
            _quiet(session, standins)
            begun_s = standins.speak(json.loads(path.read_text()))
            watched = _watch(session, begun_s, conversation.seconds, pictures)
            session.act("voice.mode", {"mode": "off"})
            for_s, right_s = _right(session, conversation, watched)
            lengths = [b - a for (a, _), (b, _) in zip(watched.shots[1:], watched.shots[2:], strict=False)]
            shorter = sum(length < minimum_s - SHORT_S for length in lengths)
            judged, right, short, moving = judged + for_s, right + right_s, short + shorter, moving + watched.moving
            share = right_s / for_s if for_s else 1.0
            rows[path.stem] = (
                f"{share:.3f} right of {for_s:.0f} s, {len(watched.shots) - 1} shots, {shorter} short,"
                f" {watched.moving} to a moving camera"
            )
    return {
        "right_share": round(right / judged, 3) if judged else 1.0,
        "short_shots": short,
        "cuts_to_moving": moving,
    } | rows


def _quiet(session: Session, standins: StandIns) -> None:
    """Only the room is heard for a while, and the cover shot is on air."""
    standins.speak({"turns": []})
    session.act("ready.camera", {"camera": 5})
    session.act("take", {})
    session.act("voice.mode", {"mode": "by itself"})
    session.act("voice.resume", {})
    time.sleep(REST_S)
