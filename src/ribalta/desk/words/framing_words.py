"""What the desk says of a framing in a few words."""

import math

from ribalta.core.engine.program.framing_checks import off_by
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.fit import fit_of_framing
from ribalta.core.ports.shots import Judgement, LandingRecord, Verdict
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.document.model import Camera, Framing
from ribalta.core.show.document.uses import uses

HOUR_S, DAY_S = 3600, 86400


def age_words(seconds: float) -> str:
    """How old a picture is."""
    if seconds < 90:
        return "now"
    if seconds < 1.5 * HOUR_S:
        return f"{seconds / 60:.0f} min"
    if seconds < 1.5 * DAY_S:
        return f"{seconds / HOUR_S:.0f} h"
    return f"{seconds / DAY_S:.0f} days"


def about(state: LiveState, framing: Framing) -> str:
    """Which marks it shows, how large, and how well."""
    names = [mark.name for mark_id in framing.mark_ids if (mark := state.show.mark(mark_id)) is not None]
    who = ", ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "")
    parts = [who] if who else []
    if framing.size is not None:
        parts.append(framing.size.value)
    fit = fit_of_framing(state.show, framing)
    if fit is not None:
        parts.append(f"fit {fit}" + (" (yours)" if framing.rating is not None else ""))
    users = len(uses(state.show).get((Kind.FRAMING, framing.id), ()))
    if users:
        parts.append("used once" if users == 1 else f"used {users} times")
    return " · ".join(parts) or "no mark"


WORTH_SAYING_PERCENT = 0.5


def state_words(state: LiveState, framing: Framing, now_s: float) -> str:
    """Whether it was seen and still holds, how old its picture is, how its last cut landed."""
    parts = []
    verdict = state.verdicts.get(framing.id)
    if not framing.seen:
        parts.append("not yet seen")
    if verdict is not None and verdict.judgement is not Judgement.HOLDS:
        off = f" by {off_percent(state, framing, verdict):.0f} %" if verdict.judgement is Judgement.OFF else ""
        parts.append(f"{verdict.judgement.value}{off}")
    elif verdict is not None:
        parts.append("holds")
    if framing.picture is None:
        parts.append("no picture")
    elif framing.pictured_at_s is not None:
        age = age_words(max(0.0, now_s + state.wall_clock.offset_s - framing.pictured_at_s))
        parts.append("picture of now" if age == "now" else f"picture {age} old")
    record = last_record(state, framing)
    if record is not None and record.error_percent is not None:  # what landed as it should says nothing
        if not record.landed:
            parts.append("last cut did not land")
        elif record.error_percent >= WORTH_SAYING_PERCENT:
            parts.append(f"last cut {record.error_percent:.1f} % off")
    return " · ".join(parts)


def off_percent(state: LiveState, framing: Framing, verdict: Verdict) -> float:
    """How far what a framing showed is from the middle now, in % of the width."""
    camera = state.show.camera(framing.camera_id)
    return math.hypot(*off_by(camera, framing, verdict)) if camera is not None else verdict.off_percent


def wants_care(state: LiveState, framing: Framing) -> bool:
    """Is there something about it that a director should look at?"""
    verdict = state.verdicts.get(framing.id)
    return not framing.seen or (verdict is not None and verdict.judgement in (Judgement.OFF, Judgement.CHANGED))


def badge(state: LiveState, framing: Framing) -> str:
    """The same in a word or two, for a small picture; empty when there is nothing to say."""
    verdict = state.verdicts.get(framing.id)
    if verdict is not None and verdict.judgement is Judgement.OFF:
        return f"off {off_percent(state, framing, verdict):.0f} %"
    if verdict is not None and verdict.judgement is Judgement.CHANGED:
        return "changed"
    return "" if framing.seen else "unseen"


def last_record(state: LiveState, framing: Framing) -> LandingRecord | None:
    return next((r for r in reversed(state.program.records) if r.shot.framing_id == framing.id), None)


def focus_words(state: LiveState, camera: Camera) -> str:
    """What would be stored of the focus now."""
    if camera.head is None or "focus.mode" not in camera.head.settings:
        return "focus cannot be read, so it is not stored"
    settings = state.live(camera.id).settings
    mode = settings["focus.mode"].reported if "focus.mode" in settings else None
    if mode is None:
        return "focus not said yet"
    return "focus automatic" if mode == "automatic" else "focus by hand, kept with each framing"
