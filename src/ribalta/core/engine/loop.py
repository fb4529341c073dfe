"""The engine: inputs in order of time, each turning one frozen state into the next.

What falls due between two inputs (a held take whose camera has become set, the end of a mix) happens at its own
time, however late the loop is woken, so the same inputs always give the same show.
"""

from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine import dressing, programme
from ribalta.core.engine.action import Outcome, turned_down
from ribalta.core.engine.catalogue import CATALOGUE, Catalogue
from ribalta.core.engine.landing import NEVER_S
from ribalta.core.engine.messages import REPORT_KINDS, Event, Report, Request
from ribalta.core.engine.reporting import take_in
from ribalta.core.engine.state import LiveState
from ribalta.core.engine.tally import light

Entry = Mapping[str, Any]
TALLIED = ("show", "program", "changing", "dress", "fading")  # what cameras' lamps follow, besides their own reports


class Engine:
    """Not thread-safe: one owner calls it. `journal` is given every input before it has any effect."""

    def __init__(
        self, state: LiveState, journal: Callable[[Entry], None] = lambda _: None, catalogue: Catalogue = CATALOGUE
    ) -> None:
        self.state = state
        self._journal = journal
        self._catalogue = catalogue
        self._events: list[Event] = []
        self._requests: list[Request] = []

    def act(self, action_id: str, arguments: Mapping[str, Any], now_s: float, recall_only: bool = False) -> None:
        """Run an action. A refusal becomes a notice; nothing is raised. `recall_only`: it comes from a surface that
        must not change the show."""
        only = {"recall_only": True} if recall_only else {}
        self._journal({"t": now_s, "action": action_id, "params": dict(arguments)} | only)
        self.advance(now_s)
        try:
            row, params = self._catalogue.find(action_id, arguments)
            if recall_only and row.stores:
                raise ActionRefused(f"{row.sentence}: not from here. This surface only recalls; store at the desk.")
            outcome = row.run(self.state, params, now_s)
        except ActionRefused as refusal:
            outcome = turned_down(self.state, str(refusal))
        self._accept(outcome)
        self.advance(now_s)

    def report(self, report: Report, now_s: float) -> None:
        self._journal({"t": now_s, "report": type(report).__name__, "fields": asdict(report)})
        self.advance(now_s)
        self._accept(take_in(self.state, report, now_s))
        self.advance(now_s)

    def advance(self, now_s: float) -> None:
        """Let everything happen that is due by now, in order."""
        while (due := self.next_deadline_s()) <= now_s:
            if self.state.changing is not None and self.state.changing.ends_s == due:
                self._accept(programme.end_change(self.state, due))
            elif dressing.due_s(self.state) == due:
                self._accept(dressing.settle(self.state, due))
            else:
                self._accept(programme.release_held(self.state, due))

    def next_deadline_s(self) -> float:
        """When `advance` next has something to do; infinity when only an input can change anything."""
        ends = self.state.changing.ends_s if self.state.changing else NEVER_S
        return min(ends, dressing.due_s(self.state), programme.held_deadline_s(self.state))

    def drain(self) -> tuple[list[Event], list[Request]]:
        """What has happened and what is asked of the rig since the last call, in order."""
        events, requests = self._events, self._requests
        self._events, self._requests = [], []
        return events, requests

    def _accept(self, outcome: Outcome) -> None:
        if any(getattr(outcome.state, name) is not getattr(self.state, name) for name in TALLIED):
            outcome = outcome.then(light)
        self.state = outcome.state
        self._events.extend(outcome.events)
        self._requests.extend(outcome.requests)


REPORTS: dict[str, type[Report]] = {kind.__name__: kind for kind in REPORT_KINDS}


def replay(state: LiveState, entries: list[Entry]) -> Engine:
    """Run journalled inputs again from a state; the result is the state that they led to the first time."""
    engine = Engine(state)
    for entry in entries:
        if "action" in entry:
            engine.act(entry["action"], entry["params"], entry["t"], entry.get("recall_only", False))
        else:
            fields = dict(entry["fields"])
            for name in ("aim", "looked"):
                if name in fields:
                    fields[name] = Aim(**fields[name])
            engine.report(REPORTS[entry["report"]](**fields), entry["t"])
    return engine
