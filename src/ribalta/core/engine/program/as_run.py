"""Which lines of the as-run log follow from what has just happened: read from the state before and after, and from
what was said of it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ribalta.core.base.frames import USUAL
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.as_run import Aired, Landing, LineCorrected, MarkerSet, RecordingBegan, SoundHeard
from ribalta.core.ports.messages import ChangeFinished, Event, Logged, ProgramChanged
from ribalta.core.ports.shots import LandingRecord, Layer, Shot
from ribalta.core.show.document.scenes import SLOTS, Inset, Key, Source

NEARLY_S = 0.02
DIGITS = 1  # of percents: a journal rounds where cameras stood on their way
KEPT_OUTPUTS = {"recording": Aired.RECORDING, "stream": Aired.STREAM}


@dataclass(frozen=True, slots=True)
class WentOut:
    """What a line is made of; `run_id` is the number of what asked for it, 0 for nothing."""

    kind: Aired
    words: str
    shot: Shot | None = None
    record: LandingRecord | None = None
    transition: str = ""
    run_id: int = 0
    files: tuple[tuple[str, str], ...] = ()
    timecode: str = ""
    rate: str = str(USUAL)
    at_s: float | None = None
    of: int = 0
    take: int = 0
    loudness: float | None = None


def went_out(before: LiveState, after: LiveState, events: Sequence[Event], now_s: float) -> Iterator[WentOut]:
    """What the log has to say of it at a time (clock time), in order."""
    for k, event in enumerate(events):
        if isinstance(event, ProgramChanged):
            said = events[k + 1] if k + 1 < len(events) else None
            yield _shot(after, event, said.record if isinstance(said, Logged) else None)
        elif isinstance(event, ChangeFinished):
            change = before.program.in_transition
            if change is not None and abs(change.ends_s - now_s) > NEARLY_S:
                yield WentOut(Aired.FINISHED, "the transition was finished", take=before.program.takes)
        elif isinstance(event, MarkerSet):
            yield WentOut(Aired.MARKER, event.note)
        elif isinstance(event, LineCorrected):
            yield WentOut(Aired.CORRECTION, event.words, of=event.line)
        elif isinstance(event, SoundHeard):
            loudness = round(event.loudness, DIGITS)
            yield WentOut(Aired.SOUND, f"{loudness:.1f} LUFS", loudness=loudness)
        elif isinstance(event, RecordingBegan):
            words = f"{len(event.files)} {'file' if len(event.files) == 1 else 'files'}"
            yield WentOut(
                Aired.FILES,
                words,
                after.program.on_air,
                files=event.files,
                timecode=event.timecode,
                rate=event.rate,
                at_s=event.at_s,
            )
    if after.program is not before.program:
        yield from _over(before, after)
        if after.program.black.black != before.program.black.black:
            yield WentOut(Aired.BLACK, "to black" if after.program.black.black else "back from black")
        if after.program.card != before.program.card:
            yield WentOut(Aired.CARD, "the holding card is on" if after.program.card else "the holding card is off")
    if after.show is not before.show:
        yield from _other_words(before, after)
    if after.outputs is not before.outputs:
        for name, kind in KEPT_OUTPUTS.items():
            was, now = before.output(name), after.output(name)
            if was.on != now.on:
                ended = f"ended by itself: {now.trouble}" if now.trouble else "ended"
                yield WentOut(kind, "began" if now.on else ended)


def _shot(state: LiveState, changed: ProgramChanged, record: LandingRecord | None) -> WentOut:
    change = state.program.in_transition
    said = change.transition.words if change is not None and changed.transition_s else "Cut"
    words = state.shot_words(changed.after)
    if record is None:  # a transition that went back
        return WentOut(Aired.SHOT, words, changed.after, None, "Back")
    return WentOut(Aired.SHOT, words, changed.after, record, said, record.run_id, take=state.program.takes)


def _over(before: LiveState, after: LiveState) -> Iterator[WentOut]:
    for slot in SLOTS:
        was, now = before.program.overlays.on(slot), after.program.overlays.on(slot)
        if was == now:
            continue
        if was is not None:
            yield WentOut(Aired.OFF, layer_words(before, was))
        if now is not None:
            yield WentOut(Aired.ON, layer_words(after, now))


def _other_words(before: LiveState, after: LiveState) -> Iterator[WentOut]:
    """Titles that are on, whose words are others now."""
    for layer in after.program.overlays.layers:
        if isinstance(layer, str) and before.show.titled(layer) != after.show.titled(layer):
            said = layer_words(after, layer)
            if before.show.titled(layer) is not None and said != layer_words(before, layer):
                yield WentOut(Aired.WORDS, said)


def layer_words(state: LiveState, layer: Layer) -> str:
    """A title with its words, an inset or key with what it shows."""
    if isinstance(layer, Key):
        return f"key: {_source_words(state, layer.fill)}"
    if isinstance(layer, Inset):
        return f"inset {layer.slot}: {_source_words(state, layer.source)}"
    title = state.show.titled(layer)
    if title is None:
        return "a title that was removed"
    words = " · ".join(text for text in title.values.values() if text)
    return f"title “{title.name}”: {words}" if words else f"title “{title.name}”"


def _source_words(state: LiveState, source: Source) -> str:
    return state.shot_words(Shot(source.camera_id or "", source.framing_id, source.medium_id))


def landing_of(record: LandingRecord | None, readied_s: float | None) -> Landing | None:
    """How a shot landed that was readied at a time (clock time); None for one that had nowhere to land."""
    if record is None:
        return None
    off = round(record.error_percent, DIGITS) if record.error_percent is not None else None
    lead_s = round(max(0.0, record.at_s - record.held_s - readied_s), 2) if readied_s is not None else None
    return Landing(record.landed, off, round(record.held_s, 2), record.forced, record.trimmed, lead_s)
