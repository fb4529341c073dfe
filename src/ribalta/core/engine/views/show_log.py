"""What has run, in the two forms in which it is read."""

from dataclasses import dataclass

from ribalta.core.engine.views.as_run import AsRun
from ribalta.core.engine.views.history import History


@dataclass(frozen=True)
class ShowLog:
    """`history` is what ran with its causes, `as_run` what was on air."""

    history: History
    as_run: AsRun
