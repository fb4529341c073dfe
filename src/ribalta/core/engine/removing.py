"""Removing something that others use: what is to happen to them is asked, not guessed."""

from collections.abc import Mapping
from typing import Any, Literal

from ribalta.core.base.faults import ActionRefused
from ribalta.core.ports.messages import InUse
from ribalta.core.show.automation.calls import Item
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.uses import uses, without_uses

Users = Literal["ask", "leave", "remove"]


class StillUsed(ActionRefused):
    """Somebody uses it. `event` tells the desk what can be answered."""

    def __init__(self, sentence: str, event: InUse) -> None:
        super().__init__(sentence)
        self.event = event


def cleared(
    show: Show,
    items: tuple[Item, ...],
    called: str,
    users: Users,
    action: str,
    arguments: Mapping[str, Any],
) -> Show:
    """The show in which nobody minds that these items go. Raises StillUsed when it has to be asked first."""
    known = uses(show)
    found = {user: None for item in items for user in known.get(item.key, ())}
    if not found or users == "leave":
        return show
    if users == "remove":
        for item in items:
            show = without_uses(show, item)
        return show
    words = tuple(user.words for user in found)
    given = tuple((name, value) for name, value in arguments.items() if value is not None)
    said = f"{called} is used by {listed(words)}. Nothing was removed: say what should happen to them."
    raise StillUsed(said, InUse(action, given, called, words))


def listed(words: tuple[str, ...]) -> str:
    """“a, b and c”; many are counted."""
    if len(words) > 4:
        return f"{', '.join(words[:3])} and {len(words) - 3} more"
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 2 else list(words))
