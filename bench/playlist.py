"""A looping playlist against the real stand-ins: does every cut land, and was it foretold?

`takes` is for how many minutes. At each cut, what is foretold of the entries that come is kept: whether each will be
late, and when its camera will be set. Each is held against what then happened; and at each cut, what the picture of the
stand-in truly showed against the framing.
"""

import time

from bench.common.hall import Truth, percentile, running_show
from ribalta.core.engine.program.landing import set_at_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views import playlist_outlook
from ribalta.core.optics.projection import offset_percent
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Show

AHEAD = 4
LATE_S = 0.12  # less than this is no lateness that anybody sees


def _without_triggers(show: Show) -> Show:
    """The demo's own would answer a camera that is lost for a moment, and the playlist would step aside for good."""
    return show.model_copy(update={"triggers": ()})


def run(takes: int) -> dict[str, float | int]:
    with running_show("playlist", _without_triggers) as session:
        session.act("playlist.start", {"playlist": "l1"})
        end_s = time.monotonic() + 60.0 * takes
        foretold: dict[Shot, tuple[bool, float]] = {}
        right = judged = seen = 0
        off_s: list[float] = []
        truths = {c.id: Truth(c.picture.name) for c in session.state.show.cameras}
        seen_off: list[float] = []
        travels: dict[str, tuple[Shot, float]] = {}
        while time.monotonic() < end_s:
            time.sleep(0.01)
            state, now_s = session.state, session.clock.now_s()
            for shot, error_s in _arrived(state, travels, now_s):
                del shot
                off_s.append(error_s)
            if len(state.program.records) == seen:
                continue
            seen = len(state.program.records)
            record = state.program.records[-1]
            framing = state.framing(record.shot)
            if framing is not None:
                camera = state.camera(record.shot)
                seen_off.append(offset_percent(truths[camera.id].aim(), framing.aim, camera.lens))
            if record.shot in foretold:
                late, _ = foretold.pop(record.shot)
                judged += 1
                right += late == (record.held_s > LATE_S)
            found = playlist_outlook.of_running(state, now_s, AHEAD)
            if found is None:
                continue
            for play, entry in list(zip(found.plays, found.foretold, strict=True))[1:]:
                if play.shot is not None:
                    foretold[play.shot] = (entry.late_s > LATE_S, now_s + entry.begins_s)
                for travel in entry.travels:
                    live = state.live(travel.camera_id)
                    just = live.goal_framing_id is not None and now_s - live.asked_s < 0.1
                    if just and play.shot is not None and play.shot.framing_id == live.goal_framing_id:
                        travels[travel.camera_id] = (play.shot, now_s + travel.set_s - travel.leaves_s)
        records = session.state.program.records
        session.act("playlist.stop", {})
    shown = [r for r in records if r.shot.framing_id is not None]
    return {
        "cuts": len(records),
        "landed": sum(r.landed for r in records),
        "not_landed": sum(not r.landed for r in records),
        "picture_error_percent_max": round(max(seen_off, default=0.0), 3),
        "held_s_max": round(max((r.held_s for r in shown), default=0.0), 2),
        "late_or_not_judged": judged,
        "late_or_not_right_percent": round(100 * right / judged, 1) if judged else float("nan"),
        "travels": len(off_s),
        "time_to_set_ms_p50": round(1000 * percentile(off_s, 0.5), 1),
        "time_to_set_ms_p95": round(1000 * percentile(off_s, 0.95), 1),
    }


def _arrived(state: LiveState, travels: dict[str, tuple[Shot, float]], now_s: float) -> list[tuple[Shot, float]]:
    """Cameras that have become set since: how far off their foretold time was."""
    found = []
    for camera_id, (shot, expected_s) in list(travels.items()):
        part = Shot(camera_id, shot.framing_id)
        live = state.live(camera_id)
        if live.goal_framing_id != part.framing_id or live.still_since_s is None or live.still_since_s < live.asked_s:
            if now_s > expected_s + 5:
                del travels[camera_id]
            continue
        set_s = set_at_s(state, part)
        if set_s <= now_s:
            del travels[camera_id]
            found.append((shot, abs(set_s - expected_s)))
    return found
