"""Work on a camera that takes a while (finding, checking, measuring), as everybody else sees it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any


class Kind(StrEnum):
    """What is worked at."""

    FIND = "find"
    CHECK = "check"
    MEASURE = "measure"
    SWEEP = "sweep"


@dataclass(frozen=True, slots=True)
class Remedy:
    """What one press would do about a finding: an action and its arguments."""

    label: str
    action: str
    arguments: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Finding:
    """One line of a result. `fine` None: it was not looked at, or there is nothing to judge."""

    step: str
    fine: bool | None
    sentence: str
    remedy: Remedy | None = None


@dataclass(frozen=True, slots=True)
class Job:
    """`camera_id` is empty for work on no camera. `share` is 0..1. A job that was cancelled is done."""

    kind: Kind
    camera_id: str = ""
    share: float = 0.0
    sentence: str = ""
    done: bool = False
    findings: tuple[Finding, ...] = field(default=())

    @property
    def good(self) -> bool:
        """Finished, and nothing was found wrong."""
        return self.done and all(f.fine is not False for f in self.findings)
