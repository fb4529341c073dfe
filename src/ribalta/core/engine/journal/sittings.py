"""The as-run log that journals have: each line was written as it was made, so it is read as exactly as it was.

A journal of before has inputs only. It is run again: what it left out of where cameras were on their way may make the
times of takes that waited differ by a tenth of a second.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from ribalta.core.base.faults import LocalFault
from ribalta.core.engine.journal.replaying import run_again, state_of
from ribalta.core.engine.loop import Engine
from ribalta.core.engine.views.as_run import AsRun, line_of

AT_A_TIME = 2000
Line = Mapping[str, Any]


@dataclass(frozen=True)
class Logged:
    """One journal: its log, and how far local time was ahead of UTC."""

    log: AsRun
    utc_offset_s: float


def logs_of(lines: Callable[[], Iterable[Line]], went_on: Callable[[int], None] = lambda _: None) -> list[Logged]:
    """Of the lines of a journal, in order, which may be asked for twice; what is damaged or cut off is passed over. A
    line that begins a journal begins another. `went_on` is told now and then how many lines were read; what it raises
    ends it."""
    found = list(_read(_told(lines(), went_on)))
    return found if any(len(one.log) for one in found) else list(_run(_told(lines(), went_on)))


def _told(lines: Iterable[Line], went_on: Callable[[int], None]) -> Iterator[Line]:
    for count, line in enumerate(lines, 1):
        yield line
        if count % AT_A_TIME == 0:
            went_on(count)


def _read(lines: Iterable[Line]) -> Iterator[Logged]:
    log, offset_s = AsRun(), 0.0
    for line in lines:
        try:
            if line.get("ribalta") == "journal":
                if len(log):
                    yield Logged(log, offset_s)
                log, offset_s = AsRun(), float(line["utc_offset_s"])
            elif "log" in line:
                log.add(line_of(line["log"]))
            elif isinstance(line.get("report"), list) and line["report"][0] == "TakeShown":
                _, take, at_s = line["report"]
                log.shown_at_s.setdefault(int(take), float(at_s))
        except (LookupError, TypeError, ValueError, AttributeError):
            continue
    if len(log):
        yield Logged(log, offset_s)


def _run(lines: Iterable[Line]) -> Iterator[Logged]:
    engine: Engine | None = None
    for line in lines:
        if line.get("ribalta") == "journal":
            if engine is not None:
                yield Logged(engine.as_run, engine.state.wall_clock.utc_offset_s)
            try:
                engine = Engine(state_of(line))
            except LocalFault:
                engine = None
        elif engine is not None and run_again(engine, line):
            engine.drain()
    if engine is not None:
        yield Logged(engine.as_run, engine.state.wall_clock.utc_offset_s)
