"""Where program goes, what others are to be told, and the machine that does it."""

from collections.abc import Iterator

from ribalta.core.base.frames import RATES
from ribalta.core.base.spans import length_words
from ribalta.core.engine.state.live import LiveState
from ribalta.core.readiness.holding import holding_words, holds, most_held
from ribalta.core.readiness.lines import Fix, Group, Line, Looked, MachineLook, Rating, passed
from ribalta.core.show.document.outputs import format_words

HELD_SHARE, WAITS, BATTERY = 0.97, 0.6, 50.0  # frames tell first; who waits so long has nothing to spare
FIRST_YEAR = 2025
STREAM = "the stream"


def output_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Recording armed, a folder with room, a second of it read back; the stream's receiver; tally."""
    outputs, seen = state.show.outputs, looked.outputs
    if not outputs.expects_recording:
        fix = Fix("Expect a recording", "outputs.change", {"expects_recording": True})
        yield Line(
            Group.OUTPUTS,
            "recording.armed",
            "Recording",
            Rating.LOOK,
            "is not expected",
            "Nobody is told if it is forgotten.",
            "Rig",
            "Outputs",
            fix,
        )
    if seen.folder_trouble:
        yield Line(
            Group.OUTPUTS,
            "recording.folder",
            "Recording",
            Rating.STOP,
            f"{seen.folder}: {seen.folder_trouble}",
            "Nothing can be written there.",
            "Rig",
            "Outputs",
        )
    else:
        planned, room = state.show.readiness.planned_minutes, seen.room_minutes
        if room is not None and room < planned:
            said = f"room for {length_words(60 * round(room))}, planned are {length_words(60 * round(planned))}"
            yield Line(
                Group.OUTPUTS,
                "recording.room",
                "Recording",
                Rating.STOP,
                said,
                "It will end before the show.",
                "Rig",
                "Outputs",
            )
        elif seen.test_trouble:
            yield Line(
                Group.OUTPUTS,
                "recording.test",
                "Recording",
                Rating.STOP,
                seen.test_trouble,
                "A second of recording could not be read back.",
                "Rig",
                "Outputs",
            )
        else:
            yield passed(Group.OUTPUTS, "recording.test", "Recording", "a second was recorded and read back")
    gone = [i for i in outputs.record_camera_ids if state.show.camera(i) is None]
    if gone:
        yield Line(
            Group.OUTPUTS,
            "recording.cameras",
            "Recording",
            Rating.LOOK,
            "of a camera that was removed",
            "An editor will miss it.",
            "Rig",
            "Outputs",
        )
    if outputs.stream_to and seen.stream_trouble:
        yield Line(
            Group.OUTPUTS,
            "stream.reach",
            "Stream",
            Rating.STOP,
            seen.stream_trouble,
            "Nobody would see it.",
            "Rig",
            "Outputs",
        )
    elif outputs.stream_to:
        yield passed(Group.OUTPUTS, "stream.reach", "Stream", "its receiver answers")
    for receiver in outputs.tally:
        said = seen.out_of_reach.get(f"tally {receiver.host}:{receiver.port}", "")
        if said:
            yield Line(
                Group.OUTPUTS,
                "tally.reach",
                f"Tally for {receiver.host}",
                Rating.LOOK,
                said,
                "Its lamps stay dark.",
                "Rig",
                "Outputs",
            )


def control_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Devices that have something to do and are not plugged in, and partners out of reach."""
    show, found = state.show, list[Line]()
    kinds = {shortcut.control.partition(" ")[0] for shortcut in show.shortcuts}
    kinds |= {fader.control.partition(" ")[0] for fader in show.faders}
    for kind, words in (("midi", "A MIDI device"), ("gamepad", "A gamepad")):
        if kind in kinds and kind not in looked.controls:
            found.append(
                Line(
                    Group.CONTROL,
                    f"control.{kind}",
                    words,
                    Rating.LOOK,
                    "has keys, and is not plugged in",
                    "What is on it cannot be reached.",
                    "Cue",
                    "Shortcuts",
                )
            )
    for port in sorted({fader.port for fader in show.faders if fader.port} - looked.ports):
        found.append(
            Line(
                Group.CONTROL,
                "control.port",
                f"“{port}”",
                Rating.LOOK,
                "has faders, and is not plugged in",
                "What is on it cannot be reached.",
                "Cue",
                "Faders",
            )
        )
    for destination in show.destinations:
        said = looked.outputs.out_of_reach.get(f"partner {destination.id}", "")
        if said:
            found.append(
                Line(
                    Group.CONTROL,
                    "partner.reach",
                    f"Partner “{destination.name}”",
                    Rating.LOOK,
                    said,
                    "Messages to it are lost.",
                    "Rig",
                    "Messages",
                )
            )
    if not found and (show.destinations or kinds):
        yield passed(Group.CONTROL, "control.all", "Controllers and partners", "are there")
    yield from found


def machine_lines(state: LiveState, looked: Looked) -> Iterator[Line]:
    """Frames held, load, power, clock."""
    seen, found = looked.machine, list[Line]()
    outputs = state.show.outputs
    wanted = float(outputs.rate * seen.seconds)
    if wanted and seen.frames < HELD_SHARE * wanted:
        said = f"{seen.frames} of {wanted:.0f} frames in {seen.seconds:.0f} s"
        found.append(Line(Group.MACHINE, "machine.frames", "Program", Rating.LOOK, said, "Pictures will stutter."))
    found += _holding(state, seen)
    if seen.waits > WAITS:
        said = f"Ribalta waits for a core {seen.waits:.0%} of the time that it wants one"
        found.append(
            Line(Group.MACHINE, "machine.load", "Load", Rating.LOOK, said, "Close what is not needed tonight.")
        )
    if seen.power == "battery":
        left = f", {seen.battery:.0f} % are left" if seen.battery is not None else ""
        rating = Rating.STOP if seen.battery is not None and seen.battery < BATTERY else Rating.LOOK
        found.append(Line(Group.MACHINE, "machine.power", "Power", rating, f"runs on its battery{left}", "Plug it in."))
    if seen.year and seen.year < FIRST_YEAR:
        said = f"says that it is {seen.year}"
        found.append(
            Line(Group.MACHINE, "machine.clock", "Clock", Rating.LOOK, said, "Names and timecodes come from it.")
        )
    if not [line for line in found if line.rating is not Rating.PASS]:
        yield passed(Group.MACHINE, "machine.all", "This machine", "holds its frames")
    yield from found


def _holding(state: LiveState, seen: MachineLook) -> Iterator[Line]:
    """What this machine holds, whether or not it is wanted tonight."""
    outputs = state.show.outputs
    lines = outputs.format.partition("p")[0]
    if lines not in seen.costs:
        return
    said = holding_words(seen.costs, seen.cores)
    if holds(seen.costs[lines], outputs.rate, seen.cores):
        yield passed(Group.MACHINE, "machine.holds", "This machine", said)
        return
    wanted = format_words(outputs.format)
    held = most_held(seen.costs, seen.cores)
    best = max(held, key=lambda one: (int(one), RATES[held[one]]), default="")
    fix = Fix(f"Make it {best}p{held[best]}", "outputs.change", {"format": f"{best}p{held[best]}"}) if best else None
    then = "Pictures will stutter, and recordings lose frames."
    yield Line(
        Group.MACHINE, "machine.holds", f"Program at {wanted}", Rating.STOP, said, then, "Rig", "Outputs#format", fix
    )
