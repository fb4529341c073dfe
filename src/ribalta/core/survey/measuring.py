"""Measuring a camera: about a minute of moves, from which its travel times, field of view and delay are learned.

1. Timed moves on all axes at once, near and far, at full pace and below: speed, acceleration, delay of each axis.
2. Fresh moves that the fit has not seen: how well it foretells.
3. A small turn at several zoom positions, with a picture before and after: field of view.
4. Two small turns with all pictures on the way: by how much the picture is later than the head.
"""

import random
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from ribalta.core.base.aim import Aim
from ribalta.core.engine.program.landing import NEVER_S, set_at_s
from ribalta.core.motion.learning import AxisMove, Timed, errors, fit_axis, settled
from ribalta.core.motion.travel import AxisMotion, HeadMotion
from ribalta.core.optics.lens import Lens
from ribalta.core.picture.registration import shift_between
from ribalta.core.ports.messages import Position
from ribalta.core.ports.shots import Shot
from ribalta.core.show.document.model import Camera, Head, Measured
from ribalta.core.survey.field_of_view import fit_hfov
from ribalta.core.survey.job import Finding
from ribalta.core.survey.surveyor import Look, Surveyor

LONGEST_MOVE_S = 15.0
TRIES, TAKEN_WITHIN_S, BACK_WITHIN_S = 3, 2.0, 6.0
FULL_MOVES = (
    (0.0, 0.0, 0.1),
    (3.0, 2.0, 0.16),
    (-4.0, -3.0, 0.3),
    (14.0, 12.0, 0.05),
    (-16.0, -18.0, 0.6),
    (35.0, 38.0, 0.2),
    (-45.0, -20.0, 0.9),
    (55.0, 40.0, 0.0),
    (-5.0, 0.0, 1.0),
    (-60.0, 30.0, 0.35),
    (10.0, -15.0, 0.7),
)  # pan, tilt, zoom: each axis long enough to reach its full speed, and short enough to be judged by acceleration alone
PACED_MOVES = ((25.0, 10.0, 0.5), (0.0, 0.0, 0.5), (12.0, 6.0, 0.25), (0.0, 0.0, 0.25))  # pan, tilt, pace
FRESH_MOVES = 8
ZOOMS = (0.0, 0.15, 0.3, 0.45, 0.6, 0.75, 0.9, 1.0)
BETWEEN = (0.22, 0.52, 0.82)
TURN_SHARE = 0.12  # of the picture's width
SHARP_S = 0.35
DELAY_TURN_SHARE = 0.06
DELAYS_S = np.arange(0.0, 0.8, 0.002)
FRAME_S = 0.04
LOOK_EVERY_S = 0.01


class Failed(Exception):
    """The camera cannot be measured, or no longer."""


@dataclass(frozen=True)
class Result:
    """What `camera.learn` is to keep, and what is to be shown."""

    head: Head
    zoom_table: tuple[tuple[float, float], ...]
    delay_s: float
    measured: Measured


@dataclass
class _Track:
    """Everything that the timed moves told."""

    timed: list[Timed] = field(default_factory=list)
    pan: list[AxisMove] = field(default_factory=list)
    tilt: list[AxisMove] = field(default_factory=list)
    zoom: list[AxisMove] = field(default_factory=list)


class Measuring:
    """One camera's measurement. `run` raises `Failed` with a sentence, or `Stopped`."""

    def __init__(self, hands: Surveyor, camera_id: str, seed: int = 1) -> None:
        self._hands = hands
        self._id = camera_id
        self._chance = random.Random(seed)
        self._start = Aim(0.0, 0.0, 0.0)

    # The whole

    def run(self) -> Result:
        """Measure, and put the camera back where it was. Raises Stopped, Failed when it cannot be measured."""
        camera = self._camera()
        head = self._head(camera)
        live = self._hands.state.live(self._id)
        if camera.recall_only or live.no_position:
            raise Failed(f"Camera {camera.number} does not say where it stands, so it cannot be measured.")
        if not live.answers or live.aim is None:
            raise Failed(f"Camera {camera.number} does not answer: check it first.")
        self._start = live.aim
        try:
            motion, track = self._motion(head)
            fresh = self._fresh(head)
            median, p95_s = errors(motion, fresh)
            foretold = tuple(
                (round(motion.at_pace(m.pace).travel_s(m.start, m.end), 3), round(m.actual_s, 3)) for m in fresh
            )
            motion = settled(motion, [*track.timed, *fresh])
            said = (
                f"{len(fresh)} fresh moves: median error {100 * median:.1f} %, 95 of 100 within {1000 * p95_s:.0f} ms."
            )
            self._hands.tell(0.6, "Looking at how wide it sees", Finding("travel", True, said))
            table, hfov_error = self._fields_of_view(camera)
            lens = Lens.of(table) if table is not None else camera.lens
            delay_s = self._delay(lens)
        finally:
            self._send(self._start)
        found = Measured(
            moves=len(fresh),
            median_error=round(median, 5),
            p95_error_ms=round(1000 * p95_s, 1),
            hfov_error_max=round(hfov_error, 5) if hfov_error is not None else None,
            times_s=foretold,
        )
        learned = head.moving_as(motion)
        kept_delay_s = camera.picture.delay_s if delay_s is None else delay_s
        return Result(learned, table or camera.zoom_table, kept_delay_s, found)

    def _camera(self) -> Camera:
        state = self._hands.state
        camera = state.show.camera(self._id)
        if camera is None:
            raise Failed("The camera was removed.")
        if state.on_air(self._id) or state.is_next(self._id):
            raise Failed(f"Camera {camera.number} is on air or Next: it is not measured now.")
        return camera

    @staticmethod
    def _head(camera: Camera) -> Head:
        if camera.head is None:
            raise Failed(f"Camera {camera.number} is fixed: there is nothing to measure.")
        return camera.head

    # Moving

    def _send(self, aim: Aim, pace: float = 1.0) -> None:
        camera = self._hands.state.show.camera(self._id)
        if camera is not None:
            where = {"pan_deg": aim.pan_deg, "tilt_deg": aim.tilt_deg, "zoom": aim.zoom}
            self._hands.act("camera.aim", camera=camera.number, pace=pace, **where)

    def _go(self, aim: Aim, pace: float = 1.0) -> tuple[Timed, list[Position], float]:
        """Move and wait until it is set; what was reported on the way, and when it was asked."""
        camera, hands = self._camera(), self._hands
        aim = self._within(self._head(camera), aim)
        start = hands.state.live(self._id).aim or aim
        hands.reports(self._id)
        self._ask(aim, pace)
        asked_s = hands.state.live(self._id).asked_s
        shot = Shot(self._id)

        def there(state: object) -> bool:
            now = hands.state
            return now.live(self._id).sampled_s > asked_s + 0.15 and set_at_s(now, shot) < NEVER_S

        if not hands.wait(LONGEST_MOVE_S, there):
            raise Failed(
                f"Camera {camera.number} did not get to pan {aim.pan_deg:.0f}°, tilt {aim.tilt_deg:.0f}°, zoom"
                f" {aim.zoom:.2f} within {LONGEST_MOVE_S:.0f} s: is something in its way, or an axis stuck?"
            )
        live = hands.state.live(self._id)
        still_s = live.still_since_s or asked_s
        hands.wait(0.12)
        if live.asked_s != asked_s:  # contact was lost on the way, and it was sent again: that tells no time
            hands.reports(self._id)
            return Timed(aim, aim, 0.0, pace), [], asked_s
        return Timed(start, aim, max(0.0, still_s - asked_s), pace), list(hands.reports(self._id)), asked_s

    def _ask(self, aim: Aim, pace: float) -> None:
        """Send it there; if it does not answer just now, when it does again. Raises Failed."""
        hands, number = self._hands, self._camera().number
        for _ in range(TRIES):
            self._send(aim, pace)
            if hands.wait(TAKEN_WITHIN_S, lambda s: s.live(self._id).goal == aim):
                return
            hands.wait(BACK_WITHIN_S, lambda s: s.live(self._id).answers and s.live(self._id).aim is not None)
        raise Failed(f"Camera {number} was not free to move: measuring stopped.")

    def _within(self, head: Head, aim: Aim) -> Aim:
        return head.limits.clamp(aim)[0]

    def _base(self, head: Head) -> Aim:
        """The middle of what the moves need, inside the limits."""
        pan = min(max(self._start.pan_deg, head.pan_min_deg + 65), head.pan_max_deg - 65)
        return Aim(pan, min(max(0.0, head.tilt_min_deg + 20), head.tilt_max_deg - 40), 0.1)

    def _motion(self, head: Head) -> tuple[HeadMotion, _Track]:
        base, track = self._base(head), _Track()
        plan = [(self._within(head, base + Aim(p, t, z - base.zoom)), 1.0) for p, t, z in FULL_MOVES]
        plan += [(self._within(head, base + Aim(p, t, 0.3 - base.zoom)), pace) for p, t, pace in PACED_MOVES]
        for k, (aim, pace) in enumerate(plan):
            self._hands.tell(0.35 * k / len(plan), f"Timing move {k + 1} of {len(plan)}")
            timed, reports, asked_s = self._go(aim, pace)
            self._note(track, timed, reports, asked_s)
        axes: dict[str, AxisMotion] = {}
        delays = []
        for name, unit in (("pan", "°"), ("tilt", "°"), ("zoom", "")):
            try:
                axes[name], late_s, rest_s = fit_axis(getattr(track, name), getattr(head.motion, name), head.latency_s)
            except ValueError as error:
                raise Failed(f"Its {name} cannot be measured: {error}.") from None
            delays.append(late_s)
            said = (
                f"{name.title()}: {axes[name].speed:.3g}{unit}/s, {axes[name].acceleration:.3g}{unit}/s²,"
                f" starts after {1000 * late_s:.0f} ms; what is left over: {1000 * rest_s:.0f} ms."
            )
            self._hands.tell(0.36, "Comparing with fresh moves", Finding(name, True, said))
        motion = HeadMotion(axes["pan"], axes["tilt"], axes["zoom"], float(np.median(delays)), head.settle_s)
        return settled(motion, track.timed), track

    @staticmethod
    def _note(track: _Track, timed: Timed, reports: Sequence[Position], asked_s: float) -> None:
        if timed.actual_s > 0.05:
            track.timed.append(timed)
        way = [r for r in reports if r.sampled_s >= asked_s - 0.02]
        times = np.array([r.sampled_s - asked_s for r in way])
        for name, part in (("pan", "pan_deg"), ("tilt", "tilt_deg"), ("zoom", "zoom")):
            start, end = getattr(timed.start, part), getattr(timed.end, part)
            if abs(end - start) > 1e-3 and not (name == "zoom" and timed.pace < 1):
                values = np.array([getattr(r.aim, part) for r in way])
                getattr(track, name).append(AxisMove(times, values, start, end, timed.pace))

    def _fresh(self, head: Head) -> list[Timed]:
        base, moves = self._base(head), []
        for k in range(FRESH_MOVES):
            self._hands.tell(0.36 + 0.24 * k / FRESH_MOVES, f"Fresh move {k + 1} of {FRESH_MOVES}")
            way = Aim(
                self._chance.uniform(-60, 60), self._chance.uniform(-18, 38), self._chance.uniform(0, 1) - base.zoom
            )
            timed, _, _ = self._go(self._within(head, base + way))
            if timed.actual_s > 0.05:
                moves.append(timed)
        return moves

    # Seeing

    def _sharp(self, delay_s: float) -> Look | None:
        """A picture that was surely taken standing still."""
        live = self._hands.state.live(self._id)
        since_s = max(live.still_since_s or 0.0, self._hands.now_s() - 5.0) + delay_s + SHARP_S
        self._hands.wait(max(0.0, since_s - self._hands.now_s()))
        self._hands.wait(0.6, lambda _: (self._hands.look(self._id) or _NOTHING).captured_s >= since_s)
        return self._hands.look(self._id)

    def _spots(self, head: Head, base: Aim) -> Iterator[Aim]:
        """Where to look: where the crew looks, then around the middle."""
        seen = [f.aim for f in self._hands.state.show.framings if f.camera_id == self._id][:2]
        yield from (Aim(a.pan_deg, a.tilt_deg, 0.0) for a in seen)
        yield from (self._within(head, base + Aim(p, t, 0.0)) for p, t in ((0, -4), (-12, -6), (10, -8), (0, 4)))

    def _hfov(self, camera: Camera, zoom: float, guess_deg: float) -> float | None:
        head = self._head(camera)
        hung, delay_s, turn = camera.place.hung, camera.picture.delay_s + 0.2, TURN_SHARE * guess_deg
        for spot in self._spots(head, self._base(head)):
            before = replace(spot, zoom=zoom)
            found = []
            self._go(before)
            here = self._sharp(delay_s)
            for way in (turn, -turn):
                after = self._within(head, before + Aim(way, 0.0, 0.0))
                self._go(after)
                there = self._sharp(delay_s)
                at, end = self._hands.state.live(self._id).aim, after
                if here is None or there is None or at is None:
                    return None
                angle = fit_hfov(here.picture, there.picture, before, replace(end, pan_deg=at.pan_deg), hung, guess_deg)
                if angle is not None:
                    found.append(angle)
            if len(found) == 2 and abs(found[0] / found[1] - 1) < 0.02:
                return sum(found) / 2
        return None

    def _fields_of_view(self, camera: Camera) -> tuple[tuple[tuple[float, float], ...] | None, float | None]:
        if self._hands.look(self._id) is None:
            said = "It has no picture, so how wide it sees is left as it was."
            self._hands.tell(0.9, "No picture", Finding("field of view", None, said))
            return None, None
        found: dict[float, float] = {}
        ratio = 1.0
        for k, zoom in enumerate((*ZOOMS, *BETWEEN)):
            self._hands.tell(0.6 + 0.3 * k / (len(ZOOMS) + len(BETWEEN)), f"Field of view at zoom {zoom:g}")
            angle = self._hfov(camera, zoom, min(120.0, camera.lens.hfov_deg(zoom) * ratio))
            if angle is not None:
                found[zoom] = angle
                ratio = angle / camera.lens.hfov_deg(zoom)
        rows = tuple((zoom, round(found[zoom], 3)) for zoom in ZOOMS if zoom in found)
        try:
            lens = Lens(rows)
        except ValueError:
            said = "Its pictures had too little to go by, so how wide it sees is left as it was. Turn more lights on?"
            self._hands.tell(0.9, "Field of view not found", Finding("field of view", None, said))
            return None, None
        off = [abs(lens.hfov_deg(zoom) / found[zoom] - 1) for zoom in BETWEEN if zoom in found]
        worst = max(off) if off else None
        said = f"It sees {rows[0][1]:.1f}° at its widest and {rows[-1][1]:.2f}° at its narrowest"
        said += f"; between, the table is right within {100 * worst:.1f} %." if worst is not None else "."
        self._hands.tell(0.9, "Timing the picture", Finding("field of view", True, said))
        return rows, worst

    def _delay(self, lens: Lens) -> float | None:
        camera = self._camera()
        head = self._head(camera)
        spot = next(self._spots(head, self._base(head)))
        zoom = lens.zoom_for(30.0)
        found = []
        self._go(replace(spot, zoom=zoom))
        turn = DELAY_TURN_SHARE * lens.hfov_deg(zoom)
        for way in (turn, 0.0, turn, 0.0):
            first = self._sharp(camera.picture.delay_s + 0.2)
            if first is None:
                return None
            late_s = self._lateness(first, self._within(head, replace(spot, zoom=zoom) + Aim(way, 0.0, 0.0)))
            if late_s is not None:
                found.append(late_s)
        if not found:
            said = "Its picture's delay could not be measured and is left as it was."
            self._hands.tell(0.98, "Going back", Finding("delay", None, said))
            return None
        delay_s = round(float(np.median(found)) + FRAME_S, 3)
        said = f"Its picture is {1000 * delay_s:.0f} ms later than its head, to the end of the frame."
        self._hands.tell(0.98, "Going back", Finding("delay", True, said))
        return min(5.0, delay_s)

    def _lateness(self, first: Look, end: Aim) -> float | None:
        """Seconds by which the pictures of one small move follow the reports of it."""
        hands = self._hands
        start = hands.state.live(self._id).aim
        looks: list[Look] = []
        hands.reports(self._id)
        self._send(end)
        until_s = hands.now_s() + 1.4
        while hands.now_s() < until_s:
            look = hands.look(self._id)
            if look is not None and (not looks or look.captured_s > looks[-1].captured_s):
                looks.append(look)
            hands.wait(LOOK_EVERY_S)
        reports = hands.reports(self._id)
        if start is None or len(looks) < 6 or len(reports) < 6:
            return None
        shifts = [shift_between(first.picture, look.picture) for look in looks]
        whole = shifts[-1].right
        if abs(whole) < 4 or abs(end.pan_deg - start.pan_deg) < 1e-3:
            return None
        seen = np.array([s.right / whole for s in shifts])
        seen_s = np.array([look.captured_s for look in looks])
        gone = np.array([(r.aim.pan_deg - start.pan_deg) / (end.pan_deg - start.pan_deg) for r in reports])
        gone_s = np.array([r.sampled_s for r in reports])
        misses = [float(np.mean((np.interp(seen_s - d, gone_s, gone) - seen) ** 2)) for d in DELAYS_S]
        best = int(np.argmin(misses))
        return float(DELAYS_S[best]) if misses[best] < 0.01 else None


_NOTHING = Look(np.zeros((1, 1), np.float32), -1e18)
