"""OpenCV beside all that has its own thread."""

import contextlib

import cv2


def quiet_cv() -> None:
    """OpenCV on one thread: its own pool would take the cores from the desk."""
    with contextlib.suppress(cv2.error):
        cv2.setNumThreads(1)
