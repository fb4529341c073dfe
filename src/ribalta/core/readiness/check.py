"""All lines of a check, in order, from a show's state and what was measured."""

from collections.abc import Callable

from ribalta.core.engine.state.live import LiveState
from ribalta.core.readiness import of_cameras, of_cues, of_outputs, of_titles_and_sound
from ribalta.core.readiness.lines import Group, Line, Looked, Rating

PARTS = (
    (Group.CAMERAS, of_cameras.camera_lines),
    (Group.PICTURES, of_cameras.picture_lines),
    (Group.FRAMINGS, of_cameras.framing_lines),
    (Group.CUES, of_cues.cue_lines),
    (Group.PLAYLISTS, of_cues.playlist_lines),
    (Group.TITLES, of_titles_and_sound.title_lines),
    (Group.SOUND, of_titles_and_sound.sound_lines),
    (Group.MIX, of_cues.start_lines),
    (Group.OUTPUTS, of_outputs.output_lines),
    (Group.CONTROL, of_outputs.control_lines),
    (Group.MACHINE, of_outputs.machine_lines),
)


def check_lines(state: LiveState, looked: Looked, failed: Callable[[Exception], None]) -> tuple[Line, ...]:
    """Every line; those of a kind that the show leaves out are not among them. A part that cannot be judged is a line
    that says so, and `failed` is told why."""
    left_out, found = frozenset(state.show.readiness.left_out), list[Line]()
    for group, part in PARTS:
        try:
            found += [line for line in part(state, looked) if line.key not in left_out]
        except Exception as error:
            failed(error)
            said = f"could not be looked at ({type(error).__name__})"
            found.append(Line(group, "check.failed", "This part", Rating.LOOK, said, "Look at it yourself."))
    return tuple(found)
