"""How quickly and how surely a camera answers: gathered for each driver, told once a second."""

from ribalta.core.ports.messages import LineMeasured

TOLD_EVERY_S = 1.0


class Trips:
    """`answered` and `missed` as it happens; a report comes back when it is time for one."""

    def __init__(self, camera_id: str, now_s: float) -> None:
        self._camera_id = camera_id
        self.begin(now_s)

    def begin(self, now_s: float) -> None:
        """A conversation begins anew."""
        self._told_s = now_s
        self._trips_s: list[float] = []
        self._missed = 0

    def missed(self) -> None:
        """A question got no answer in time."""
        self._missed += 1

    def answered(self, trip_s: float, now_s: float) -> LineMeasured | None:
        """A question was answered after so many seconds; now and then what that says of the line is returned."""
        self._trips_s.append(trip_s)
        if now_s < self._told_s + TOLD_EVERY_S:
            return None
        count = len(self._trips_s)
        mean_s = sum(self._trips_s) / count
        uneven_s = sum(abs(trip_s - mean_s) for trip_s in self._trips_s) / count
        heard = LineMeasured(self._camera_id, mean_s, now_s, uneven_s, count + self._missed, self._missed)
        self.begin(now_s)
        return heard
