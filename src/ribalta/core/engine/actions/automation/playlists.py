"""Playlists: making them, and starting, stopping and steering the one that runs."""

from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.faults import ActionRefused, NextStep
from ribalta.core.engine.actions.collection import Collection
from ribalta.core.engine.automation import playlist_runner
from ribalta.core.engine.removing import Users
from ribalta.core.engine.state.action import Action, NoParams, Outcome, Params, edited
from ribalta.core.engine.state.automation_state import PlaylistState
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.show.automation.calls import Kind
from ribalta.core.show.automation.playlists import Aside, Entry, Playlist, Unit, Wished, circle
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Name

At = Annotated[int, Field(ge=0, le=999, description="the entry's place, from 0")]


class PlaylistParams(Params):
    playlist: Annotated[str, Field(description="the playlist's id")]


class StartParams(PlaylistParams):
    at: At = 0


class AddParams(Params):
    name: Name | None = None
    entries: tuple[Entry, ...] = ()


class ChangeParams(PlaylistParams):
    """What is left out stays as it is."""

    name: Name | None = None
    times: Annotated[int | None, Field(ge=0, le=10000)] = None
    shuffle: bool | None = None
    apart: Annotated[int | None, Field(ge=0, le=20)] = None
    tempo_bpm: Annotated[float | None, Field(gt=0, le=400)] = None
    aside: Aside | None = None
    aside_s: Annotated[float | None, Field(ge=0.5, le=3600)] = None
    wishes: Annotated[tuple[Wished, ...] | None, Field(max_length=500)] = None
    entries: Annotated[tuple[Entry, ...] | None, Field(max_length=1000)] = None


class RemoveParams(PlaylistParams):
    users: Users = "ask"


class PutParams(PlaylistParams):
    """Entries go in before the one that is at `at` now; `instead` of it, they replace it."""

    at: At
    entries: Annotated[tuple[Entry, ...], Field(min_length=1, max_length=1000)]
    instead: bool = False


class EntryParams(PlaylistParams):
    at: At


class MoveParams(EntryParams):
    by: Annotated[int, Field(ge=-999, le=999)]


class PlaceParams(PlaylistParams):
    """Several entries at once, which keep their order; `before` is a place as it is now, or behind the last one."""

    entries: Annotated[tuple[At, ...], Field(min_length=1, max_length=1000)]
    before: Annotated[int, Field(ge=0, le=1000, description="the place, from 0, that they go before")]


class LengthParams(EntryParams):
    """How long an entry stays, in its own unit or another; also while it runs."""

    amount: Annotated[float | None, Field(gt=0, le=86400, allow_inf_nan=False)] = None
    by: Annotated[float, Field(ge=-86400, le=86400, allow_inf_nan=False)] = 0.0
    unit: Unit | None = None


class StepParams(Params):
    by: Annotated[int, Field(ge=-999, le=999)] = 1


class HoldParams(Params):
    """`on` None turns it over."""

    on: bool | None = None


PLAYLISTS = Collection[Playlist](
    "playlists", lambda show: show.playlists, Show.playlist, "l", ("playlist", "playlists"), 200, Kind.PLAYLIST
)


def _running(state: LiveState) -> PlaylistState:
    if state.automation.playlist is None:
        raise ActionRefused("No playlist is running.")
    return state.automation.playlist


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    name = PLAYLISTS.free_name(state.show, params.name)
    made = Playlist(id=PLAYLISTS.new_id(state.show), name=name, entries=params.entries)
    return _stored(state, made, f"made playlist “{name}”")


def _stored(state: LiveState, playlist: Playlist, what: str, **changes: Any) -> Outcome:
    playlist = PLAYLISTS.changed(playlist, changes)
    show = PLAYLISTS.put(state.show, playlist)
    said = circle(show, playlist)
    if said is not None:
        raise ActionRefused(said)
    return edited(state, show, what)


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    changes = params.model_dump(exclude={"playlist"}, exclude_none=True)
    return _stored(state, playlist, f"changed playlist “{playlist.name}”", **changes)


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    if state.automation.playlist is not None and state.automation.playlist.playlist_id == playlist.id:
        raise ActionRefused(f"“{playlist.name}” is running: stop it first.", NextStep("Stop it", "playlist.stop"))
    asked = {"playlist": playlist.id}
    show = PLAYLISTS.take_out(state.show, playlist, params.users, "playlist.remove", asked)
    return edited(state, show, f"removed playlist “{playlist.name}”")


def duplicate(state: LiveState, params: PlaylistParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    made = playlist.model_copy(update={"id": PLAYLISTS.new_id(state.show), "name": f"{playlist.name[:72]} again"})
    return _stored(state, made, f"made playlist “{made.name}”")


def _with_entries(state: LiveState, playlist: Playlist, entries: tuple[Entry, ...], what: str) -> Outcome:
    return _stored(state, playlist, f"{what} “{playlist.name}”", entries=[e.model_dump() for e in entries])


def _entry(playlist: Playlist, at: int) -> Entry:
    if at >= len(playlist.entries):
        raise ActionRefused(f"“{playlist.name}” has no entry {at + 1} any more.")
    return playlist.entries[at]


def add_entries(state: LiveState, params: PutParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    at = min(params.at, len(playlist.entries))
    if params.instead:
        _entry(playlist, at)
    behind = playlist.entries[at + (1 if params.instead else 0) :]
    return _with_entries(state, playlist, (*playlist.entries[:at], *params.entries, *behind), "changed entries of")


def remove_entry(state: LiveState, params: EntryParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    _entry(playlist, params.at)
    kept = tuple(e for k, e in enumerate(playlist.entries) if k != params.at)
    return _with_entries(state, playlist, kept, "removed an entry of")


def move(state: LiveState, params: MoveParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    one = _entry(playlist, params.at)
    rest = [e for k, e in enumerate(playlist.entries) if k != params.at]
    rest.insert(min(max(0, params.at + params.by), len(rest)), one)
    return _with_entries(state, playlist, tuple(rest), "moved an entry of")


def place(state: LiveState, params: PlaceParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    moved = sorted(set(params.entries))
    ones = [_entry(playlist, at) for at in moved]
    front = [e for k, e in enumerate(playlist.entries[: params.before]) if k not in moved]
    behind = [e for k, e in enumerate(playlist.entries) if k >= params.before and k not in moved]
    many = "an entry" if len(ones) == 1 else f"{len(ones)} entries"
    return _with_entries(state, playlist, (*front, *ones, *behind), f"moved {many} of")


def length(state: LiveState, params: LengthParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    one = _entry(playlist, params.at)
    amount = max(0.04, (params.amount if params.amount is not None else one.amount) + params.by)
    changes: dict[str, Any] = {"amount": amount} | ({"unit": params.unit} if params.unit is not None else {})
    entries = list(playlist.entries)
    entries[params.at] = one.model_copy(update=changes)
    return _with_entries(state, playlist, tuple(entries), "changed a length in")


def start(state: LiveState, params: StartParams, now_s: float) -> Outcome:
    playlist = PLAYLISTS.meant(state, params.playlist)
    outcome = (
        playlist_runner.stop(state, f"“{playlist.name}” takes over.")
        if state.automation.playlist is not None
        else Outcome(state)
    )
    return outcome.then(lambda s: playlist_runner.start(s, playlist, now_s, params.at))


def stop(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    return playlist_runner.stop(state, f"“{_running(state).name}” was stopped.")


def pause(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    _running(state)
    return Outcome(playlist_runner.pause(state, now_s))


def step(state: LiveState, params: StepParams, now_s: float) -> Outcome:
    _running(state)
    return playlist_runner.go(state, params.by, now_s)


def hold(state: LiveState, params: HoldParams, now_s: float) -> Outcome:
    now = _running(state)
    on = not now.kept if params.on is None else params.on
    said = "stays on air until it is let go." if on else "goes on."
    return Outcome(playlist_runner.keep(state, on), (Notice(f"“{now.name}” {said}"),))


def rejoin(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    if _running(state).aside_s is None:
        raise ActionRefused(f"“{_running(state).name}” has not stepped aside.")
    return playlist_runner.rejoin(state, now_s)


ACTIONS = (
    Action("playlist.start", "Start playlist {playlist}", StartParams, start, heeds_voices=True),
    Action("playlist.stop", "Stop the playlist", NoParams, stop, {"Ctrl+F8": {}}, heeds_voices=True),
    Action("playlist.pause", "Pause the playlist, or continue", NoParams, pause, heeds_voices=True),
    Action("playlist.skip", "Go on to the playlist's next entry", StepParams, step, {"Ctrl+F7": {}}, heeds_voices=True),
    Action("playlist.hold", "Hold the playlist's entry on air, or let it end", HoldParams, hold, heeds_voices=True),
    Action("playlist.rejoin", "Rejoin the playlist", NoParams, rejoin, {"Ctrl+F6": {}}, heeds_voices=True),
    Action("playlist.add", "Make a playlist", AddParams, add, stores=True, heeds_voices=True),
    Action("playlist.change", "Change playlist {playlist}", ChangeParams, change, stores=True, heeds_voices=True),
    Action("playlist.remove", "Remove playlist {playlist}", RemoveParams, remove, stores=True, heeds_voices=True),
    Action(
        "playlist.duplicate",
        "Make a playlist like {playlist}",
        PlaylistParams,
        duplicate,
        stores=True,
        heeds_voices=True,
    ),
    Action(
        "playlist.add_entries",
        "Add entries to playlist {playlist}",
        PutParams,
        add_entries,
        stores=True,
        heeds_voices=True,
    ),
    Action(
        "playlist.remove_entry",
        "Remove an entry of playlist {playlist}",
        EntryParams,
        remove_entry,
        stores=True,
        heeds_voices=True,
    ),
    Action("playlist.move", "Move an entry of playlist {playlist}", MoveParams, move, stores=True, heeds_voices=True),
    Action(
        "playlist.place",
        "Move entries of playlist {playlist} to another place",
        PlaceParams,
        place,
        stores=True,
        heeds_voices=True,
    ),
    Action(
        "playlist.length",
        "Change how long an entry of playlist {playlist} stays",
        LengthParams,
        length,
        stores=True,
        heeds_voices=True,
    ),
)
