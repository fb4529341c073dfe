"""Which threads go first when there is more work than cores: program and its sound, before what can wait in a queue."""

import contextlib
import os
import threading

import cv2

NICE, FIRST = 4, -8


def give_way() -> None:
    """This thread may wait for those that compose and draw: what is late in a queue is not lost."""
    _nice(NICE)


def go_first() -> None:
    """This thread is late for everybody when it is late. Where the system does not allow that, nothing changes."""
    _nice(FIRST)


def _nice(value: int) -> None:
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), value)


def quiet_cv() -> None:
    """OpenCV on one thread: its own pool would take the cores from the desk."""
    with contextlib.suppress(cv2.error):
        cv2.setNumThreads(1)
