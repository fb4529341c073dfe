"""Runs a playlist: takes its entries when they are due, sends cameras ahead, and steps aside for the director.

Its takes are the director's takes: they keep the landing rule, so under *hold* nobody sees a moving camera, and the
time of an entry counts from when it truly went on air. As soon as an entry is on air, the next one is Next and the ones
behind it are under Then, so their cameras travel. A shot that the director readies stays Next: the playlist waits for
that take.
"""

from dataclasses import replace

from ribalta.core.engine.automation.playlist_round import round_of
from ribalta.core.engine.program import switching
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.engine.program.taking import take_with
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.automation_state import Owner, PlaylistState, Queued, RoundEntry
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.causes import By
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.playlists import Aside, Entry, EntryKind, Playlist, Unit
from ribalta.core.show.document.scenes import CUT

QUIET_S = 1.5  # a breath does not end an entry
AHEAD = 6  # entries whose cameras are sent ahead


# The order of a round


# Running


def start(state: LiveState, playlist: Playlist, now_s: float, at: int) -> Outcome:
    """Begin a playlist's first round at the entry `at`, from 0."""
    seed = state.run.id
    plays = round_of(state.show, playlist, seed, 1)
    if not plays:
        return Outcome(state, (Notice(f"“{playlist.name}” has nothing to show.", Severity.REFUSED),))
    first = next((k for k, play in enumerate(plays) if play.playlist_id == playlist.id and play.place >= at), 0)
    playing = PlaylistState(playlist.id, playlist.name, plays, seed)
    return _go_to(state.with_automation(playlist=playing), first, now_s)


def stop(state: LiveState, sentence: str = "") -> Outcome:
    """What it had put under Next and Then goes with it, unless somebody has readied it himself since."""
    playing = state.automation.playlist
    if playing is None:
        return Outcome(state)
    then = tuple(s for s in state.program.then if s not in playing.queued)
    own = state.program.next is not None and state.program.next == playing.readied
    held = None if own and playing.asked else state.program.held
    state = state.with_automation(playlist=None).with_program(
        then=then, next=None if own else state.program.next, held=held
    )
    return Outcome(state, (Notice(sentence or f"“{playing.name}” has ended."),))


def _entry_now(state: LiveState, play: RoundEntry) -> tuple[Entry, float]:
    """An entry as the show has it now, and its length: both can be changed while it runs."""
    playlist = state.show.playlist(play.playlist_id)
    if playlist is None:
        return play.entry, play.entry.amount
    there = playlist.entries[play.place] if play.place < len(playlist.entries) else play.entry
    same = (there.kind, there.item, there.choices) == (play.entry.kind, play.entry.item, play.entry.choices)
    entry = there if same else play.entry
    return entry, playlist.length_s(entry)


def length_s(state: LiveState, play: RoundEntry) -> float:
    """For how many seconds an entry stays; infinite when it stays until it is asked for the next."""
    return _entry_now(state, play)[1]


def _go_to(state: LiveState, at: int, now_s: float) -> Outcome:
    """The entry at a place of this round, or the first of the next round, or the end."""
    state = voice_follow.withdraw(state)
    playing = state.automation.playlist
    assert playing is not None
    if at >= len(playing.plays):
        playlist = state.show.playlist(playing.playlist_id)
        if playlist is None or (playlist.times and playing.round >= playlist.times):
            return stop(state)
        number = playing.round + 1
        plays = round_of(state.show, playlist, playing.seed, number)
        if not plays:
            return stop(state)
        playing = replace(playing, plays=plays, round=number)
        at = 0
    at = max(0, at)
    playing = replace(playing, at=at, asked=False, kept=False, aside_s=None, paused_s=None)
    play = playing.plays[at]
    entry, seconds = _entry_now(state, play)
    playing = replace(playing, since_s=now_s, ends_s=now_s + seconds)
    state = state.with_automation(playlist=playing)
    if entry.kind is EntryKind.MACRO and entry.item is not None:
        call = Call(action="macro.run", arguments={"macro": entry.item.id})
        queued = Queued(call, owner=Owner(By.PLAYLIST, playing.playlist_id))
        return Outcome(state, calls=(queued,)).then(lambda s: _ahead(s, now_s))
    if play.shot is None:
        return Outcome(state).then(lambda s: _ahead(s, now_s))
    return _show(state, play.shot, entry, now_s)


def _show(state: LiveState, shot: Shot, entry: Entry, now_s: float) -> Outcome:
    """Put a shot on air, by the landing rule; through the cover shot, if its camera would have to move on air."""
    playing = state.automation.playlist
    assert playing is not None
    if state.program.on_air == shot:
        return _ahead(state, now_s)
    state = state.with_automation(playlist=replace(playing, asked=True, ends_s=NEVER_S, readied=shot))
    outcome = Outcome(state)
    if state.program.in_transition is not None:  # an entry may be shorter than the transition before it
        outcome = switching.end_change(state, now_s, True)
        state = outcome.state
    cover_id = state.show.settings.cover_camera_id
    if switching.busy(state, shot) and cover_id is not None and not state.on_air(cover_id):
        outcome = outcome.then(lambda s: switching.put_on_air(s, Shot(cover_id), CUT, now_s, 0.0, False))
    if outcome.state.program.next != shot:  # else it is on its way already
        outcome = outcome.then(lambda s: switching.ready(s, shot, now_s, again=False))
    held = outcome.state.program.held
    if held is None or held.shot != shot:  # else somebody has taken it already, and it waits
        outcome = outcome.then(lambda s: take_with(s, entry.transition, now_s))
    return outcome.then(lambda s: _queue(s, shot, now_s)) if outcome.state.program.on_air != shot else outcome


def _ahead(state: LiveState, now_s: float) -> Outcome:
    """The next shot is Next, and those behind it are under Then, each camera once: they travel."""
    playing = state.automation.playlist
    if playing is None or playing.aside_s is not None:
        return Outcome(state)
    coming = _coming(state, playing)
    mine = state.program.next is None or state.program.next in (playing.readied, *playing.queued)
    outcome = Outcome(state)
    readied = playing.readied
    if coming and mine and not switching.busy(state, coming[0]):
        readied = coming[0]
        if state.program.next != readied:  # else it is on its way already
            outcome = switching.ready(state.with_program(then=_theirs(state, playing)), readied, now_s, again=False)
    elif mine and readied is not None and (not coming or readied != coming[0]):
        readied, outcome = None, Outcome(state.with_program(next=None))
    playing = replace(playing, readied=readied)
    return outcome.then(lambda s: _queue(s.with_automation(playlist=playing), readied, now_s))


def _coming(state: LiveState, playing: PlaylistState) -> list[Shot]:
    plays = playing.coming(AHEAD)
    playlist = state.show.playlist(playing.playlist_id)
    if len(plays) < AHEAD and playlist is not None and (not playlist.times or playing.round < playlist.times):
        plays += round_of(state.show, playlist, playing.seed, playing.round + 1)[: AHEAD - len(plays)]
    coming = [play.shot for play in plays if play.shot is not None]
    return [s for s in coming if s != state.program.on_air] or coming


def _theirs(state: LiveState, playing: PlaylistState) -> tuple[Shot, ...]:
    """What somebody else has put under Then."""
    return tuple(s for s in state.program.then if s not in playing.queued)


def _queue(state: LiveState, readied: Shot | None, now_s: float) -> Outcome:
    """The shots behind Next under Then, each camera once; those that are free travel."""
    playing = state.automation.playlist
    assert playing is not None
    theirs = _theirs(state, playing)
    queued: list[Shot] = []
    used = {s.camera_id for s in (readied, *theirs) if s is not None and s.camera_id}
    for shot in _coming(state, playing):
        if shot == readied or (shot.camera_id and shot.camera_id in used):
            continue
        used.add(shot.camera_id)
        queued.append(shot)
    playing = replace(playing, queued=tuple(queued))
    return switching.send_ahead(state.with_automation(playlist=playing).with_program(then=(*theirs, *queued)), now_s)


def due_s(state: LiveState) -> float:
    """When the entry that it is at is over, or it comes back from aside; infinite when somebody else decides."""
    playing = state.automation.playlist
    if playing is None or playing.paused_s is not None:
        return NEVER_S
    if playing.aside_s is not None:
        playlist = state.show.playlist(playing.playlist_id)
        comes = playlist is not None and playlist.aside is Aside.COME_BACK
        return playing.aside_s + playlist.aside_s if comes and playlist is not None else NEVER_S
    if playing.asked or playing.kept or _yields(state, playing):
        return NEVER_S
    return min(playing.ends_s, _fallen_quiet_s(state, playing))


def _fallen_quiet_s(state: LiveState, playing: PlaylistState) -> float:
    """An entry that waits for a microphone is over when somebody has spoken into it, and then not for a while."""
    entry = playing.play.entry if playing.play is not None else None
    if entry is None or entry.unit is not Unit.UNTIL_CLOSED or entry.mic is None:
        return NEVER_S
    quiet_s = state.voice.quiet.get(entry.mic.id)
    return quiet_s + QUIET_S if quiet_s is not None and quiet_s > playing.since_s else NEVER_S


def _yields(state: LiveState, playing: PlaylistState) -> bool:
    """Has the director readied something? Then that comes first."""
    return (
        state.program.next is not None
        and state.program.next != playing.readied
        and state.program.next not in playing.queued
    )


def advance(state: LiveState, now_s: float) -> Outcome:
    """What is due: the next entry, or back after it has stepped aside."""
    playing = state.automation.playlist
    assert playing is not None
    if playing.aside_s is not None:
        return rejoin(state, now_s)
    return _go_to(state, playing.at + 1, now_s)


def after_change(before: LiveState, after: LiveState, now_s: float) -> Outcome:
    """What a playlist makes of what has just happened: its shot has landed, or somebody took something else."""
    playing = after.automation.playlist
    if playing is None or (before.program.on_air is after.program.on_air and before.sound.strips is after.sound.strips):
        return Outcome(after)
    play = playing.play
    if before.program.on_air is not after.program.on_air and playing.aside_s is None:
        return _program_changed(after, playing, play, now_s)
    if play is not None and play.entry.unit is Unit.UNTIL_CLOSED and not playing.asked and playing.aside_s is None:
        entry, _ = _entry_now(after, play)
        mic = next((m for m in after.show.microphones if entry.mic is not None and m.id == entry.mic.id), None)
        if mic is not None and is_open(before, mic) and not is_open(after, mic) and playing.paused_s is None:
            return _go_to(after, playing.at + 1, now_s)
    return Outcome(after)


def _program_changed(after: LiveState, playing: PlaylistState, play: RoundEntry | None, now_s: float) -> Outcome:
    mine = play is not None and play.shot == after.program.on_air
    if mine and play is not None:
        if not playing.asked:
            return Outcome(after)
        seconds = length_s(after, play)
        playing = replace(playing, asked=False, since_s=now_s, ends_s=now_s + seconds)
        return _ahead(after.with_automation(playlist=playing), now_s)
    following = next((k for k in range(playing.at + 1, len(playing.plays)) if playing.plays[k].shot is not None), None)
    if following is not None and playing.plays[following].shot == after.program.on_air:  # taken by hand, only sooner
        seconds = length_s(after, playing.plays[following])
        playing = replace(playing, at=following, asked=False, kept=False, since_s=now_s, ends_s=now_s + seconds)
        return _ahead(after.with_automation(playlist=playing), now_s)
    waiting = play is not None and after.program.held is not None and after.program.held.shot == play.shot
    if waiting or (playing.asked and after.program.next == playing.readied and after.program.on_air == _cover(after)):
        return Outcome(after)  # the cover shot, until its own is set
    playlist = after.show.playlist(playing.playlist_id)
    if playlist is not None and playlist.aside is Aside.STOP:
        return stop(after, f"“{playing.name}” was stopped: something else was taken.")
    then = tuple(s for s in after.program.then if s not in playing.queued)
    after = after.with_automation(
        playlist=replace(playing, aside_s=now_s, asked=False, queued=(), readied=None)
    ).with_program(then=then)
    back = f" It comes back in {playlist.aside_s:g} s." if playlist and playlist.aside is Aside.COME_BACK else ""
    return Outcome(after, (Notice(f"“{playing.name}” stepped aside.{back}"),))


def _cover(state: LiveState) -> Shot | None:
    cover_id = state.show.settings.cover_camera_id
    return Shot(cover_id) if cover_id is not None else None


# What can be asked of it


def rejoin(state: LiveState, now_s: float) -> Outcome:
    """Go on with the entry behind the one that was on air as it stepped aside."""
    playing = state.automation.playlist
    assert playing is not None
    return _go_to(state.with_automation(playlist=replace(playing, aside_s=None)), playing.at + 1, now_s)


def go(state: LiveState, by: int, now_s: float) -> Outcome:
    """Skip, or go back."""
    playing = state.automation.playlist
    assert playing is not None
    held = None if playing.asked else state.program.held
    return _go_to(state.with_program(held=held), playing.at + by, now_s)


def pause(state: LiveState, now_s: float) -> LiveState:
    """Or go on, with the time that was left."""
    playing = state.automation.playlist
    assert playing is not None
    if playing.paused_s is None:
        return state.with_automation(playlist=replace(playing, paused_s=now_s))
    gone = now_s - playing.paused_s
    return state.with_automation(
        playlist=replace(playing, paused_s=None, since_s=playing.since_s + gone, ends_s=playing.ends_s + gone)
    )


def keep(state: LiveState, on: bool) -> LiveState:
    """Hold the entry that is on air, however long it was to be; or let it end."""
    playing = state.automation.playlist
    assert playing is not None
    return state.with_automation(playlist=replace(playing, kept=on))


def retimed(state: LiveState) -> LiveState:
    """The show was edited: the entry on air ends when it is to end now."""
    playing = state.automation.playlist
    play = playing.play if playing is not None else None
    if playing is None or play is None or playing.asked or playing.aside_s is not None:
        return state
    ends_s = playing.since_s + length_s(state, play)
    return state if ends_s == playing.ends_s else state.with_automation(playlist=replace(playing, ends_s=ends_s))


def left_s(state: LiveState, now_s: float) -> float | None:
    """Seconds until the entry on air is over; None when somebody else decides."""
    playing = state.automation.playlist
    if playing is None or playing.asked or playing.kept or playing.ends_s == NEVER_S:
        return None
    at_s = playing.paused_s if playing.paused_s is not None else now_s
    return max(0.0, playing.ends_s - at_s)
