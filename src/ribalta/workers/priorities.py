"""Which threads go first when there is more work than cores: program and its sound, before what can wait in a queue."""

import contextlib
import os
import threading

NICE, CATCHES_UP, SOON, FIRST = 4, -4, -6, -8
AT_ONCE, NEXT_TO_IT = 2, 1  # real-time priorities, of 1 to 99


def give_way() -> None:
    """This thread may wait for those that compose and draw: what is late in a queue is not lost."""
    _nice(NICE)


def catch_up() -> None:
    """This thread gave way for too long, and what it does would be lost: until it gives way again, it goes before what
    paints."""
    _nice(CATCHES_UP)


def go_first() -> None:
    """This thread is late for everybody when it is late. Where the system does not allow that, nothing changes."""
    if not _real_time(AT_ONCE):
        _nice(FIRST)


def go_soon() -> None:
    """This thread is on the way from a key to program: before what paints and sends, behind program itself."""
    if not _real_time(NEXT_TO_IT):
        _nice(SOON)


def _real_time(priority: int) -> bool:
    """Niceness alone does not help against another session of processes: each gets its share, whoever is in it.

    What this thread starts is as usual again, and the system keeps a twentieth of its time for all others (see
    sched(7)).
    """
    try:
        os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(priority))
    except OSError:
        return False
    return True


def _nice(value: int) -> None:
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), value)
