"""Running journalled inputs again: the same inputs always give the same show."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, fields
from types import MappingProxyType
from typing import Any

from pydantic import ValidationError

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.loop import Engine, Entry
from ribalta.core.engine.state.live import LiveState, opening_state
from ribalta.core.ports.causes import BY_HAND, By, Cause
from ribalta.core.ports.messages import REPORT_KINDS, Report
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.files.journal import VERSION, packed, unpacked
from ribalta.core.show.files.storage import parse_show
from ribalta.core.show.files.upgrades import in_seconds

AIMS = ("aim", "looked")
CALLED_BEFORE = {"PictureSeen": "PicturePresence", "PictureStands": "PictureStalled", "Heard": "LineMeasured"}
REPORTS: dict[str, type[Report]] = {kind.__name__: kind for kind in REPORT_KINDS}
REPORTS |= {before: REPORTS[now] for before, now in CALLED_BEFORE.items()}


def replay(state: LiveState, entries: Iterable[Entry]) -> Engine:
    """Run journalled inputs again from a state; the result is the state that they led to the first time."""
    engine = Engine(state)
    for entry in entries:
        run_again(engine, entry)
    return engine


def run_again(engine: Engine, entry: Entry) -> bool:
    """One line of a journal; False when it is no input that this version knows."""
    try:
        if "action" in entry:
            cause = _cause(*entry["cause"]) if "cause" in entry else BY_HAND
            engine.act(
                entry["action"], in_seconds(entry["params"]), float(entry["t"]), bool(entry.get("recall_only")), cause
            )
            return True
        if "report" not in entry:
            return False
        engine.report(_report_in(entry), float(entry["t"]))
    except (LookupError, TypeError, ValueError, AttributeError):
        return False  # damaged, or of a newer version
    return True


def _cause(by: str, words: str, desk: str = "", guest: str = "") -> Cause:
    return Cause(By(by), words, desk=desk, guest=guest)


def _report_in(entry: Entry) -> Report:
    """Its kind and its fields in their order; in a journal of before, the fields by their names."""
    recorded = entry["report"]
    if isinstance(recorded, list):
        kind, values = REPORTS[recorded[0]], recorded[1:]
        named = dict(zip((f.name for f in fields(kind)), values, strict=False))
    else:
        kind, named = REPORTS[recorded], entry["fields"]
    given: dict[str, Any] = {name: _aim(value) if name in AIMS else value for name, value in named.items()}
    return kind(**given)


def _aim(value: Mapping[str, float] | list[float] | None) -> Aim | None:
    if value is None:
        return None
    return Aim(**value) if isinstance(value, Mapping) else Aim(*value)


# How a show stood as its journal was begun


def opening_of(state: LiveState, now_s: float) -> dict[str, Any]:
    """What the inputs that follow are to be run from: the document, the time, and what was on air and known then."""
    known = {}
    for camera in state.show.cameras:
        live = state.live(camera.id)
        aim = asdict(live.aim) if live.aim is not None else None
        known[camera.id] = {"answers": live.answers, "picture": live.picture, "aim": aim, "sampled_s": live.sampled_s}
    shots = {"program": state.program.on_air, "next": state.program.next}
    return {
        "ribalta": "journal",
        "version": VERSION,
        "t": now_s,
        "wall_s": now_s + state.wall_clock.offset_s,
        "utc_offset_s": state.wall_clock.utc_offset_s,
        "show": packed(state.show.model_dump_json()),
        "shortcuts": [s.model_dump(mode="json") for s in state.desk.shortcuts],
        "cameras": known,
        **{name: asdict(shot) if shot is not None else None for name, shot in shots.items()},
        "then": [asdict(shot) for shot in state.program.then],
    }


def state_of(opening: Mapping[str, Any]) -> LiveState:
    """The state that an opening describes. Raises LocalFault when it is damaged."""
    try:
        show = parse_show(unpacked(opening["show"]), "The journal")
        shortcuts = tuple(Shortcut.model_validate(s) for s in opening["shortcuts"])
        t, wall_s = float(opening["t"]), float(opening["wall_s"])
        state = opening_state(show, t, wall_s, float(opening["utc_offset_s"]), shortcuts)
        for camera_id, known in opening["cameras"].items():
            aim = Aim(**known["aim"]) if known["aim"] is not None else None
            rest = {"still_since_s": known["sampled_s"]} if aim is not None else {}
            answers, picture, sampled_s = bool(known["answers"]), bool(known["picture"]), float(known["sampled_s"])
            state = state.with_live(camera_id, answers=answers, picture=picture, aim=aim, sampled_s=sampled_s, **rest)
        program, readied = opening["program"], opening["next"]
        return state.with_(
            cameras=MappingProxyType({i: live for i, live in state.cameras.items() if show.camera(i) is not None})
        ).with_program(
            on_air=Shot(**program) if program is not None else state.program.on_air,
            next=Shot(**readied) if readied is not None else None,
            then=tuple(Shot(**shot) for shot in opening["then"]),
        )
    except (KeyError, TypeError, ValueError, AttributeError, ValidationError) as error:
        raise LocalFault(f"The journal is damaged where it begins ({type(error).__name__}).") from None
