"""Voice follow: shows whoever speaks, with the best framing that is set, and says why.

Only `heard`, `followed` and `step` change anything. It cuts, and never to a camera that is not set: what it wants is
readied at once, so that the camera travels while the voice is waited for. Cameras that are free are sent to whoever has
spoken lately, for the next turn. Whatever the director, a macro or a trigger takes or readies suspends it for a time;
while a playlist runs it waits.
"""

from collections.abc import Iterable
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from ribalta.core.engine.program import switching
from ribalta.core.engine.program.choosing import FOR_ANOTHER, Choice, choices, showing
from ribalta.core.engine.program.landing import NEVER_S, landing_state, set_at_s, time_to_set_s
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.engine.state.live import LiveState
from ribalta.core.planning import voice
from ribalta.core.planning.fit import fit_of_framing
from ribalta.core.planning.voice import Want
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import LandingState, Shot
from ribalta.core.show.document.model import ShotSize
from ribalta.core.show.document.scenes import CUT

AGAIN_S = 0.5  # how often it looks again while what it wants is not on air
FOR_A_SECOND = 7.0  # of fit, besides what any choice pays: a voice does not wait
FROM_AFAR = 25.0  # for a picture of the whole person or more
READIED_AHEAD = 4
MAY_GO_ON_S = 0.6  # two voices at once: from then on it may be more than a word
STUCK_S = 3.0  # a camera that has not got there by then, and stands still, does not get there


def names(state: LiveState) -> dict[str, str]:
    """What marks are called, by id."""
    return {mark.id: mark.name for mark in state.show.marks}


def heard(state: LiveState, mic_ids: tuple[str, ...], now_s: float) -> LiveState:
    """These microphones are spoken into from now on. One that is muted by hand, or belongs to nobody, is not heard."""
    marks = frozenset(
        mic.mark_id
        for mic in state.show.microphones
        if mic.id in mic_ids and mic.mark_id is not None and not state.strip(mic.id).muted
    )
    follow, mics = state.voice, frozenset(mic_ids)
    quiet = {mic_id: s for mic_id, s in follow.quiet.items() if mic_id not in mics}
    quiet |= dict.fromkeys(follow.mics - mics, now_s)
    state = _with(state, mics=mics, quiet=MappingProxyType(quiet))
    voices = voice.heard(follow.voices, marks, now_s)
    if voices is follow.voices:
        return state
    return _with(state, voices=voices, due_s=now_s if follow.mode is not VoiceMode.OFF else NEVER_S)


def due_s(state: LiveState) -> float:
    """When it next has something to do; a shot that it waits for may be set sooner than it meant to look."""
    follow = state.voice
    if follow.mode is VoiceMode.OFF:
        return NEVER_S
    if follow.shot is None or follow.mode is VoiceMode.SUGGEST or not _may(state):
        return follow.due_s
    set_s = set_at_s(state, follow.shot)
    ready_s = max(set_s, state.program.since_s + state.show.voice.minimum_s, follow.until_s)
    return min(follow.due_s, ready_s)


def switched(state: LiveState, mode: VoiceMode, now_s: float) -> LiveState:
    """What it had put under Next and Then goes, when it is switched off."""
    follow = state.voice
    if mode is VoiceMode.OFF:
        state = withdraw(state)
        return _with(state, mode=mode, shot=None, short="", due_s=NEVER_S, until_s=0.0)
    voices = replace(follow.voices, want=None, want_s=now_s, quiet_s=now_s)
    if follow.mode is not VoiceMode.OFF:
        voices = follow.voices
    return _with(state, mode=mode, voices=voices, due_s=now_s, until_s=0.0)


def suspended(state: LiveState, seconds: float, now_s: float) -> LiveState:
    """Leave the desk to the director for so long; 0 goes on at once."""
    state = withdraw(state) if seconds > 0 else state
    return _with(state, shot=None, short="", until_s=now_s + seconds, due_s=now_s + seconds)


def after_change(before: LiveState, after: LiveState, now_s: float) -> Outcome:
    """What it makes of what has just happened: somebody else has taken or readied something, or a shot is on air."""
    follow = after.voice
    if follow.mode is VoiceMode.OFF or follow is not before.voice:
        return Outcome(after)  # what it did itself it knows already
    same = (
        before.program.on_air is after.program.on_air
        and before.program.next is after.program.next
        and before.automation.playlist is after.automation.playlist
    )
    if same and before.show is after.show:
        return Outcome(after)
    mine = (None, follow.readied, *follow.queued)
    taken = before.program.on_air != after.program.on_air and after.program.on_air not in mine
    by_hand = before.program.next != after.program.next and (
        before.program.on_air is after.program.on_air or after.program.next not in mine
    )
    seconds = after.show.voice.suspend_s
    if after.automation.playlist is None and before.automation.playlist is None and (taken or by_hand) and seconds > 0:
        first = follow.until_s <= now_s
        after = suspended(after, seconds, now_s)
        said = f"Voice follow leaves it to you for {seconds:g} s."
        return Outcome(after, (Notice(said),) if first else ())
    return Outcome(_with(after, due_s=max(now_s, follow.until_s)))


def step(state: LiveState, now_s: float) -> Outcome:
    """It looks again: decides who is to be seen, readies that, and takes it when it may."""
    rules, follow = state.show.voice, state.voice
    if now_s < follow.until_s:
        return Outcome(_with(state, due_s=follow.until_s))
    voices = voice.decided(follow.voices, rules, now_s, names(state))
    due = min((s + MAY_GO_ON_S for s in voices.open.values() if s + MAY_GO_ON_S > now_s + 1e-6), default=NEVER_S)
    state = _with(state, voices=voices, due_s=min(due, voice.due_s(voices, rules, now_s)))
    if not _may(state):
        return Outcome(
            _with(state, shot=None, due_s=NEVER_S if state.automation.playlist is not None else now_s + AGAIN_S)
        )
    want = voices.want or Want()
    if shows(state, state.program.on_air, want):
        return _prepared(_with(state, shot=None, short=""), None, now_s)
    shot, short = _chosen(state, want, now_s)
    state = _with(state, shot=shot, short=short, due_s=min(state.voice.due_s, now_s + AGAIN_S))
    if shot is None or shot == state.program.on_air or (short and _seen(state, want)):
        return _prepared(_with(state, shot=None), None, now_s)
    outcome = _prepared(state, shot, now_s)
    ready_s = max(set_at_s(outcome.state, shot), state.program.since_s + rules.minimum_s)
    if follow.mode is VoiceMode.AUTOMATIC and ready_s <= now_s:
        taken = outcome.then(lambda s: switching.put_on_air(s, shot, CUT, now_s, 0.0, False))
        return replace(taken, state=_with(taken.state, shot=None, due_s=now_s + 1e-3))
    return outcome


def _may(state: LiveState) -> bool:
    """Is it its turn: no playlist on air, no transition, nothing that waits for the director's take?"""
    plays = state.automation.playlist is not None and state.automation.playlist.aside_s is None
    return not plays and state.program.in_transition is None and state.program.held is None


def _with(state: LiveState, **changes: Any) -> LiveState:
    return state.with_(voice=replace(state.voice, **changes))


def withdraw(state: LiveState) -> LiveState:
    """What it has put under Next and Then goes: somebody else has the desk."""
    follow = state.voice
    if follow.readied is None and not follow.queued:
        return state
    then = tuple(s for s in state.program.then if s not in follow.queued)
    mine = state.program.next is not None and state.program.next == follow.readied
    return _with(state.with_program(then=then, next=None if mine else state.program.next), readied=None, queued=())


# What shows whom


def shows(state: LiveState, shot: Shot | None, want: Want) -> bool:
    """Does a shot show what is wanted, and not too many besides?"""
    if shot is None:
        return False
    framing = state.framing(shot)
    cover_id = state.show.settings.cover_camera_id
    if not want.marks:
        return shot.camera_id == cover_id or (framing is not None and len(framing.mark_ids) > 2)
    if framing is None or framing.size is ShotSize.DETAIL or not set(want.marks) <= set(framing.mark_ids):
        return False
    return len(framing.mark_ids) <= len(want.marks) + 1 and (len(want.marks) > 1 or len(framing.mark_ids) == 1)


def _seen(state: LiveState, want: Want) -> bool:
    """Is what is wanted on air already, if not alone?"""
    framing = state.framing(state.program.on_air)
    whole = framing is not None and framing.size is not ShotSize.DETAIL
    return whole and framing is not None and bool(want.marks) and set(want.marks) <= set(framing.mark_ids)


def _chosen(state: LiveState, want: Want, now_s: float) -> tuple[Shot | None, str]:
    """The best shot for what is wanted, or what comes nearest to it, and then why."""
    called = " and ".join(names(state).get(m, m) for m in want.marks)
    if len(want.marks) == 1:
        best = best_of(state, want.marks[0], now_s)
        if best is not None:
            return best, ""
        return _cover(state), f"no free camera that answers has a framing of {called}"
    if want.marks:
        pair = _best_of_all(state, want.marks, now_s)
        return (pair, "") if pair is not None else (_cover(state), f"no free camera shows {called} together")
    return _cover(state), ""


def best_of(state: LiveState, mark_id: str, now_s: float, taken: Iterable[str] = ()) -> Shot | None:
    """The framing of a mark that serves best now, on none of the cameras that are `taken`."""
    used = set(taken)
    found = [
        (_worth(choice), choice.framing.id, choice.shot)
        for choice in choices(state, mark_id, now_s)
        if choice.possible
        and not _stuck(state, choice.shot, now_s)
        and choice.framing.size is not ShotSize.DETAIL
        and choice.framing.camera_id not in used
        and not state.on_air(choice.framing.camera_id)
        and state.automation.reserved.get(choice.framing.camera_id, mark_id) == mark_id
        and len(choice.framing.mark_ids) == 1
    ]
    return max(found, key=lambda one: (one[0], one[1]))[2] if found else None


def _stuck(state: LiveState, shot: Shot, now_s: float) -> bool:
    """Was its camera sent there, and stands elsewhere? It will not be waited for."""
    live = state.live(shot.camera_id)
    asked = live.goal_framing_id == shot.framing_id and now_s - live.asked_s > STUCK_S
    return asked and landing_state(state, shot, now_s) is LandingState.OFF


def _worth(choice: Choice) -> float:
    afar = FROM_AFAR if choice.framing.size in (ShotSize.WIDE, ShotSize.FULL) else 0.0
    return choice.score - FOR_A_SECOND * (choice.seconds or 0.0) - afar


def _best_of_all(state: LiveState, marks: tuple[str, ...], now_s: float, taken: Iterable[str] = ()) -> Shot | None:
    used, found = set(taken), []
    for framing in showing(state.show).get(marks[0], ()):
        others = len(framing.mark_ids) - len(marks)
        if not set(marks) <= set(framing.mark_ids) or others > 1 or framing.camera_id in used:
            continue
        shot = Shot(framing.camera_id, framing.id)
        seconds = time_to_set_s(state, shot, now_s)
        if seconds is None or state.on_air(framing.camera_id) or framing.camera_id in state.automation.reserved:
            continue
        fit = fit_of_framing(state.show, framing)
        worth = (fit if fit is not None else 50) - 2 * FOR_A_SECOND * seconds - FOR_ANOTHER * others
        found.append((worth, framing.id, shot))
    return max(found)[2] if found else None


def _cover(state: LiveState) -> Shot | None:
    cover_id = state.show.settings.cover_camera_id
    return Shot(cover_id) if cover_id is not None and set_at_s(state, Shot(cover_id)) < NEVER_S else None


def _prepared(state: LiveState, shot: Shot | None, now_s: float) -> Outcome:
    """Ready what is wanted; send free cameras to whoever may have the word next."""
    follow = state.voice
    theirs = tuple(s for s in state.program.then if s not in follow.queued)
    used = {s.camera_id for s in (shot, *theirs) if s is not None}
    coming: list[Shot] = []
    on_air = state.framing(state.program.on_air)
    seen = set(on_air.mark_ids) if on_air is not None and len(on_air.mark_ids) == 1 else set()
    wanted = state.framing(shot)
    seen |= set(wanted.mark_ids) if wanted is not None and len(wanted.mark_ids) == 1 else set()
    pair = _overlapping(state, now_s)
    if pair and shot is None:
        both = _best_of_all(state, pair, now_s, used)
        if both is not None:
            used.add(both.camera_id)
            coming.append(both)
    free = sum(c.steered and not state.on_air(c.id) and c.id not in used for c in state.show.cameras)
    most = min(READIED_AHEAD, len(coming) + free)
    for mark_id in _next_speakers(state):
        if len(coming) == most:
            break
        if mark_id in seen:
            continue
        kept = next((s for s in (follow.readied, *follow.queued) if _of(state, s, mark_id, used)), None)
        best = kept or best_of(state, mark_id, now_s, used)
        if best is not None:
            used.add(best.camera_id)
            coming.append(best)
    return _put(state, shot, coming, theirs, now_s)


def _overlapping(state: LiveState, now_s: float) -> tuple[str, ...]:
    """Two who speak at once, for so long that it may go on; they are not wanted together yet."""
    since = state.voice.voices.open
    if len(since) != 2 or now_s - max(since.values()) < MAY_GO_ON_S - 1e-6:
        return ()
    return tuple(sorted(since))


def _of(state: LiveState, shot: Shot | None, mark_id: str, used: set[str]) -> bool:
    """Is a shot that was prepared before still good for a mark?"""
    framing = state.framing(shot)
    if shot is None or framing is None or framing.mark_ids != (mark_id,):
        return False
    free = shot.camera_id not in used and not state.on_air(shot.camera_id)
    return free and state.live(shot.camera_id).answers and state.live(shot.camera_id).goal_framing_id == framing.id


def _next_speakers(state: LiveState) -> tuple[str, ...]:
    """Who may have the word next: those who speak, those who spoke last, then everybody with a microphone."""
    voices = state.voice.voices
    tied = (mic.mark_id for mic in state.show.microphones if mic.mark_id is not None)
    return tuple(dict.fromkeys((*voices.open, *voices.lately(), *tied)))


def _put(state: LiveState, shot: Shot | None, coming: list[Shot], theirs: tuple[Shot, ...], now_s: float) -> Outcome:
    follow = state.voice
    mine = state.program.next is None or state.program.next in (follow.readied, *follow.queued)
    readied = shot
    if readied is None and follow.mode is VoiceMode.AUTOMATIC and coming:
        readied, coming = coming[0], coming[1:]
    outcome = Outcome(state)
    if not mine:
        readied = None
    elif readied is None:
        outcome = Outcome(state.with_program(next=None))
    elif state.program.next != readied:
        outcome = switching.ready(state.with_program(then=theirs), readied, now_s, again=False)
    queued = tuple(s for s in coming if s != readied)
    return outcome.then(
        lambda s: switching.send_ahead(
            _with(s.with_program(then=(*theirs, *queued)), readied=readied, queued=queued), now_s
        )
    )


# What it says


def why(state: LiveState) -> str:
    """Who is wanted and why, as a phrase; and what stands in the way."""
    want, short = state.voice.voices.want, state.voice.short
    said = want.why if want is not None else "nobody has spoken yet"
    return f"{said}, but {short}" if short else said


def words(state: LiveState, now_s: float) -> str:
    """Why it does what it does, as a sentence."""
    follow, rules = state.voice, state.show.voice
    if follow.mode is VoiceMode.OFF:
        return "Voice follow is off."
    if now_s < follow.until_s:
        return f"Left to you for another {follow.until_s - now_s:.0f} s."
    if state.automation.playlist is not None and state.automation.playlist.aside_s is None:
        return f"Waits while “{state.automation.playlist.name}” runs."
    said = why(state)
    said = f"{said[0].upper()}{said[1:]}"
    if follow.shot is None:
        return f"{said}."
    what = state.shot_words(follow.shot)
    if follow.mode is VoiceMode.SUGGEST:
        return f"{said}: {what} is Next. Take it when you like."
    left_s = max(state.program.since_s + rules.minimum_s, min(set_at_s(state, follow.shot), now_s + 60)) - now_s
    waits = time_to_set_s(state, follow.shot, now_s)
    if waits is not None and waits > max(0.0, state.program.since_s + rules.minimum_s - now_s):
        return f"{said}: {what}, when its camera is set in {waits:.1f} s."
    return f"{said}: {what} in {max(0.0, left_s):.1f} s."
