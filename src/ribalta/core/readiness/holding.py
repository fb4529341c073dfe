"""Which sizes and rates of program a machine holds, by what a frame of each size costs it."""

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from ribalta.core.base.frames import RATES
from ribalta.core.show.document.outputs import SIZES

COMPOSED_WITHIN, ENCODED_WITHIN, OF_ALL = 0.5, 0.8, 0.7  # of a frame; of all cores together


@dataclass(frozen=True, slots=True)
class FrameCost:
    """Seconds of processor time and of the clock for one frame: a mix with two overlays, and recording it. 90 of 100
    frames take no longer."""

    composed_s: float
    encoded_s: float


def holds(cost: FrameCost, rate: Fraction, cores: int) -> bool:
    """Is there room for it, and some to spare for decoding cameras and for the pictures that desks are shown?"""
    frame_s = float(1 / rate)
    busy = (cost.composed_s + cost.encoded_s) / frame_s
    return (
        cost.composed_s <= COMPOSED_WITHIN * frame_s
        and cost.encoded_s <= ENCODED_WITHIN * frame_s
        and busy <= OF_ALL * cores
    )


def most_held(costs: Mapping[str, FrameCost], cores: int) -> Mapping[str, str]:
    """By lines of program, the highest rate that is held; sizes of which none is are left out."""
    found = {}
    for lines, cost in costs.items():
        held = [name for name, rate in RATES.items() if holds(cost, rate, cores)]
        if held:
            found[lines] = max(held, key=RATES.__getitem__)
    return found


def holding_words(costs: Mapping[str, FrameCost], cores: int) -> str:
    """“holds 1280x720 at 60 and 1920x1080 at 30, but not at 50, with two overlays and recording”."""
    held, parts = most_held(costs, cores), []
    for lines in costs:
        size = "x".join(map(str, SIZES[lines]))
        if lines not in held:
            parts.append(f"{size} at no rate")
            continue
        above = [name for name, rate in RATES.items() if rate > RATES[held[lines]]]
        next_up = min(above, key=RATES.__getitem__) if above else ""
        parts.append(f"{size} at {held[lines]}" + (f" but not at {next_up}" if next_up else ""))
    return f"holds {' and '.join(parts)}, with two overlays and recording"
