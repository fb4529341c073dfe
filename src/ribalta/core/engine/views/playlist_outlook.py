"""What a playlist will come to, from how everything stands: for its chart, for Then, and for what would mend it."""

from collections.abc import Sequence
from dataclasses import dataclass

from ribalta.core.base.aim import Aim
from ribalta.core.engine.automation import playlist_round, playlist_runner
from ribalta.core.engine.program.landing import parts
from ribalta.core.engine.state.automation_state import RoundEntry
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning.foretelling import Foretold, Wanted, foretell
from ribalta.core.planning.mending import Mend, mends
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.playlists import FOR_EVER, Playlist
from ribalta.core.show.document.model import Framing

UNKNOWN_S = 8.0  # how long something is drawn whose end is somebody's else


@dataclass(frozen=True, slots=True)
class Outlook:
    """Entries in the order of a round, each with what is foretold of it; `framings` are theirs, where they have one."""

    plays: tuple[RoundEntry, ...]
    wanted: tuple[Wanted, ...]
    framings: tuple[Framing | None, ...]
    foretold: tuple[Foretold, ...]
    aims: dict[str, Aim]
    on_air: tuple[str, ...]

    @property
    def late(self) -> tuple[int, ...]:
        """The places, from 0, of entries that come late."""
        return tuple(k for k, entry in enumerate(self.foretold) if entry.late)


def wanted_of(state: LiveState, play: RoundEntry, length_s: float | None = None) -> Wanted:
    """What an entry asks of the cameras."""
    seconds = length_s if length_s is not None else playlist_runner.length_s(state, play)
    seconds = UNKNOWN_S if seconds == FOR_EVER else seconds
    if play.shot is None:
        return Wanted((), seconds)
    cameras = tuple((p.camera_id, _aim(state, p)) for p in parts(state, play.shot))
    return Wanted(cameras, seconds, play.entry.transition.length_s)


def _aim(state: LiveState, shot: Shot) -> Aim | None:
    framing = state.framing(shot)
    return framing.aim if framing is not None else None


def of_plays(state: LiveState, plays: Sequence[RoundEntry], first_left_s: float | None = None) -> Outlook:
    """From how the cameras stand now, or are on their way to. `first_left_s` is what is left of the first entry."""
    wanted = [wanted_of(state, play) for play in plays]
    if wanted and first_left_s is not None:
        first = wanted[0]
        wanted[0] = Wanted(first.cameras, first_left_s, 0.0)
    aims = {}
    for camera in state.show.cameras:
        live = state.live(camera.id)
        aim = live.aim if live.aim is not None else _first_aim(state, camera.id)
        if aim is not None:
            aims[camera.id] = aim
    on_air = tuple(c.id for c in state.show.cameras if state.on_air(c.id))
    found = foretell(state.show, wanted, aims, on_air)
    framings = tuple(state.framing(play.shot) for play in plays)
    return Outlook(tuple(plays), tuple(wanted), framings, found, aims, on_air)


def _first_aim(state: LiveState, camera_id: str) -> Aim | None:
    """Of a camera that has not said where it stands: its first framing."""
    own = sorted((f for f in state.show.framings if f.camera_id == camera_id), key=lambda f: f.slot)
    return own[0].aim if own else None


def of_playlist(state: LiveState, playlist: Playlist) -> Outlook:
    """A round of it, as if it began now."""
    running = state.automation.playlist
    if running is not None and running.playlist_id == playlist.id and running.round == 1:
        return of_plays(state, running.plays)
    return of_plays(state, playlist_round.round_of(state.show, playlist, 0, 1))


def of_running(state: LiveState, now_s: float, count: int = 8) -> Outlook | None:
    """What is coming of the playlist that runs; the first is what it is at."""
    running = state.automation.playlist
    if running is None or running.play is None:
        return None
    left = playlist_runner.left_s(state, now_s)
    return of_plays(state, (running.play, *running.coming(count)), left if left is not None else UNKNOWN_S)


def mends_of(state: LiveState, outlook: Outlook, at: int) -> tuple[Mend, ...]:
    """What would make the entry `at` land."""
    return mends(state.show, outlook.wanted, outlook.framings, outlook.aims, at, outlook.on_air)
