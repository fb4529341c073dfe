"""Rehearsing voice follow: a scripted conversation through the real gates, policy and engine, in hand-wound time."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.dryrun.rehearsal import Rehearsal, all_there
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.voice import voice_follow
from ribalta.core.planning.voice import Want
from ribalta.core.ports.causes import By
from ribalta.core.ports.messages import VoicesHeard
from ribalta.core.ports.shots import Shot
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.model import Show
from ribalta.core.sound.conversation import BLOCK_S, Conversation, Truth, blocks, truths
from ribalta.core.sound.gates import Gates, Powers

GRACE_S = 2.0  # so long it may take until the right picture is on air
SHORT_S = 0.02  # a frame is half of this away from its time


@dataclass(frozen=True, slots=True)
class VoiceReport:
    """How a conversation went. `right_share` is the share of the time after the first GRACE_S of each turn in which
    who had the word was on air; `shots` are (since, for how long, what, why, landed)."""

    name: str
    judged_s: float
    right_s: float
    shots: tuple[tuple[float, float, str, str, bool], ...]
    short_shots: int
    cuts_to_moving: int
    seconds: float

    @property
    def right_share(self) -> float:
        """The share of judged time in which the right one was seen, 0 to 1."""
        return self.right_s / self.judged_s if self.judged_s else 1.0


@dataclass(frozen=True, slots=True)
class FollowedVoices:
    """What would have been shown of what was heard: `spans` are (microphone's id, from, to), `shots` (since, for how
    long, what); all in seconds."""

    seconds: float
    spans: tuple[tuple[str, float, float], ...] = ()
    shots: tuple[tuple[float, float, str], ...] = ()


def follow(show: Show, conversation: Conversation) -> VoiceReport:
    """Raises LocalFault when it is spoken into a microphone that the show does not have, or that has no mark."""
    mics = {mic.number: mic for mic in show.microphones}
    for number in conversation.mics:
        if number not in mics or mics[number].mark_id is None:
            what = "has no mark" if number in mics else "is not in this show"
            raise LocalFault(f"“{conversation.name}” speaks into microphone {number}, which {what}.")
    numbers = sorted(mics)
    state = all_there(show)
    heard = ((at_s, power, BLOCK_S) for at_s, power in blocks(conversation, numbers))
    rehearsal, _ = _followed(show, state, heard, conversation.seconds)
    return _judged(show, conversation, rehearsal, state)


def follow_heard(show: Show, heard: Sequence[tuple[float, Powers, float]], seconds: float) -> FollowedVoices:
    """What voice follow would have shown, by the rules of the show, of what was heard: for each block when it began,
    the mean square in each microphone in the order of their numbers, (microphones,), and its length, all in seconds
    from the beginning."""
    state = all_there(show)
    rehearsal, spans = _followed(show, state, heard, seconds)
    records = [r for r in rehearsal.records if r.at_s < seconds]
    ends = [*(r.at_s for r in records[1:]), seconds]
    end = rehearsal.engine.state
    shots = tuple((r.at_s, to - r.at_s, end.shot_words(r.shot)) for r, to in zip(records, ends, strict=False))
    return FollowedVoices(seconds, spans, shots)


def _followed(
    show: Show, state: LiveState, heard: Iterable[tuple[float, Powers, float]], seconds: float
) -> tuple[Rehearsal, tuple[tuple[str, float, float], ...]]:
    """The rehearsal as it has ended, and who spoke (a microphone's id) from when to when."""
    mics = sorted(show.microphones, key=lambda mic: mic.number)
    gates, rehearsal = Gates(len(mics), show.voice.gating), Rehearsal(state, 0.0)
    since: dict[str, float] = {}
    spans: list[tuple[str, float, float]] = []
    for at_s, power, block_s in heard:
        if gates.feed(power, block_s):
            speaking = tuple(mic.id for mic, on in zip(mics, gates.open, strict=True) if on)
            rehearsal.later(at_s, VoicesHeard(speaking))
            spans += [(mic_id, since.pop(mic_id), at_s) for mic_id in list(since) if mic_id not in speaking]
            since |= {mic_id: at_s for mic_id in speaking if mic_id not in since}
    spans += [(mic_id, from_s, seconds) for mic_id, from_s in since.items()]
    rehearsal.run(Call(action="voice.mode", arguments={"mode": "automatic"}), longest_s=seconds)
    return rehearsal, tuple(spans)


def _judged(show: Show, conversation: Conversation, rehearsal: Rehearsal, start: LiveState) -> VoiceReport:
    end = rehearsal.engine.state
    seconds = conversation.seconds
    records = [r for r in rehearsal.records if r.at_s < seconds]
    seen = [(0.0, start.program.on_air), *((r.at_s, r.shot) for r in records)]
    ends = [*(at for at, _ in seen[1:]), seconds]
    judged = right = 0.0
    for truth in truths(conversation):
        grace_s = GRACE_S + (show.voice.silence_s if truth.silent else 0.0)
        if truth.to_s <= truth.from_s + grace_s:
            continue
        judged += truth.to_s - truth.from_s - grace_s
        for (since, shot), until in zip(seen, ends, strict=True):
            overlap = min(until, truth.to_s) - max(since, truth.from_s + grace_s)
            if overlap > 0 and is_right(show, end, shot, truth):
                right += overlap
    lengths = [e - at for (at, _), e in zip(seen, ends, strict=True)]
    whys = [ran.cause.words for ran in rehearsal.engine.history.lines if ran.cause.by is By.VOICE]
    shots = tuple(
        (round(r.at_s, 2), round(e - r.at_s, 2), end.shot_words(r.shot), why, r.landed)
        for r, e, why in zip(records, ends[1:], whys, strict=False)
    )
    short = sum(length < show.voice.minimum_s - SHORT_S for length in lengths[1:-1])
    return VoiceReport(conversation.name, judged, right, shots, short, sum(not r.landed for r in records), seconds)


def is_right(show: Show, state: LiveState, shot: Shot | None, truth: Truth) -> bool:
    """One is shown alone or with one other; two together, or by the cover shot where no framing has both; nobody, or
    everybody, by the cover shot or a picture of three and more."""
    marks = tuple(m.mark_id for m in show.microphones if m.number in truth.who and m.mark_id is not None)
    framing = state.framing(shot)
    if not marks or len(marks) > 2:
        return voice_follow.shows(state, shot, Want())
    if framing is not None and set(marks) <= set(framing.mark_ids) and len(framing.mark_ids) <= len(marks) + 1:
        return True
    together = any(set(marks) <= set(f.mark_ids) and len(f.mark_ids) <= 3 for f in show.framings)
    return len(marks) == 2 and not together and voice_follow.shows(state, shot, Want())
