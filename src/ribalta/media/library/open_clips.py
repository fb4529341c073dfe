"""Which clips are open: those that are on air, Next or under Then, that play, or that were looked at lately.

Of the others is only known whether their file is there. A show with a hundred clips costs no more than one with two.
"""

import time
from collections.abc import Callable, Mapping

import numpy as np

from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import MediumLive
from ribalta.core.show.document.scenes import Medium
from ribalta.core.sound.levels import Samples
from ribalta.media import files
from ribalta.media.library.clips import Clip, why_not
from ribalta.workers.crew import Crew

CLOSED_AFTER_S = 30.0
NOTHING = MediumLive()


class OpenClips:
    """`follow` comes from one thread, `picture` from the mixer's, `sound` from the sound's. None of them waits."""

    def __init__(self, crew: Crew, on_length: Callable[[str, float], None]) -> None:
        """`on_length` is told, on the thread of `follow`, how long a clip is once that is known."""
        self._crew, self._on_length = crew, on_length
        self._open: dict[str, tuple[str, Clip]] = {}  # by medium: its path, and the clip
        self._lengths: dict[str, float] = {}
        self._absent: dict[str, str] = {}  # by path: why it cannot be played, or nothing
        self._wanted_s: dict[str, float] = {}
        self._closing: list[Clip] = []

    def picture(self, medium_id: str, at_s: float | None) -> Picture | None:
        """See `Clip.picture`. Asking for it opens it."""
        self._wanted_s[medium_id] = time.monotonic()
        found = self._open.get(medium_id)
        return found[1].picture(at_s) if found is not None else None

    def wants(self, medium_id: str) -> bool:
        """Has it been asked for, and is it not open yet?"""
        return medium_id in self._wanted_s and medium_id not in self._open

    def sound(self, at_s: float, count: int, heard: Callable[[str], bool]) -> Samples | None:
        """(count,) samples of all that play and are to be heard; None when none does."""
        parts = [
            part
            for medium_id, (_, clip) in list(self._open.items())
            if (part := clip.sound.read(at_s, count)) is not None and heard(medium_id)
        ]
        return np.sum(parts, axis=0, dtype=np.float32) if parts else None

    def play(self, live: Mapping[str, MediumLive]) -> None:
        """Those that are open play from when `live` says; from any thread."""
        for medium_id, (_, clip) in list(self._open.items()):
            clip.play(live.get(medium_id, NOTHING).started_s)

    def follow(self, medium: Medium, live: MediumLive, in_use: bool) -> str:
        """Have it open if it is wanted; returns why it cannot be shown, as a phrase."""
        found = self._open.get(medium.id)
        if found is not None and found[0] != medium.path:
            self._close(medium.id)
            found = None
        wanted_s = time.monotonic() - self._wanted_s.get(medium.id, float("-inf"))
        if not (in_use or live.started_s is not None or wanted_s < CLOSED_AFTER_S):
            if found is not None:
                self._close(medium.id)
            return self._glanced(medium.path)
        if found is None:
            found = self._open[medium.id] = (medium.path, Clip(medium.path, self._crew))
            found[1].play(live.started_s)
        length_s = found[1].length_s
        if length_s is not None and self._lengths.get(medium.id) != length_s:
            self._lengths[medium.id] = length_s
            self._on_length(medium.id, length_s)
        return found[1].trouble

    def keep(self, medium_ids: set[str]) -> None:
        """These are all that there are."""
        for gone in self._open.keys() - medium_ids:
            self._close(gone)
        self._wanted_s = {one: at_s for one, at_s in list(self._wanted_s.items()) if one in medium_ids}

    def stop(self) -> None:
        """Close all clips and wait for them."""
        for medium_id in list(self._open):
            self._close(medium_id)
        for clip in self._closing:
            clip.join()

    def _close(self, medium_id: str) -> None:
        path, clip = self._open.pop(medium_id)
        clip.stop()
        self._absent[path] = clip.trouble
        self._closing = [*(one for one in self._closing if one.runs), clip]

    def _glanced(self, path: str) -> str:
        """Is there a file at all? It is looked at once, on a thread of its own: a disk may be far away."""
        if path not in self._absent:
            self._absent[path] = ""
            self._crew.begin("looking for a clip", lambda: self._glance(path))
        return self._absent[path]

    def _glance(self, path: str) -> None:
        try:
            files.to_read(path)
        except (OSError, ValueError) as error:
            self._absent[path] = why_not(error)
