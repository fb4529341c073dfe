"""Where a head stands, put together from two answers: pan and tilt, and zoom."""

from ribalta.devices.drivers.visca import wire
from ribalta.devices.drivers.visca.messages import ZOOM_COUNTS

LEAP, FASTER = 0.02, 2.5  # of the zoom's travel; of the speed that its model says
Counts = tuple[int, int, int]


class Samples:
    """`zoom_speed` is what the model says, in travels a second. `numbered`: every answer is known to be its question's;
    else a zoom that leaps further than any lens could have gone counts when it was answered twice alike."""

    def __init__(self, zoom_speed: float, numbered: bool, now_s: float) -> None:
        self._zoom_speed, self._numbered = zoom_speed, numbered
        self._pan_tilt: tuple[float, int, int] | None = None
        self._zoom: int | None = None
        self._doubted_zoom: int | None = None
        self.last: Counts | None = None
        self._last_s = now_s

    def pan_tilt(self, data: bytes, sent_s: float, now_s: float) -> tuple[Counts, float] | None:
        """The answer to where it points: counts and when they were so, once both answers are there."""
        found = wire.read_pan_tilt(data)
        self._pan_tilt = ((sent_s + now_s) / 2, *found) if found else None
        return self._whole()

    def zoom(self, data: bytes, now_s: float) -> tuple[Counts, float] | None:
        """The answer to how far it is zoomed in; the same."""
        zoom = wire.read_zoom(data)
        self._zoom = zoom if zoom is None or self._believable(zoom, now_s) else None
        return self._whole()

    def _whole(self) -> tuple[Counts, float] | None:
        if self._pan_tilt is None or self._zoom is None:
            return None
        (sampled_s, pan, tilt), zoom = self._pan_tilt, self._zoom
        self.drop()
        return (pan, tilt, zoom), sampled_s

    def is_last(self, counts: Counts, now_s: float) -> None:
        """This was reported."""
        self.last, self._last_s = counts, now_s

    def drop(self) -> bool:
        """Half an answer is none; was there one?"""
        dropped = self._pan_tilt is not None or self._zoom is not None
        self._pan_tilt = self._zoom = None
        return dropped

    def forget(self) -> None:
        """The camera is lost: it may stand anywhere when it is back."""
        self.drop()
        self.last = None

    def _believable(self, zoom: int, now_s: float) -> bool:
        doubted, self._doubted_zoom = self._doubted_zoom, zoom
        if self._numbered or self.last is None:
            return True
        leap = abs(zoom - self.last[2]) / ZOOM_COUNTS
        most = LEAP + FASTER * self._zoom_speed * (now_s - self._last_s)
        return leap <= most or (doubted is not None and abs(zoom - doubted) / ZOOM_COUNTS <= LEAP)
