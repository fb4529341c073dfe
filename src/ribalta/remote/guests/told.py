"""What a guest's page is told of the show: no more than its invitation says, in words and numbers that it can draw."""

import math
from typing import Any

from ribalta.core.engine.catalogue import CATALOGUE
from ribalta.core.engine.program.landing import landing_state, parts, time_to_set_s
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.pad_state import pad_state
from ribalta.core.ports.guests import RANKS, Guest, Role
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.automation.triggers_pads_shortcuts import Page
from ribalta.core.show.document.model import Camera, Show

Told = dict[str, Any]
FRAMINGS_EVERY_S = 0.25  # a page shows half seconds


def may(guest: Guest, action_id: str) -> bool:
    """Is it worth a button? What is decided is decided in the engine."""
    row = CATALOGUE.by_id.get(action_id)
    return row is not None and not row.at_desk and RANKS[guest.role] >= RANKS[row.role]


class Framings:
    """The framings of each camera with their travel times, worked out now and then, and the same for every guest: one
    by one, for ten guests, they were half of what the door did."""

    def __init__(self) -> None:
        self._made: dict[str, tuple[float, Show, list[Told]]] = {}

    def of(self, state: LiveState, camera_id: str, now_s: float) -> list[Told]:
        """Those of a camera, in their order."""
        made = self._made.get(camera_id)
        if made is None or made[1] is not state.show or not 0.0 <= now_s - made[0] < FRAMINGS_EVERY_S:
            made = self._made[camera_id] = now_s, state.show, _framings(state, camera_id, now_s)
        return made[2]


def told(state: LiveState, guest: Guest, now_s: float, framings: Framings) -> Told:
    """All of it; only what is another than before is sent."""
    show, program = state.show, state.program
    cameras = [c for c in sorted(show.cameras, key=lambda c: c.number) if guest.may_touch(c.id)]
    seen = {c.id for c in cameras}
    held = program.held
    return {
        "show": show.title,
        "me": {
            "id": guest.id,
            "name": guest.name,
            "role": str(guest.role),
            "steers": guest.role is not Role.WATCHER,
            "directs": guest.role is Role.DEPUTY,
            "hears": guest.hears,
            "talks": guest.talks,
            "talking": guest.id in state.guests.talking,
        },
        "talk": [*(["The director"] if state.guests.crew_talks else []), *state.guests.talkers],
        "practice": state.crew.practice,
        "onAir": _shot(state, program.on_air, now_s),
        "onAirFor": round(now_s - program.since_s) if program.on_air is not None else None,
        "next": _shot(state, program.next, now_s),
        "then": [_shot(state, shot, now_s) for shot in program.then[:6]],
        "held": held is not None,
        "black": bool(program.black.black),
        "cameras": [_camera(state, camera, guest, now_s, framings) for camera in cameras],
        "pads": [_pads(state, page, now_s) for page in show.pages] if may(guest, "pad.press") else [],
        "asked": [
            {
                "id": one.id,
                "camera": _number(state, one.camera),
                "words": one.words,
                "offered": one.offered_at_s is not None,
                "mine": one.guest in ("", guest.id),
            }
            for one in state.guests.asked
            if one.guest in ("", guest.id) and (not one.camera or one.camera in seen)
        ],
    }


def _pads(state: LiveState, page: Page, now_s: float) -> Told:
    pads = []
    for pad in page.pads:
        looks = pad_state(state, pad, now_s)
        pads.append(
            {
                "at": pad.at,
                "label": pad.label,
                "colour": pad.colour,
                "light": str(looks.light),
                "words": looks.words,
                "left": _seconds(looks.seconds),
                "long": pad.long_call is not None,
            }
        )
    return {"id": page.id, "name": page.name, "columns": page.columns, "rows": page.rows, "pads": pads}


def _number(state: LiveState, camera_id: str) -> int:
    camera = state.show.camera(camera_id)
    return camera.number if camera is not None else 0


def _seconds(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else round(value * 2) / 2


def _shot(state: LiveState, shot: Shot | None, now_s: float) -> Told | None:
    if shot is None:
        return None
    standing = landing_state(state, shot, now_s)
    return {
        "words": state.shot_words(shot),
        "cameras": [_number(state, part.camera_id) for part in parts(state, shot) if part.camera_id],
        "is": str(standing),
        "left": _seconds(time_to_set_s(state, shot, now_s)) if standing is LandingState.TRAVELLING else None,
    }


def _framings(state: LiveState, camera_id: str, now_s: float) -> list[Told]:
    return [
        {
            "letter": one.letter,
            "page": one.page,
            "name": one.name,
            "picture": one.picture or "",
            "locked": one.protected,
            "seconds": _seconds(time_to_set_s(state, Shot(camera_id, one.id), now_s)),
        }
        for one in sorted(state.show.framings, key=lambda f: f.slot)
        if one.camera_id == camera_id
    ]


def _camera(state: LiveState, camera: Camera, guest: Guest, now_s: float, framings: Framings) -> Told:
    live = state.live(camera.id)
    shot = Shot(camera.id, live.goal_framing_id)
    standing = landing_state(state, shot, now_s)
    framing = state.framing(shot)
    holder = state.guests.holder(camera.id, now_s)
    hold = state.guests.holds.get(camera.id)
    return {
        "id": camera.id,
        "number": camera.number,
        "name": camera.name,
        "steered": camera.steered,
        "moves": camera.steered and guest.role is not Role.WATCHER,
        "onAir": state.on_air(camera.id),
        "next": state.is_next(camera.id),
        "contact": live.answers or not camera.steered,
        "picture": live.picture,
        "at": framing.name if framing is not None else "",
        "letter": framing.letter if framing is not None else "",
        "page": framing.page if framing is not None else 0,
        "is": str(standing),
        "left": _seconds(time_to_set_s(state, shot, now_s)) if standing is LandingState.TRAVELLING else None,
        "holder": None
        if holder is None or hold is None
        else {
            "name": holder.name,
            "initial": holder.initial,
            "left": round(hold.until_s - now_s),
            "mine": holder.id == guest.id,
            "kept": hold.kept,
        },
        "framings": framings.of(state, camera.id, now_s),
    }
