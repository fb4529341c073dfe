"""What the Clay Cup's crew does before the doors open and after the last pot: its two lists."""

from ribalta.core.show.automation.calls import Call, following_items
from ribalta.core.show.document.crew_lists import ListStep, Seen
from ribalta.core.show.document.model import Show


def with_lists(show: Show) -> Show:
    """The show with the crew's lists. Its framings must be there already."""
    shown = {(f.camera_id, f.letter): f.picture for f in show.framings}

    def tied(action: str, **arguments: int | str | bool) -> Call:
        return following_items(show, Call(action=action, arguments=dict(arguments)))

    opening = (
        ("Power for cameras, desk and the rack under the stage", Seen.CAMERAS, None, None),
        ("Wipe the lenses. Cap off the glazing camera", Seen.BY_HAND, ("c3", "E"), None),
        ("Microphones on the four potters, the host and the jury", Seen.BY_HAND, ("c1", "R"), None),
        ("Tonight's names into the titles", Seen.TITLES, None, None),
        ("Check everything (Check, Tonight)", Seen.CHECKED, None, None),
        ("The wide on air before the doors open", Seen.COVER, None, Call(action="cover")),
        ("Start the recording", Seen.RECORDING, None, Call(action="record", arguments={"on": True})),
        ("Host on the right spot, then good evening", Seen.BY_HAND, ("c1", "D"), tied("macro.run", macro="a1")),
    )
    closing = (
        ("The wide until the hall is empty", Seen.COVER, None, Call(action="cover")),
        ("End the evening (Wrap, Close down)", Seen.CLOSED, None, None),
        ("Hand over: log, edit list and report (Wrap, Hand over)", Seen.BY_HAND, None, None),
        ("Microphones back into their case, batteries out", Seen.BY_HAND, None, None),
        ("Copy the recordings onto the jury's drive", Seen.BY_HAND, None, None),
        ("Caps on, power off, kiln door shut", Seen.BY_HAND, ("c1", "F"), None),
    )

    def made(
        rows: tuple[tuple[str, Seen, tuple[str, str] | None, Call | None], ...], letter: str
    ) -> tuple[ListStep, ...]:
        return tuple(
            ListStep(id=f"{letter}{k}", words=words, seen=seen, picture=shown.get(place) if place else None, call=call)
            for k, (words, seen, place, call) in enumerate(rows, 1)
        )

    return show.model_copy(update={"opening": made(opening, "so"), "closing": made(closing, "sc")})
