"""Every action there is, in one list that rejects duplicates of ids and of keys."""

import re
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.validation import why_not
from ribalta.core.engine.actions import as_run, crew_lists, desk, guests, history, readiness, talkback, together
from ribalta.core.engine.actions.automation import (
    faders,
    macros,
    pads,
    playlists,
    sending,
    shortcuts,
    stopping,
    talk,
    triggers,
    voice,
)
from ribalta.core.engine.actions.cameras import adjusting, cameras, steering
from ribalta.core.engine.actions.framings import (
    arranging,
    composing,
    floor_plan,
    framing_tables,
    framings,
    mending,
    trimming,
)
from ribalta.core.engine.actions.program import (
    choosing,
    layers,
    moments,
    outputs,
    rows,
    scenes,
    sound,
    switching,
    titles,
)
from ribalta.core.engine.state.action import Action, Params


class Catalogue:
    """Raises ValueError when two rows share an id or a default key."""

    def __init__(self, *families: tuple[Action, ...]) -> None:
        self.rows: tuple[Action, ...] = tuple(row for family in families for row in family)
        self.by_id: dict[str, Action] = {}
        self.keys: dict[str, tuple[Action, Mapping[str, Any]]] = {}
        for row in self.rows:
            if row.id in self.by_id:
                raise ValueError(f"two actions are called {row.id}")
            self.by_id[row.id] = row
            for key, arguments in row.every_key.items():
                if key in self.keys:
                    raise ValueError(f"{key} is a key of both {self.keys[key][0].id} and {row.id}")
                self.keys[key] = (row, arguments)

    def is_continuous(self, action_id: str) -> bool:
        """Does an action, by its id, come many times while something is moved? False for unknown ones."""
        row = self.by_id.get(action_id)
        return row is not None and row.continuous

    def make_ready(self) -> None:
        """What checks arguments is made when it is first wanted; here beforehand, a few milliseconds each."""
        for row in self.by_id.values():
            row.params.model_rebuild()

    def find(self, action_id: str, arguments: Mapping[str, Any]) -> tuple[Action, Params]:
        """The row and its checked arguments. Raises ActionRefused with what is wrong."""
        row = self.by_id.get(action_id)
        if row is None:
            raise ActionRefused(f"There is no action called “{action_id}”.")
        try:
            return row, row.params.model_validate(dict(arguments))
        except ValidationError as error:
            raise ActionRefused(f"{re.sub(' ?{[a-z_]+}', '', row.sentence)}: {why_not(error)}.") from None


def _find(action_id: str, arguments: Mapping[str, Any]) -> tuple[Action, Params]:
    return CATALOGUE.find(action_id, arguments)


CATALOGUE: Catalogue = Catalogue(
    rows.ACTIONS,
    switching.ACTIONS,
    choosing.ACTIONS,
    scenes.ACTIONS,
    layers.ACTIONS,
    titles.ACTIONS,
    sound.ACTIONS,
    outputs.ACTIONS,
    stopping.ACTIONS,
    macros.ACTIONS,
    playlists.ACTIONS,
    voice.ACTIONS,
    talk.ACTIONS,
    triggers.ACTIONS,
    shortcuts.ACTIONS,
    pads.ACTIONS,
    faders.ACTIONS,
    sending.ACTIONS,
    moments.ACTIONS,
    as_run.ACTIONS,
    readiness.ACTIONS,
    crew_lists.ACTIONS,
    guests.ACTIONS,
    talkback.ACTIONS,
    steering.ACTIONS,
    trimming.ACTIONS,
    framings.ACTIONS,
    history.ACTIONS,
    (together.action(_find),),
    arranging.ACTIONS,
    composing.ACTIONS,
    framing_tables.ACTIONS,
    mending.ACTIONS,
    cameras.ACTIONS,
    adjusting.ACTIONS,
    floor_plan.ACTIONS,
    desk.ACTIONS,
)
