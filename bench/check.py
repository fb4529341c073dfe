"""Is every defect found before doors? Each seed that can be made in a copy of the demo is made, and `ribalta check` of
it must come to the seed's line; the demo as it is prepared must come to none, several times in a row.

`missed` are seeds whose line did not come, `more` other lines that came with one, and `clean` what was said of the
prepared demo, by run.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from tests.core.readiness.seeds import SEEDS, Lines, Seed, prepared

from bench.common.served import judged
from bench.common.where import steal_percent
from ribalta.core.show.document.model import Show
from ribalta.core.show.files.storage import StoredShow, load, save
from ribalta.demo.children import StandIns
from ribalta.demo.shipped import SHIPPED, connected

CLEAN_RUNS, SETTLES_S, DONE_WITHIN_S = 10, 1.5, 240.0
WELL: Mapping[str, Any] = {"silence": False, "frozen": False, "black": False}


class Checked:
    """`ribalta check` on copies of one show, with stand-ins that run all the while."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._standins = StandIns("ribalta-bench-check")
        self._stored = load(SHIPPED)
        show = prepared(connected(self._stored.show, self._standins.announcement), time.time())
        outputs = show.outputs.model_copy(update={"folder": str(folder / "recordings")})
        self.show = show.model_copy(update={"outputs": outputs})
        self._count = 0
        self._env = os.environ | {f"XDG_{x}_HOME": str(folder / x.lower()) for x in ("STATE", "DATA", "CONFIG")}
        self._env["XDG_RUNTIME_DIR"] = str(folder)

    def close(self) -> None:
        """End the stand-ins."""
        self._standins.stop()

    def lines(self, show: Show) -> Lines:
        """What is not well. Raises RuntimeError when it was not checked."""
        self._count += 1
        path = self._folder / f"copy-{self._count}.ribalta"
        save(path, StoredShow(show, self._stored.pictures))
        command = [sys.executable, "-m", "ribalta", "check", str(path), "--json"]
        done = subprocess.run(
            command, capture_output=True, text=True, timeout=DONE_WITHIN_S, check=False, env=self._env
        )
        if done.returncode not in (0, 1, 2) or not done.stdout.strip():
            raise RuntimeError(f"{done.returncode}: {done.stderr[-500:]}")
        found = json.loads(done.stdout.strip().splitlines()[-1])
        bad = [line for line in found["lines"] if line["rating"] != "pass"]
        return Lines(tuple((line["key"], f"{line['subject']}: {line['measured']}") for line in bad))

    def seeded(self, seed: Seed) -> Lines:
        """With a seed's defect, which is mended afterwards."""
        if seed.fault is not None:
            camera, faults = seed.fault
            self._standins.fault(camera, **faults)
            time.sleep(SETTLES_S)
        try:
            return self.lines(seed.show(self.show) if seed.show is not None else self.show)
        finally:
            if seed.fault is not None:
                self._standins.fault(seed.fault[0], **{name: WELL[name] for name in seed.fault[1]})


def run(runs: int) -> dict[str, Any]:
    """See the module; `runs` of the prepared demo (ten at most), and all seeds."""
    clean: list[Any] = []
    missed: list[Any] = []
    more: dict[str, Any] = {}
    disturbed, seeds = steal_percent(), [seed for seed in SEEDS if seed.real]
    with tempfile.TemporaryDirectory(prefix="ribalta-bench-check-") as folder:
        checked = Checked(Path(folder))
        try:
            for k in range(min(runs, CLEAN_RUNS)):
                clean.append(checked.lines(checked.show).bad)
                print(f"clean {k + 1}: {clean[-1]}", file=sys.stderr, flush=True)
            for seed in seeds:
                lines = checked.seeded(seed)
                missed += [] if lines.says(seed) else [(seed.name, lines.bad)]
                others = [bad for bad in lines.bad if bad[0] != seed.key]
                more |= {seed.name: others} if others else {}
                print(f"{seed.name}: {lines.says(seed)} {others}", file=sys.stderr, flush=True)
        finally:
            checked.close()
    return judged({"seeds": len(seeds), "missed": missed, "more": more, "clean": clean}, disturbed())
