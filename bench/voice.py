"""Voice follow on scripted conversations: is whoever has the word on air, and is every shot long enough and landed?

In hand-wound time, through the real gates, policy and engine, with cameras that move as their model says. The ten that
ship with the demo, or one of one's own; see `core/sound/conversation.py` for its form.
"""

from collections.abc import Mapping
from pathlib import Path

from ribalta.core.engine.dryrun.voice_rehearsal import VoiceReport, follow
from ribalta.core.show.files.storage import load
from ribalta.core.sound.conversation import read_conversation
from ribalta.demo.shipped import CONVERSATIONS, SHIPPED


def run(script: Path | None = None) -> Mapping[str, object]:
    show = load(SHIPPED).show
    paths = [script] if script is not None else sorted(CONVERSATIONS.glob("*.json"))
    found = [follow(show, read_conversation(path)) for path in paths]
    judged_s = sum(f.judged_s for f in found)
    rows = {
        "right_share": round(sum(f.right_s for f in found) / judged_s, 3) if judged_s else 1.0,
        "short_shots": sum(f.short_shots for f in found),
        "cuts_to_moving": sum(f.cuts_to_moving for f in found),
    }
    return rows | {path.stem: _row(f) for path, f in zip(paths, found, strict=True)}


def _row(followed: VoiceReport) -> str:
    return (
        f"{followed.right_share:.3f} right of {followed.judged_s:.0f} s, {len(followed.shots)} shots,"
        f" {followed.short_shots} short, {followed.cuts_to_moving} to a moving camera"
    )
