"""When something happens, only if something is so, then something is done. All deciding about triggers is here.

What happens is read from what an input did to the state, so it does not matter who or what did it. What waits on a
time is kept as one next alarm: a show in which nothing happens does nothing for its triggers.
"""

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from ribalta.core.base.spans import length_words, span_words
from ribalta.core.engine.automation.conditions import holds, matches
from ribalta.core.engine.mishaps import SWITCHED_OFF
from ribalta.core.engine.program.landing import NEVER_S, set_at_s
from ribalta.core.engine.program.open_microphones import is_open
from ribalta.core.engine.state.action import Outcome
from ribalta.core.engine.state.automation_state import Fired, Owner, Queued
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.state.seats import shows
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.messages import Event, Notice, Readied, Severity
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Item
from ribalta.core.show.automation.macros import OF_NOTHING, Condition
from ribalta.core.show.automation.triggers_pads_shortcuts import OF_MICS, Trigger, WhenKind
from ribalta.core.show.document.model import Show

DEEPEST = 8  # how many things may lead to one another
MOST_A_SECOND, MOST_OF_ONE_A_SECOND = 200, 20
DAY_S, HALF_A_DAY_S = 86400.0, 43200.0
NEVER_FIRED = Fired()
ON_TIME = (WhenKind.TIME, WhenKind.COUNTDOWN, WhenKind.ON_AIR_FOR)


@dataclass(frozen=True)
class Index:
    """The triggers by what they wait for."""

    by_kind: dict[WhenKind, tuple[Trigger, ...]] = field(default_factory=dict)
    by_item: dict[tuple[WhenKind, str], tuple[Trigger, ...]] = field(default_factory=dict)
    times: tuple[float, ...] = ()

    def of(self, kind: WhenKind) -> tuple[Trigger, ...]:
        """Those that are enabled and wait for a kind of moment."""
        return self.by_kind.get(kind, ())

    def about(self, kind: WhenKind, *ids: str | None) -> Iterator[Trigger]:
        """Those of anybody's moment, and of the moments of items with these ids."""
        for item_id in dict.fromkeys(("", *(i for i in ids if i))):
            yield from self.by_item.get((kind, item_id), ())

    @property
    def waits_on_time(self) -> bool:
        """Does any wait for a time?"""
        return any(self.of(k) for k in ON_TIME)


def index(show: Show) -> Index:
    """The index of a show's triggers, kept with the show."""
    return show.memo.of("triggers by moment", show.triggers, lambda: made_index(show.triggers))


def made_index(triggers: tuple[Trigger, ...]) -> Index:
    """Enabled triggers by what they wait for."""
    by_kind: dict[WhenKind, list[Trigger]] = {}
    by_item: dict[tuple[WhenKind, str], list[Trigger]] = {}
    for trigger in triggers:
        if trigger.enabled:
            when = trigger.when
            by_kind.setdefault(when.kind, []).append(trigger)
            by_item.setdefault((when.kind, when.item.id if when.item else ""), []).append(trigger)
    times = sorted(t.when.second_of_day for t in by_kind.get(WhenKind.TIME, ()))
    kinds = {kind: tuple(found) for kind, found in by_kind.items()}
    items = {item: tuple(found) for item, found in by_item.items()}
    return Index(kinds, items, tuple(times))


# What has happened


@dataclass(frozen=True, slots=True)
class Happening:
    """A trigger's moment; `why` says what it was."""

    trigger_id: str
    why: str
    shot: Shot | None = None
    """What it is about; None: what is on air."""


def happened(before: LiveState, after: LiveState, events: tuple[Event, ...], now_s: float) -> Iterator[Happening]:
    """Whose moment it is, after an input that led from one state to another."""
    if not after.show.triggers:
        return
    known = index(after.show)
    for event in events:
        if isinstance(event, Readied):
            yield from _of_shot(after, known, WhenKind.READIED, event.shot, "was readied")
    if (
        before.program.on_air is not after.program.on_air
        or before.program.in_transition is not after.program.in_transition
    ):
        was, now = _seen(before), _seen(after)
        for shot in now - was:
            yield from _of_shot(after, known, WhenKind.TAKEN, shot, "went on air")
        for shot in was - now:
            yield from _of_shot(after, known, WhenKind.LEFT, shot, "left the air")
    if before.cameras is not after.cameras:
        yield from _contacts(before, after, known)
    if known.of(WhenKind.SET):
        yield from _settled(before, after, known, now_s)
    if any(known.of(kind) for kind in OF_MICS):
        yield from _mics(before, after, known)
    if before.automation.playlist is not after.automation.playlist and after.automation.playlist is not None:
        yield from _went_on(before, after, known)
    if (
        before.outputs.live is not after.outputs.live
        and before.output("recording").on
        and not after.output("recording").on
    ):
        yield from (Happening(t.id, "the recording stopped") for t in known.of(WhenKind.RECORDING_STOPS))
    if before.outputs.room_minutes != after.outputs.room_minutes and after.outputs.room_minutes is not None:
        was_left = before.outputs.room_minutes if before.outputs.room_minutes is not None else NEVER_S
        for trigger in known.of(WhenKind.DISK_LOW):
            if after.outputs.room_minutes < trigger.when.minutes <= was_left:
                yield Happening(trigger.id, f"there is room for {span_words(60 * after.outputs.room_minutes)}")


def of_message(state: LiveState, line: str) -> Iterator[Happening]:
    """Triggers that wait for a message that begins like this one, at the end of a word."""
    for trigger in index(state.show).of(WhenKind.MESSAGE):
        wanted = trigger.when.message.strip()
        if wanted and (line == wanted or line.startswith(wanted + " ")):
            yield Happening(trigger.id, f"“{line[:80]}” came")


def _seen(state: LiveState) -> set[Shot]:
    shots = (
        state.program.on_air,
        state.program.in_transition.before if state.program.in_transition is not None else None,
    )
    return {shot for shot in shots if shot is not None}


def _of_shot(state: LiveState, known: Index, kind: WhenKind, shot: Shot, did: str) -> Iterator[Happening]:
    for trigger in known.about(kind, shot.camera_id, shot.framing_id, shot.medium_id, shot.scene_id):
        if trigger.when.item is None or matches(state, shot, trigger.when.item):
            yield Happening(trigger.id, f"{state.shot_words(shot)} {did}", shot if kind is WhenKind.LEFT else None)


def _contacts(before: LiveState, after: LiveState, known: Index) -> Iterator[Happening]:
    if not known.of(WhenKind.LOST) and not known.of(WhenKind.BACK):
        return
    for camera in after.show.cameras:
        was, now = before.live(camera.id), after.live(camera.id)
        if was is now:
            continue
        had, has = (was.answers, now.answers) if camera.steered else (was.picture, now.picture)
        if had != has and (was.was_lost or not has):
            said = f"camera {camera.number} {'answers again' if has else 'does not answer'}"
            kind = WhenKind.BACK if has else WhenKind.LOST
            yield from (Happening(t.id, said) for t in known.about(kind, camera.id))


def set_now(state: LiveState, now_s: float) -> frozenset[str]:
    """Cameras that stand where they were sent, of those that some trigger waits for."""
    triggers = index(state.show).of(WhenKind.SET)
    if not triggers:
        return frozenset()
    anyone = any(t.when.item is None for t in triggers)
    ids = {t.when.item.id for t in triggers if t.when.item is not None}
    return frozenset(
        c.id for c in state.show.cameras if c.steered and (anyone or c.id in ids) and _set_s(state, c.id) <= now_s
    )


def _set_s(state: LiveState, camera_id: str) -> float:
    live = state.live(camera_id)
    return set_at_s(state, Shot(camera_id, live.goal_framing_id)) if live.goal_framing_id is not None else NEVER_S


def _settled(before: LiveState, after: LiveState, known: Index, now_s: float) -> Iterator[Happening]:
    for camera_id in after.automation.were_set - before.automation.were_set:
        camera = after.show.camera(camera_id)
        if camera is not None:
            said = f"camera {camera.number} is set"
            yield from (Happening(t.id, said) for t in known.about(WhenKind.SET, camera_id))


def set_due_s(state: LiveState) -> float:
    """When the next camera that a trigger waits for becomes set; infinite when none is on its way."""
    triggers = index(state.show).of(WhenKind.SET)
    if not triggers:
        return NEVER_S
    anyone = any(t.when.item is None for t in triggers)
    ids = (
        [c.id for c in state.show.cameras if c.steered] if anyone else [t.when.item.id for t in triggers if t.when.item]
    )
    return min((_set_s(state, i) for i in ids if i not in state.automation.were_set), default=NEVER_S)


def _went_on(before: LiveState, after: LiveState, known: Index) -> Iterator[Happening]:
    """A playlist has come to another entry, or has begun."""
    was, now = before.automation.playlist, after.automation.playlist
    assert now is not None
    if was is not None and (was.seed, was.round, was.at) == (now.seed, now.round, now.at):
        return
    said = f"“{now.name}” went on to entry {now.at + 1}"
    yield from (Happening(t.id, said) for t in known.about(WhenKind.PLAYLIST, now.playlist_id))


def _mics(before: LiveState, after: LiveState, known: Index) -> Iterator[Happening]:
    if before.sound is after.sound and before.program is after.program and before.show is after.show:
        return
    for mic in after.show.microphones:
        was, now = is_open(before, mic), is_open(after, mic)
        if was != now:
            kind = WhenKind.MIC_OPENS if now else WhenKind.MIC_CLOSES
            said = f"microphone {mic.number} {'opens' if now else 'closes'}"
            yield from (Happening(t.id, said) for t in known.about(kind, mic.id))


# What waits on a time


def alarm_s(state: LiveState) -> float:
    """When the next trigger's time comes, after `times_done_s`; infinite when none waits on a time."""
    known = index(state.show)
    if not known.waits_on_time:
        return NEVER_S
    return min((when_s for when_s, _, _ in _times(state, known)), default=NEVER_S)


def _times(state: LiveState, known: Index) -> Iterator[tuple[float, Trigger, str]]:
    done_s, ahead_s = state.automation.times_done_s, state.wall_clock.offset_s + state.wall_clock.utc_offset_s
    of_day = (done_s + ahead_s) % DAY_S
    next_up = bisect_right(known.times, of_day)
    nearest = known.times[next_up % len(known.times)] if known.times else 0.0
    for trigger in known.of(WhenKind.TIME):
        if trigger.when.second_of_day == nearest and not _broken(state, trigger):
            due_s = done_s + ((nearest - of_day) % DAY_S or DAY_S)
            last_s = state.automation.fired.get(trigger.id, NEVER_FIRED).last_s
            if last_s is not None and due_s - last_s < HALF_A_DAY_S:  # the clock was put back: once a day is enough
                due_s += DAY_S
            yield due_s, trigger, f"it is {trigger.when.at}"
    for trigger in known.of(WhenKind.ON_AIR_FOR):
        program, item = state.program.on_air, trigger.when.item
        due_s = state.program.since_s + trigger.when.seconds
        if program is None or due_s <= done_s or _broken(state, trigger):
            continue
        if item is None or matches(state, program, item):
            said = f"{state.shot_words(program)} has been on air for {length_words(trigger.when.seconds)}"
            yield due_s, trigger, said
    for trigger in known.of(WhenKind.COUNTDOWN):
        title = state.show.titled(trigger.when.item.id) if trigger.when.item is not None else None
        if title is not None and title.counts_to_s is not None and not _broken(state, trigger):
            due_s = title.counts_to_s - state.wall_clock.offset_s
            if due_s > done_s:
                yield due_s, trigger, f"“{title.name}” has counted down"


def _broken(state: LiveState, trigger: Trigger) -> bool:
    return state.automation.fired.get(trigger.id, NEVER_FIRED).broken


def failing_on_time(state: LiveState) -> tuple[str, ...]:
    """The ids of triggers that wait on a time and cannot be reckoned with; all of them if each by itself can."""
    waiting = [t for t in state.show.triggers if t.enabled and t.when.kind in ON_TIME and not _broken(state, t)]
    failing = []
    for trigger in waiting:
        try:
            list(_times(state, made_index((trigger,))))
        except Exception:
            failing.append(trigger.id)
    return tuple(failing or [t.id for t in waiting])


def with_alarm(before: LiveState, after: LiveState, now_s: float) -> LiveState:
    """Set the alarm anew where an input has changed what it depends on; what has gone by is not made up for."""
    same = before.show is after.show or (
        before.show.triggers is after.show.triggers and before.show.titles is after.show.titles
    )
    done = before.automation.times_done_s == after.automation.times_done_s
    since = before.program.since_s == after.program.since_s and before.program.on_air == after.program.on_air
    if same and done and since and before.wall_clock == after.wall_clock:
        return after
    after = after.with_automation(times_done_s=max(after.automation.times_done_s, now_s))
    return after.with_automation(alarm_s=alarm_s(after))


def skipped(before: LiveState, after: LiveState, now_s: float) -> list[Happening]:
    """Whose time of day there was not today, because summer time began: it counts as come. What a clock that was set
    otherwise has passed over is not made up for."""
    jump_s = after.wall_clock.utc_offset_s - before.wall_clock.utc_offset_s
    if not 0 < jump_s <= HALF_A_DAY_S or abs(after.wall_clock.offset_s - before.wall_clock.offset_s) > jump_s / 2:
        return []
    of_day = (now_s + before.wall_clock.offset_s + before.wall_clock.utc_offset_s) % DAY_S
    timed = index(after.show).of(WhenKind.TIME)
    gone = [t for t in timed if 0 < (t.when.second_of_day - of_day) % DAY_S <= jump_s and not _broken(after, t)]
    return [Happening(t.id, f"{t.when.at} was passed over as summer time began") for t in gone]


def ring(state: LiveState) -> tuple[LiveState, list[Happening]]:
    """The alarm has come: whose time it is, and the state with the next alarm."""
    known, at_s = index(state.show), state.automation.alarm_s
    found = [Happening(t.id, why) for when_s, t, why in _times(state, known) if when_s <= at_s]
    state = state.with_automation(times_done_s=at_s)
    return state.with_automation(alarm_s=alarm_s(state)), found


# Firing


def fire(state: LiveState, happening: Happening, now_s: float, parent: int | None, depth: int, chain: str) -> Outcome:
    """Run a trigger's calls if nothing speaks against it; what does is kept to be shown."""
    trigger = state.show.trigger(happening.trigger_id)
    if trigger is None:
        return Outcome(state)
    fared = state.automation.fired.get(trigger.id, NEVER_FIRED)
    recent = tuple(t for t in fared.recent if now_s - t < 1.0)
    storm = depth > DEEPEST or len(recent) >= MOST_OF_ONE_A_SECOND
    why_not = _why_not(state, trigger, fared, now_s)
    if storm:
        why_not = f"it would have gone on and on: {chain or happening.why}"
    if why_not:
        fresh = storm and (not fared.why_not.startswith("it would have") or now_s - fared.why_not_s > 2.0)
        said = (Notice(f"Trigger “{trigger.name}” was held back: {why_not}.", Severity.FAULT),) if fresh else ()
        return Outcome(_with(state, trigger, replace(fared, why_not=why_not, why_not_s=now_s, recent=recent)), said)
    fared = Fired(fared.count + 1, now_s, fared.why_not, fared.why_not_s, (*recent, now_s), trigger.once)
    cause = Cause(By.TRIGGER, f"“{trigger.name}”: {happening.why}", parent, depth)
    owner = Owner(By.TRIGGER, trigger.id)
    calls = tuple(Queued(call, cause, owner, happening.shot) for call in trigger.calls)
    return Outcome(_with(state, trigger, fared), calls=calls)


def _with(state: LiveState, trigger: Trigger, fared: Fired) -> LiveState:
    return state.with_automation(fired=MappingProxyType({**state.automation.fired, trigger.id: fared}))


def _why_not(state: LiveState, trigger: Trigger, fared: Fired, now_s: float) -> str:
    if not trigger.enabled:
        return "it is switched off"
    if fared.broken:
        return SWITCHED_OFF
    if trigger.on_air_only and not shows(state, "Air"):
        return f"it is armed only on Air, and {state.desk.view} was shown"
    if trigger.once and fared.spent:
        return "it fires once, and has"
    if fared.last_s is not None and now_s - fared.last_s < trigger.apart_s:
        every = length_words(trigger.apart_s)
        return f"it had fired {now_s - fared.last_s:.1f} s before, and does so every {every} at most"
    for condition in trigger.only_if:
        if not holds(state, condition, now_s):
            return condition_words(state, condition, False)
    return ""


def condition_words(state: LiveState, condition: Condition, so: bool) -> str:
    """“camera 2 is on air”; not `so`: that it was otherwise."""
    wanted = condition.wanted is so
    verb = ("is" if wanted else "is not") if so else ("was" if wanted else "was not")
    if condition.what in OF_NOTHING:
        return f"the show {verb} {condition.what}"
    return f"{item_words(state, condition.item)} {verb} {condition.what}"


def item_words(state: LiveState, item: Item | None) -> str:
    """What an item is called in a sentence."""
    if item is None:
        return "anything"
    camera, framing = state.show.camera(item.id), state.show.framing(item.id)
    if item.kind == "camera" and camera is not None:
        return f"camera {camera.number}"
    if item.kind == "framing" and framing is not None:
        owner = state.show.camera(framing.camera_id)
        return f"{owner.number if owner else '?'} “{framing.name}”"
    return f"“{item.called}”" if item.called else f"a {item.kind} that was removed"
