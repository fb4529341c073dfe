"""What is prepared to run: macros, triggers, keys, pads and playlists."""

from collections.abc import Iterator

from ribalta.core.engine.dryrun.rehearsal import Report, all_there, rehearse
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.playlist_outlook import of_playlist
from ribalta.core.ports.shots import Shot
from ribalta.core.readiness.lines import Fix, Group, Line, Looked, Rating, passed
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import Macro
from ribalta.core.show.automation.triggers_pads_shortcuts import Trigger, WhenKind
from ribalta.core.show.document.uses import faults

LONGEST_S = 900.0
PAGES = {"macro": "Macros", "trigger": "Triggers", "playlist": "Playlists", "pad": "Pads", "fader": "Faders"}
REFUSED = "It will be refused when it is wanted."
OF_THE_SHOW = {
    "key Space": "takes",
    "key Tab": "brings the cover shot",
    "key B": "fades to black",
    "key Esc": "lets go",
    "key F12": "stops what runs",
    "key Y": "clears",
}
MESSAGES = {"osc": "OSC", "http": "HTTP", "tcp": "TCP", "udp": "UDP", "midi": "MIDI"}


def cue_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Broken references, keys that hide others, triggers that cannot fire, and every macro tried dry."""
    show, found = state.show, list[Line]()
    steps = {step.id: step.words for step in (*show.opening, *show.closing)}
    names = {("macro", m.id): m.name for m in show.macros} | {("trigger", t.id): t.name for t in show.triggers}
    for (kind, user_id), said in faults(show).items():
        if kind == "playlist":
            continue
        name = names.get((kind, user_id), user_id.split("|")[0].split(":")[-1])
        if kind == "step":
            opening = any(step.id == user_id for step in show.opening)
            where = ("Check", "Opening list") if opening else ("Wrap", "Closing list")
            found.append(Line(Group.CUES, "cue.broken", f"Step “{steps[user_id]}”", Rating.LOOK, said, REFUSED, *where))
            continue
        page = "Shortcuts" if kind == "shortcut" else PAGES[kind]
        place = f"{page}#{user_id.split('|')[0]}"
        found.append(
            Line(
                Group.CUES,
                "cue.broken",
                f"{kind.capitalize()} “{name}”",
                Rating.STOP,
                said,
                REFUSED,
                "Cue",
                place,
            )
        )
    found += _keys(state)
    for trigger in show.triggers:
        why = _cannot_fire(state, trigger)
        if why:
            found.append(
                Line(
                    Group.CUES,
                    "trigger.fires",
                    f"Trigger “{trigger.name}”",
                    Rating.LOOK,
                    why,
                    "It is on, and would never do anything.",
                    "Cue",
                    f"Triggers#{trigger.id}",
                )
            )
    broken = {user_id for kind, user_id in faults(show) if kind == "macro"}
    for macro in show.macros:
        if macro.id not in broken:
            found += _macro(state, macro)
    yield from found
    if not found:
        count = len(show.macros) + len(show.triggers) + len(show.shortcuts)
        yield passed(Group.CUES, "cue.all", f"{count} macros, triggers and shortcuts", "refer to what is there")


def _keys(state: LiveState) -> Iterator[Line]:
    here = {shortcut.place: shortcut for shortcut in state.desk.shortcuts}
    for shortcut in state.show.shortcuts:
        name, place = shortcut.control.partition(" ")[2], f"Shortcuts#{shortcut.control}"
        other = here.get(shortcut.place)
        if other is not None and other.call != shortcut.call:
            yield Line(
                Group.CUES,
                "key.clash",
                f"Key {name}",
                Rating.LOOK,
                "is given twice: by the show and by this desk",
                "Only one of them is done.",
                "Cue",
                place,
            )
        if shortcut.control in OF_THE_SHOW and not shortcut.layer:
            yield Line(
                Group.CUES,
                "key.hides",
                f"Key {name}",
                Rating.LOOK,
                f"no longer {OF_THE_SHOW[shortcut.control]}",
                "Hands reach for it without looking.",
                "Cue",
                place,
            )


def _cannot_fire(state: LiveState, trigger: Trigger) -> str:
    if not trigger.enabled:
        return ""
    if not trigger.calls:
        return "does nothing: there is no action in it"
    when, listening = trigger.when, state.show.listening
    if when.kind is WhenKind.MESSAGE:
        wire = when.message.partition(" ")[0]
        on = {
            "osc": listening.osc,
            "http": listening.http,
            "tcp": listening.tcp_port > 0,
            "udp": listening.udp_port > 0,
        }.get(wire, True)
        return "" if on else f"waits for {MESSAGES.get(wire, wire)}, which is switched off"
    if when.kind in (WhenKind.MIC_OPENS, WhenKind.MIC_CLOSES) and not state.show.microphones:
        return "waits for a microphone, and there is none"
    return ""


def _macro(state: LiveState, macro: Macro) -> Iterator[Line]:
    """Tried from the cover shot and from another camera: what is refused only because it is on air already is well."""
    reports = _tried(state, macro)
    name, place = f"Macro “{macro.name}”", f"Macros#{macro.id}"
    refused = [{(line.macro, line.step): line for line in r.lines if line.trouble and line.action} for r in reports]
    both = [line for key, line in refused[0].items() if key in refused[-1]]
    if both:
        said = f"would be refused after {both[0].at_s:.1f} s: {both[0].words.rstrip('.')}"
        yield Line(Group.CUES, "macro.refused", name, Rating.LOOK, said, "A step would be left out.", "Cue", place)
    late = min(len(report.shots) - report.landed for report in reports)
    if late:
        said = f"{late} of {len(reports[0].shots)} cuts would not land"
        yield Line(Group.CUES, "macro.lands", name, Rating.LOOK, said, "They would show a moving camera.", "Cue", place)
    if not macro.steps:
        yield Line(Group.CUES, "macro.steps", name, Rating.LOOK, "has no steps", "It does nothing.", "Cue", place)


def _tried(state: LiveState, macro: Macro) -> tuple[Report, ...]:
    """The same macro in the same show comes to the same."""
    call, show = Call(action="macro.run", arguments={"macro": macro.id}), state.show
    others = [c for c in show.cameras if c.id != show.settings.cover_camera_id]
    starts = (None, *(Shot(c.id) for c in others[-1:]))
    return show.memo.of_whole(
        f"tried {macro.id}", lambda: tuple(rehearse(show, call, LONGEST_S, start) for start in starts)
    )


def playlist_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Late landings, and entries that refer to something that was removed."""
    at_rest, broken = all_there(state.show), faults(state.show)
    for playlist in state.show.playlists:
        name, place = f"Playlist “{playlist.name}”", f"Playlists#{playlist.id}"
        said = broken.get(("playlist", playlist.id))
        outlook = of_playlist(at_rest, playlist)
        late = [k for k in outlook.late if outlook.foretold[k].begins_s > 0]
        if said is not None:
            yield Line(
                Group.PLAYLISTS,
                "playlist.broken",
                name,
                Rating.STOP,
                said,
                "The entry would be passed over.",
                "Cue",
                place,
            )
        elif not playlist.entries:
            yield Line(
                Group.PLAYLISTS, "playlist.empty", name, Rating.LOOK, "has no entries", "It ends at once.", "Cue", place
            )
        elif late:
            word = "cut comes" if len(late) == 1 else "cuts come"
            yield Line(
                Group.PLAYLISTS,
                "playlist.lands",
                name,
                Rating.LOOK,
                f"{len(late)} {word} late",
                "The camera is still on its way then.",
                "Cue",
                place,
            )
        else:
            yield passed(Group.PLAYLISTS, "playlist.lands", name, "every cut lands")


def start_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """What program begins with: the show's normal transition, nothing over it, neither black nor the card."""
    program, normal = state.program, state.show.settings.normal
    found = list[Line]()
    if program.black.black:
        found.append(
            Line(
                Group.MIX,
                "mix.black",
                "Program",
                Rating.STOP,
                "is faded to black",
                "Nobody sees anything.",
                "Air",
                "",
                Fix("Back from black", "black", {"black": False}),
            )
        )
    if program.card:
        found.append(
            Line(
                Group.MIX,
                "mix.card",
                "Program",
                Rating.STOP,
                "shows the holding card",
                "It hides everything.",
                "Air",
                "",
                Fix("Take it off", "card", {"on": False}),
            )
        )
    if program.transition != normal:
        said = f"{program.transition.words}, where the show's own is {normal.words}"
        found.append(
            Line(
                Group.MIX,
                "mix.transition",
                "The transition",
                Rating.LOOK,
                said,
                "It is from last time.",
                "Cue",
                "Transitions",
                Fix("The show's own", "transition.normal"),
            )
        )
    if state.has_overlays:
        found.append(
            Line(
                Group.MIX,
                "mix.overlays",
                "Over the picture",
                Rating.LOOK,
                "something is on, or comes with the next take",
                "It is seen from the first shot on.",
                "Air",
                "",
                Fix("Clear", "clear"),
            )
        )
    yield from found or [passed(Group.MIX, "mix.all", "Program", "begins with nothing over it")]
