"""Running journalled inputs again: the same inputs always give the same show."""

from collections.abc import Iterable

from ribalta.core.base.aim import Aim
from ribalta.core.engine.causes import BY_HAND, Cause
from ribalta.core.engine.loop import Engine, Entry
from ribalta.core.engine.messages import REPORT_KINDS, Report
from ribalta.core.engine.state import LiveState

REPORTS: dict[str, type[Report]] = {kind.__name__: kind for kind in REPORT_KINDS}


def replay(state: LiveState, entries: Iterable[Entry]) -> Engine:
    """Run journalled inputs again from a state; the result is the state that they led to the first time."""
    engine = Engine(state)
    for entry in entries:
        if "action" in entry:
            cause = Cause(*entry["cause"]) if "cause" in entry else BY_HAND
            engine.act(entry["action"], entry["params"], entry["t"], entry.get("recall_only", False), cause)
        else:
            fields = dict(entry["fields"])
            for name in ("aim", "looked"):
                if name in fields:
                    fields[name] = Aim(**fields[name])
            engine.report(REPORTS[entry["report"]](**fields), entry["t"])
    return engine
