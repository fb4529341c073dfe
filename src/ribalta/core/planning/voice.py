"""Who is to be seen, from who speaks and for how long. What shows them, and when the cut may be, others decide.

Everything counts in marks: a voice is where its microphone is. A short gap in a voice does not end it, so that its time
goes on; but only a voice that is open now has been patiently waited for.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from ribalta.core.show.document.voice import Interjections, VoiceFollow

BRIDGE_S = 0.5  # a gap between two words of one voice
OVERLAP_GAP_S = 0.35  # a breath while two speak at once
LEAVES_S = 1.0  # of two that were shown together, one has stopped for so long
WORD_S = 0.3  # before that it may be a cough
REMEMBERED_S = 90.0  # who spoke within this time may be seen to react
NEVER_S = float("inf")
MOST_STEPS = 3


@dataclass(frozen=True, slots=True)
class Want:
    """The marks that are to be seen, none for the cover shot; `why` as a phrase. `reacts`: they do not speak."""

    marks: tuple[str, ...] = ()
    why: str = ""
    reacts: bool = False


@dataclass(frozen=True)
class Voices:
    """`open` are the voices that are heard now and since when; `closed` when each other one began and ended last.

    `want_s` is since when `want` is wanted; `quiet_s` since when nobody is heard.
    """

    open: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))
    closed: Mapping[str, tuple[float, float]] = field(default_factory=lambda: MappingProxyType({}))
    want: Want | None = None
    want_s: float = 0.0
    quiet_s: float = 0.0

    def lately(self) -> tuple[str, ...]:
        """Everybody who has spoken, the last first."""
        return tuple(sorted(self.closed, key=lambda m: -self.closed[m][1]))


NOBODY = Voices()


def heard(voices: Voices, marks: frozenset[str], now_s: float) -> Voices:
    """What is known when just these voices are open from now on."""
    if marks == voices.open.keys():
        return voices
    open_, closed = dict(voices.open), dict(voices.closed)
    for mark in voices.open.keys() - marks:
        closed[mark] = (open_.pop(mark), now_s)
    for mark in sorted(marks - voices.open.keys()):
        began_s, ended_s = closed.pop(mark, (now_s, -NEVER_S))
        open_[mark] = began_s if now_s - ended_s <= BRIDGE_S else now_s
    quiet_s = now_s if not open_ and voices.open else voices.quiet_s
    return replace(voices, open=MappingProxyType(open_), closed=MappingProxyType(closed), quiet_s=quiet_s)


def decided(voices: Voices, rules: VoiceFollow, now_s: float, names: Mapping[str, str]) -> Voices:
    """Who is wanted now. `names` are what marks are called. What is wanted may at once let somebody put a word in."""
    for _ in range(MOST_STEPS):
        want = _want(voices, rules, now_s, names)
        if voices.want is not None and want == voices.want:
            break
        voices = replace(voices, want=want, want_s=now_s)
    return voices


def due_s(voices: Voices, rules: VoiceFollow, now_s: float) -> float:
    """When `decided` may next come to something else, if nothing is heard until then."""
    times = [since + rules.patience_s for since in voices.open.values()]
    times += [since + rules.together_s for since in voices.open.values()]
    times += [since + WORD_S for since in voices.open.values()]
    times += [ended + gap for _, ended in voices.closed.values() for gap in (OVERLAP_GAP_S, LEAVES_S)]
    if not voices.open:
        times.append(voices.quiet_s + rules.silence_s)
    want = voices.want
    if want is not None and len(want.marks) == 1:
        times.append(voices.want_s + (rules.reaction_s if want.reacts else rules.reaction_every_s))
    if want is not None and len(want.marks) == 2:
        times.append(voices.want_s + rules.minimum_s)
    return min((t for t in times if t > now_s + 1e-6), default=NEVER_S)


def _want(voices: Voices, rules: VoiceFollow, now_s: float, names: Mapping[str, str]) -> Want:
    now = voices.want or Want((), "nobody has spoken yet")
    speak = _established(voices, rules, now_s, now)
    at_once = tuple(m for m in _talking(voices, now_s) if _for_s(voices, m, now_s) >= rules.together_s - 1e-6)
    if not voices.open:
        at_once = ()
    if len(at_once) >= 3:
        return Want((), f"{len(at_once)} speak at once")
    if len(at_once) == 2:
        return Want(tuple(sorted(at_once)), f"{_both(at_once, names)} speak at once")
    if not voices.open:
        quiet_s = now_s - voices.quiet_s
        if quiet_s >= rules.silence_s - 1e-6:
            return now if not now.marks and not now.reacts else Want((), f"nobody has spoken for {rules.silence_s:g} s")
        return now if not now.reacts else Want(now.marks, now.why)
    word = _word_put_in(voices, rules, now_s, now, names)
    if word is not None:
        return word
    if len(speak) != 1:
        return now if not (now.reacts and now_s - voices.want_s >= rules.reaction_s - 1e-6) else _back(voices, names)
    return _one(voices, rules, now_s, now, speak[0], names)


def _one(voices: Voices, rules: VoiceFollow, now_s: float, now: Want, mark: str, names: Mapping[str, str]) -> Want:
    """One has the word."""
    speaks = Want((mark,), f"{names.get(mark, mark)} speaks")
    if now.reacts:
        over = now_s - voices.want_s >= rules.reaction_s - 1e-6 or now.marks == speaks.marks
        return speaks if over else now
    if now.marks == speaks.marks:
        listener = _listener(voices, mark, now_s)
        long_s = now_s - voices.want_s
        if rules.reaction_every_s > 0 and listener is not None and long_s >= rules.reaction_every_s - 1e-6:
            said = f"{names.get(listener, listener)} listens; {names.get(mark, mark)} has spoken for {long_s:.0f} s"
            return Want((listener,), said, True)
        return now
    if len(now.marks) == 2 and mark in now.marks:
        other = next(m for m in now.marks if m != mark)
        ended_s = voices.closed.get(other, (0.0, now_s))[1]
        long = now_s - voices.want_s >= rules.minimum_s - 1e-6
        return speaks if long and now_s - ended_s >= LEAVES_S - 1e-6 else now
    return speaks


def _back(voices: Voices, names: Mapping[str, str]) -> Want:
    """After a reaction: to whoever has spoken the longest of those who speak."""
    mark = min(voices.open, key=lambda m: voices.open[m])
    return Want((mark,), f"{names.get(mark, mark)} speaks")


def _for_s(voices: Voices, mark: str, now_s: float) -> float:
    """For how long a voice is heard, or was until it fell silent."""
    if mark in voices.open:
        return now_s - voices.open[mark]
    began_s, ended_s = voices.closed[mark]
    return ended_s - began_s


def _talking(voices: Voices, now_s: float) -> tuple[str, ...]:
    """Everybody who is heard, or only takes a breath."""
    breath = (m for m, (_, ended_s) in voices.closed.items() if now_s - ended_s < OVERLAP_GAP_S - 1e-6)
    return (*voices.open, *breath)


def _established(voices: Voices, rules: VoiceFollow, now_s: float, now: Want) -> list[str]:
    """Those who have been patiently waited for; whoever is seen already needs no patience."""
    seen = () if now.reacts else now.marks
    return [m for m, s in voices.open.items() if now_s - s >= rules.patience_s - 1e-6 or (m in seen)]


def _word_put_in(voices: Voices, rules: VoiceFollow, now_s: float, now: Want, names: Mapping[str, str]) -> Want | None:
    if rules.interjections is not Interjections.BOTH or len(now.marks) != 1 or now.marks[0] not in voices.open:
        return None
    others = [m for m, since in voices.open.items() if m != now.marks[0] and now_s - since >= WORD_S - 1e-6]
    if not others or now.reacts:
        return None
    pair = tuple(sorted((now.marks[0], others[0])))
    return Want(pair, f"{names.get(others[0], others[0])} puts a word in")


def _listener(voices: Voices, mark: str, now_s: float) -> str | None:
    """Who spoke last before."""
    for other in voices.lately():
        if other != mark and now_s - voices.closed[other][1] < REMEMBERED_S:
            return other
    return None


def _both(marks: tuple[str, ...], names: Mapping[str, str]) -> str:
    return " and ".join(names.get(m, m) for m in sorted(marks))
