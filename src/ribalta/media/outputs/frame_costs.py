"""What a frame of program costs this machine: `python -m ribalta.media.outputs.frame_costs`, a process of its own, so
that program never waits for it. It answers with a line of JSON: by lines of program, seconds to compose and to encode.
"""

import json
import os
import subprocess
import sys
import time
from collections.abc import Mapping

import numpy as np

from ribalta.core.base.faults import LocalFault
from ribalta.core.base.frames import USUAL
from ribalta.core.picture.layering import Drawing
from ribalta.core.picture.planes import Picture
from ribalta.core.ports.shots import NO_OVERLAYS, Shot, TransitionState
from ribalta.core.readiness.holding import FrameCost
from ribalta.core.show.document.outputs import SIZES
from ribalta.core.show.document.scenes import Inset, Source, Transition
from ribalta.media.outputs.encoder import Encoder
from ribalta.media.outputs.recorder import PROGRAM_QUALITY
from ribalta.media.program.composer import Composer, ProgramPlan

EACH_S, WITHIN_S = 1.0, 60.0
MOST, SHARE = 400, 0.9


class _Feeds:
    """Pictures with something in them everywhere, and a title."""

    def __init__(self, width: int, height: int) -> None:
        self._pictures = {name: _lively(width, height, seed) for seed, name in enumerate("abc")}
        whole = np.zeros((height, width, 4), np.uint8)
        whole[height * 3 // 4 : height * 7 // 8, width // 10 : width * 6 // 10] = 128
        self._title = Drawing.of(whole)

    def at_least(self, source: Source, width: int) -> Picture | None:
        return self._pictures[source.camera_id or "a"]

    def drawing(self, name: str, size: tuple[int, int]) -> Drawing | None:
        return self._title


def _lively(width: int, height: int, seed: int) -> Picture:
    made, chance = Picture.plain(width, height), np.random.default_rng(seed)
    for plane in made.planes:
        coarse = chance.integers(40, 200, (plane.shape[0] // 8 + 1, plane.shape[1] // 8 + 1))
        plane[:] = np.kron(coarse, np.ones((8, 8)))[: plane.shape[0], : plane.shape[1]]
    return made


def measured(width: int, height: int, seconds: float = EACH_S) -> FrameCost:
    """At one size, in about so many seconds."""
    inset = Inset(slot=1, source=Source(camera_id="c"), wide=0.3)
    dress = NO_OVERLAYS.with_("inset1", inset).with_("title1", "t")
    change = TransitionState(Shot("a"), Shot("b"), dress, dress, Transition(seconds=10.0), 0.0, 0.0)
    plan, feeds, out = ProgramPlan(Shot("b"), dress, change), _Feeds(width, height), Picture.plain(width, height)
    composer, encoder = Composer(width, height), Encoder((width, height), USUAL, PROGRAM_QUALITY, sound=False)
    composed, encoded = [], []
    end_s = time.monotonic() + seconds
    for k in range(MOST):
        began_s = time.monotonic()
        if began_s > end_s and k > 5:
            break
        composer.program(plan, feeds, 10.0 * (k % 50) / 50, out)
        between_s = time.monotonic()
        for _ in encoder.picture(k, out):
            pass
        composed.append(between_s - began_s)
        encoded.append(time.monotonic() - between_s)
    return FrameCost(*(float(np.quantile(found[3:], SHARE)) for found in (composed, encoded)))


def frame_costs() -> Mapping[str, FrameCost]:
    """By lines of program, in some two seconds. Raises LocalFault when it cannot be measured."""
    try:
        ran = subprocess.run(
            [sys.executable, "-m", "ribalta.media.outputs.frame_costs"],
            check=True,
            capture_output=True,
            timeout=WITHIN_S,
        )
        return {lines: FrameCost(*costs) for lines, costs in json.loads(ran.stdout).items()}
    except (OSError, subprocess.SubprocessError, ValueError, TypeError) as error:
        raise LocalFault(f"What this machine holds could not be measured ({type(error).__name__}).") from None


if __name__ == "__main__":
    os.nice(5)  # program comes first
    costs = {lines: measured(*size) for lines, size in SIZES.items()}
    print(json.dumps({lines: [cost.composed_s, cost.encoded_s] for lines, cost in costs.items()}))
