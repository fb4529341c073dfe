"""A talk between two, set up in one step; and a cut straight to a framing, as its keys do it."""

from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.automation.playlists import PLAYLISTS
from ribalta.core.engine.actions.board import FramingParams, framing_words, reachable_framing_meant
from ribalta.core.engine.actions.framings.arranging import free_slot
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.taking import take_with
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.starter_board import Planned, as_framing
from ribalta.core.planning.talk import Talk, View, talk_of
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call, Item, Kind, following_items, named
from ribalta.core.show.automation.playlists import Entry, Playlist
from ribalta.core.show.automation.triggers_pads_shortcuts import Shortcut
from ribalta.core.show.document.model import Framing, Mark, Show
from ribalta.core.show.document.scenes import CUT

KEYS = (",", ".", "/")  # the first of the two, the second, both
BOTH_S, SINGLE_S = 5.0, 8.0
CUT_TO = "framing.cut"


class TalkParams(Params):
    """Two marks, by id."""

    one: Annotated[str, Field(max_length=80)]
    other: Annotated[str, Field(max_length=80)]


def cut(state: LiveState, params: FramingParams, now_s: float) -> Outcome:
    """Ready and take in one, by the landing rule."""
    framing = reachable_framing_meant(state, params)
    shot = Shot(framing.camera_id, framing.id)
    if state.program.on_air == shot:
        return Outcome(state, (Notice(f"“{framing.name}” is on air."),))
    if switching.busy(state, shot):
        return switching.busy_on_air(state, shot, framing, now_s)
    held = state.program.held if state.program.held is not None and state.program.held.shot == shot else None
    outcome = Outcome(state) if held is not None else switching.ready(state, shot, now_s, again=False)
    return outcome.then(lambda s: take_with(s, CUT, now_s))


def _mark(state: LiveState, mark_id: str) -> Mark:
    mark = state.show.mark(mark_id)
    if mark is None:
        raise ActionRefused("Choose two marks of the floor plan: they are placed in Rig.")
    return mark


def make(state: LiveState, params: TalkParams, now_s: float) -> Outcome:
    """Framings that are lacking, three keys and a playlist; voice follow then has its pictures too."""
    one, other = _mark(state, params.one), _mark(state, params.other)
    if one.id == other.id:
        raise ActionRefused("A talk takes two: choose another mark.")
    talk = talk_of(state.show, one, other)
    if talk is None:
        raise ActionRefused(
            f"No two steered cameras have a single of {one.name} and of {other.name} each."
            " See in Frame which of them sees whom."
        )
    show, framings = _with_framings(state.show, talk)
    show, keys = _with_keys(show, framings, (one.name, other.name, "both"))
    show = _with_playlist(show, f"{one.name} and {other.name}", framings)
    said = [f"set up the talk of {one.name} and {other.name}: {keys or 'its keys are taken, so it has none'}"]
    if talk.both is None:
        said.append("no third camera has both, so the cover shot stands for that")
    if talk.crosses:
        said.append("the two singles are from either side of the line, which viewers may find odd")
    new = sum(v is not None and v.stored is None for v in (talk.one, talk.other, talk.both))
    if new:
        said.append(f"{new} new {'framing is' if new == 1 else 'framings are'} not yet seen")
    without = [m.name for m in (one, other) if not any(mic.mark_id == m.id for mic in show.microphones)]
    if without:
        said.append(f"voice follow needs a microphone for {' and '.join(without)}")
    return edited(state, show, "; ".join(said))


def _with_framings(show: Show, talk: Talk) -> tuple[Show, tuple[Framing, Framing, Framing | None]]:
    found: list[Framing | None] = []
    for view in (talk.one, talk.other, talk.both):
        show, framing = _stored(show, view)
        found.append(framing)
    one, other, both = found
    assert one is not None
    assert other is not None
    return show, (one, other, both)


def _stored(show: Show, view: View | None) -> tuple[Show, Framing | None]:
    if view is None:
        return show, None
    if not isinstance(view.made, Planned):
        return show, view.made
    framing = as_framing(view.made, show.next_number, free_slot(show, view.camera_id))
    return show.with_framing(framing).model_copy(update={"next_number": show.next_number + 1}), framing


def _with_keys(show: Show, framings: tuple[Framing | None, ...], names: tuple[str, ...]) -> tuple[Show, str]:
    """Those that are free, or belong to an earlier talk. A key is a shortcut of the show like any other."""
    kept, made = list(show.shortcuts), []
    for key, framing, name in zip(KEYS, framings, names, strict=True):
        camera = show.camera(framing.camera_id) if framing is not None else None
        there = [s for s in kept if s.control == f"key {key}" and not s.layer]
        if framing is None or camera is None or any(s.call is None or s.call.action != CUT_TO for s in there):
            continue
        kept = [s for s in kept if s not in there]
        arguments: dict[str, Any] = {"camera": camera.number, "letter": framing.letter, "page": framing.page}
        call = following_items(show, Call(action=CUT_TO, arguments=arguments))
        kept.append(Shortcut(control=f"key {key}", call=call))
        made.append(f"key “{key}” {name}")
    return show.model_copy(update={"shortcuts": tuple(kept)}), ", ".join(made)


def _with_playlist(show: Show, name: str, framings: tuple[Framing, Framing, Framing | None]) -> Show:
    """Both, then one and the other in turn, over and over; the one of the same name is made anew."""
    one, other, both = framings
    cover_id = show.settings.cover_camera_id
    items: list[tuple[Item, float]] = [
        (named(show, Kind.FRAMING, one.id), SINGLE_S),
        (named(show, Kind.FRAMING, other.id), SINGLE_S),
    ]
    if both is not None:
        items.insert(0, (named(show, Kind.FRAMING, both.id), BOTH_S))
    elif cover_id is not None:
        items.insert(0, (named(show, Kind.CAMERA, cover_id), BOTH_S))
    entries = tuple(Entry(item=item, amount=seconds) for item, seconds in items)
    there = next((p for p in show.playlists if p.name == name), None)
    made_id = there.id if there else PLAYLISTS.new_id(show)
    return PLAYLISTS.put(show, Playlist(id=made_id, name=name[:80], entries=entries, times=0))


ACTIONS = (
    Action("talk.make", "Set up a talk between two", TalkParams, make, stores=True),
    Action(CUT_TO, "Cut to framing {letter}", FramingParams, cut, says=framing_words("Cut to {camera}")),
)
