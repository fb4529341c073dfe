"""A line of the list of shortcuts: which control, in which layer, worked how, whose it is, and what it does."""

from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.offers import call_words
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.triggers_pads_shortcuts import How
from ribalta.desk.widgets.control_words import control_words

GIVEN = "given"  # the catalogue's default keys
ROW = tuple[str, str, How, str]  # control, layer, how, owner


def row_words(state: LiveState, row: ROW, call: Call | None) -> str:
    """“J (long press) [Jury]   Ready …   · this desk”."""
    control, layer, how, owner = row
    does = call_words(state, call) if call is not None else "does nothing"
    way = "" if how is How.PRESS else f" ({how})"
    over = f"  [{layer}]" if layer else ""
    whose = {"show": "", "desk": "   · this desk", GIVEN: "   · default"}[owner]
    return f"{control_words(control)}{way}{over}   {does}{whose}"


def key_of(row: ROW) -> str:
    """What finds it in the list."""
    return "\n".join((row[0], row[1], str(row[2]), row[3]))
