"""`python -m bench NAME [--json]`: run one measurement by name."""

import argparse
import json
import sys
from collections.abc import Callable, Mapping
from pathlib import Path

from bench import (
    air,
    bars,
    board,
    bump,
    chain,
    check,
    composing,
    cues,
    decode,
    film_cuts,
    guests,
    handover,
    house,
    landing,
    plan,
    playlist,
    push,
    rates,
    recall,
    registration,
    start,
    station,
    steps,
    travel,
    voice,
    voice_live,
)
from bench.faults import endure, kills, stream, survive

BENCHES: dict[str, Callable[[int], Mapping[str, object]]] = {
    "air": air.run,
    "bars": bars.run,
    "board": board.run,
    "bump": bump.run,
    "chain": chain.run,
    "composing": composing.run,
    "check": check.run,
    "cues": cues.run,
    "decode": decode.run,
    "chain-1080": lambda takes: chain.run(takes, "1080p25"),
    "endure": endure.run,
    "film-cuts": film_cuts.run,
    "film-cuts-50": lambda takes: film_cuts.run(takes, "50"),
    "guests": guests.run,
    "handover": handover.run,
    "house": house.run,
    "kills": kills.run,
    "landing": landing.run,
    "landing-scenes": landing.run_scenes,
    "plan": plan.run,
    "playlist": playlist.run,
    "rates": rates.run,
    "recall": recall.run,
    "registration": registration.run,
    "start": start.run,
    "station": station.run,
    "push": push.run,
    "steps": steps.run,
    "stream": stream.run,
    "survive": survive.run,
    "travel": travel.run,
    "voice-live": voice_live.run,
}
TAKES = {"landing-scenes": 60, "chain": 40, "chain-1080": 40, "travel": 50, "recall": 300, "registration": 500}
TAKES |= {"decode": 3, "rates": 600, "station": 50, "push": 10, "house": 200}
TAKES |= {"playlist": 30, "plan": 100, "voice-live": 10}  # minutes; instances; conversations
TAKES |= {
    "steps": 500,
    "endure": 10,
    "stream": 12,
    "survive": 10,
    "start": 5,
}  # minutes; seconds a receiver; servers killed


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m bench")
    parser.add_argument("name", choices=sorted([*BENCHES, "voice"]))
    parser.add_argument("--json", action="store_true", help="one line of JSON instead of a list")
    parser.add_argument("--takes", type=int, default=None, help="how many takes, or moves of each camera")
    parser.add_argument("--script", type=Path, default=None, help="for voice: a conversation of one's own, as JSON")
    arguments = parser.parse_args()
    if arguments.name == "voice":
        result = voice.run(arguments.script)
    else:
        result = BENCHES[arguments.name](arguments.takes or TAKES.get(arguments.name, 200))
    if arguments.json:
        print(json.dumps(result))
    else:
        for name, value in result.items():
            print(f"{name:28} {value}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
