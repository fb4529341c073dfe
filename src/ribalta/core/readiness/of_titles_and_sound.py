"""Titles and media, and what is heard."""

from collections.abc import Iterator
from datetime import datetime, timedelta, timezone

from ribalta.core.engine.state.live import LiveState
from ribalta.core.readiness.lines import Group, Line, Looked, Rating, passed
from ribalta.core.show.document.sound import LOWEST_DB, Microphone

CLIPS_DB, QUIET_DB = -1.0, -65.0
NOISE_DB, STEADY_DB = -45.0, 8.0
HUM = 0.3


def title_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Drawings, files and clips that are there, and words that are of today."""
    found = list[Line]()
    zone = timezone(timedelta(seconds=state.wall_clock.utc_offset_s))
    today = datetime.fromtimestamp(looked.now_s, zone).date()
    for title in state.show.titles:
        name, place = f"Title “{title.name}”", f"Titles#{title.id}"
        if title.id in looked.missing:
            found.append(
                Line(
                    Group.TITLES,
                    "title.drawing",
                    name,
                    Rating.STOP,
                    looked.missing[title.id],
                    "It would show nothing.",
                    "Cue",
                    place,
                )
            )
        at = datetime.fromtimestamp(title.changed_at_s, zone) if title.changed_at_s is not None else None
        words = " · ".join(text for text in title.values.values() if text)
        if at is not None and at.date() < today and words:
            found.append(
                Line(
                    Group.TITLES,
                    "title.old",
                    name,
                    Rating.LOOK,
                    f"has said “{words}” since {at:%d %B}",
                    "A title from last time is the mistake that everybody sees.",
                    "Cue",
                    place,
                )
            )
        elif title.fields and not words:
            found.append(
                Line(
                    Group.TITLES,
                    "title.empty",
                    name,
                    Rating.LOOK,
                    "has no words",
                    "Its bar would be empty.",
                    "Cue",
                    place,
                )
            )
    for medium in state.show.media:
        if medium.id in looked.missing:
            found.append(
                Line(
                    Group.TITLES,
                    "medium.there",
                    f"“{medium.name}”",
                    Rating.STOP,
                    looked.missing[medium.id],
                    "It would show black.",
                    "Cue",
                    f"Media#{medium.id}",
                )
            )
    count = len(state.show.titles) + len(state.show.media)
    if not found and count:
        yield passed(Group.TITLES, "titles.all", f"{count} titles and media", "are there")
    yield from found


def sound_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """A signal on each channel that is expected, neither too loud nor hum; and faders that let it through."""
    microphones = sorted(state.show.microphones, key=lambda m: m.number)
    for mic in microphones:
        found = _microphone(state, looked, mic)
        name = f"Microphone {mic.number} “{mic.name}”"
        if found is None:
            yield passed(Group.SOUND, "sound.signal", name, f"{looked.sound[mic.id].level.hold_db:.0f} dB")
        else:
            key, rating, measured, why = found
            yield Line(Group.SOUND, key, name, rating, measured, why, "Cue", "Microphones")
    if state.sound.master_db <= LOWEST_DB:
        yield Line(
            Group.SOUND, "sound.master", "The master", Rating.STOP, "is down", "Nothing is heard.", "Cue", "Microphones"
        )
    mixed = looked.mixed
    if microphones and mixed.hum > HUM:
        said = f"{mixed.hum:.0%} of what is heard is hum"
        yield Line(
            Group.SOUND,
            "sound.hum",
            "Program's sound",
            Rating.LOOK,
            said,
            "A cable or a ground is wrong.",
            "Rig",
            "Microphones",
        )
    names = {mic.id: mic for mic in microphones}
    for one, other in mixed.alike:
        if one in names and other in names:
            said = f"hears exactly what microphone {names[other].number} “{names[other].name}” does"
            name = f"Microphone {names[one].number} “{names[one].name}”"
            yield Line(
                Group.SOUND,
                "sound.alike",
                name,
                Rating.LOOK,
                said,
                "Both have the same cable or channel.",
                "Rig",
                "Microphones",
            )


def _microphone(state: LiveState, looked: Looked, mic: Microphone) -> tuple[str, Rating, str, str] | None:
    seen = looked.sound.get(mic.id)
    if not mic.address:
        return "sound.device", Rating.LOOK, "has no device", "Nothing comes from it."
    if seen is None or seen.trouble:
        why = "Nobody will be heard who speaks into it."
        return "sound.signal", Rating.STOP, seen.trouble if seen is not None else "nothing comes", why
    if seen.level.silent:
        return "sound.silent", Rating.STOP, "is silent, without even its own noise", "It is off, or not plugged in."
    if seen.level.hold_db > CLIPS_DB:
        return "sound.loud", Rating.LOOK, f"{seen.level.hold_db:.1f} dB: it clips", "It is distorted: turn it down."
    if seen.level.hold_db < QUIET_DB:
        return "sound.quiet", Rating.LOOK, f"{seen.level.hold_db:.0f} dB at most", "Nobody speaks, or it is turned low."
    if seen.quietest_db > NOISE_DB and seen.level.hold_db - seen.quietest_db < STEADY_DB:
        said = f"is steady at {seen.quietest_db:.0f} dB"
        return "sound.noise", Rating.LOOK, said, "Nobody speaks so evenly: noise, or hum."
    if mic.follows and not mic.camera_ids and mic.mark_id is None:
        return "sound.follows", Rating.LOOK, "follows the picture of no camera", "It would never open by itself."
    if state.strip(mic.id).solo:
        return "sound.solo", Rating.LOOK, "is listened to alone", "Others are not heard in the headphones."
    return None
