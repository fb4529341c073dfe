"""A real broker (Debian's mosquitto): how soon a second client reads the tally of each take."""

import tempfile
from pathlib import Path
from typing import Any

from bench.common.hall import percentile
from bench.common.served import judged
from bench.common.where import steal_percent


def run(takes: int) -> dict[str, Any]:
    """From the take to the retained topic at another client, over the loopback."""
    from tests.remote.house.test_broker import Mosquitto, direct, in_the_house

    steal = steal_percent()
    late_s: list[float] = []
    with tempfile.TemporaryDirectory(prefix="ribalta-house-") as folder:
        mosquitto = Mosquitto(Path(folder))
        mosquitto.start()

        async def visit(hall: Any, broker: Any) -> None:
            late_s.extend(await direct(hall, broker, mosquitto, takes))

        try:
            in_the_house(mosquitto, visit)
        finally:
            mosquitto.kill()
    found = {"takes": len(late_s)} | {
        f"tally_ms_p{p}": round(1000 * percentile(late_s, p / 100), 1) for p in (50, 95, 99)
    }
    return judged(found, steal())
