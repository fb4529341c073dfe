"""The least change that makes a late entry land: longer before it, from another camera, the other way round, or the
cover shot in between. Every proposal was foretold again, and makes nothing else late that was not."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from math import ceil

from ribalta.core.base.aim import Aim
from ribalta.core.planning.foretelling import Foretold, Wanted, foretell
from ribalta.core.show.document.model import Framing, Show

STEP_S = 0.1
MOST = 4


@dataclass(frozen=True, slots=True)
class Mend:
    """`kind` is "longer" (entry `at` by `seconds`), "instead" (entry `at` shows `framing_id`), "swap" (`at` with the
    one behind it) or "cover" (so many seconds of it before `at`). `words` say it."""

    kind: str
    at: int
    words: str
    seconds: float = 0.0
    framing_id: str = ""


def mends(
    show: Show,
    entries: Sequence[Wanted],
    framings: Sequence[Framing | None],
    aims: Mapping[str, Aim],
    late: int,
    on_air: Sequence[str] = (),
) -> tuple[Mend, ...]:
    """What would make entry `late` land, the least change first. `framings` are those of the entries, or None."""
    before = foretell(show, entries, aims, on_air, hold=False)
    found = [
        *_longer(show, entries, aims, late, before, on_air),
        *_instead(show, entries, framings, aims, late, before, on_air),
        *_swap(show, entries, aims, late, before, on_air),
        *_cover(show, entries, aims, late, before, on_air),
    ]
    return tuple(found[:MOST])


def _better(before: Sequence[Foretold], after: Sequence[Foretold], late: int, moved: Mapping[int, int]) -> bool:
    """Does the entry land now, and is nothing late that was not? `moved` maps old places to new ones."""
    if after[moved.get(late, late)].late:
        return False
    return all(not after[moved.get(k, k)].late or entry.late for k, entry in enumerate(before) if k != late)


def _longer(
    show: Show,
    entries: Sequence[Wanted],
    aims: Mapping[str, Aim],
    late: int,
    before: Sequence[Foretold],
    on_air: Sequence[str],
) -> list[Mend]:
    """The entry before it stays longer. That does not help a camera that is on air in it."""
    if late == 0:
        return []
    seconds = ceil(before[late].late_s / STEP_S - 1e-9) * STEP_S
    made = list(entries)
    made[late - 1] = replace(made[late - 1], length_s=made[late - 1].length_s + seconds)
    if not _better(before, foretell(show, made, aims, on_air, hold=False), late, {}):
        return []
    return [Mend("longer", late - 1, f"entry {late} longer by {seconds:.1f} s", round(seconds, 3))]


def _instead(
    show: Show,
    entries: Sequence[Wanted],
    framings: Sequence[Framing | None],
    aims: Mapping[str, Aim],
    late: int,
    before: Sequence[Foretold],
    on_air: Sequence[str],
) -> list[Mend]:
    """Another camera's framing of the same marks, of the same size first."""
    own = framings[late]
    if own is None or not own.mark_ids:
        return []
    others = [f for f in show.framings if set(f.mark_ids) == set(own.mark_ids) and f.camera_id != own.camera_id]
    for other in sorted(others, key=lambda f: f.size != own.size):
        made = list(entries)
        made[late] = replace(made[late], cameras=((other.camera_id, other.aim),))
        if _better(before, foretell(show, made, aims, on_air, hold=False), late, {}):
            camera = show.camera(other.camera_id)
            number = camera.number if camera is not None else "?"
            return [Mend("instead", late, f"from camera {number} instead: “{other.name}”", 0.0, other.id)]
    return []


def _swap(
    show: Show,
    entries: Sequence[Wanted],
    aims: Mapping[str, Aim],
    late: int,
    before: Sequence[Foretold],
    on_air: Sequence[str],
) -> list[Mend]:
    if late + 1 >= len(entries):
        return []
    made = list(entries)
    made[late], made[late + 1] = made[late + 1], made[late]
    moved = {late: late + 1, late + 1: late}
    if not _better(before, foretell(show, made, aims, on_air, hold=False), late, moved):
        return []
    return [Mend("swap", late, "swap it with the next")]


def _cover(
    show: Show,
    entries: Sequence[Wanted],
    aims: Mapping[str, Aim],
    late: int,
    before: Sequence[Foretold],
    on_air: Sequence[str],
) -> list[Mend]:
    cover_id = show.settings.cover_camera_id
    if cover_id is None or any(c == cover_id for c, _ in entries[late].cameras):
        return []
    needs_s = max((t.set_s - t.leaves_s for t in before[late].travels), default=0.0)
    seconds = ceil(max(before[late].late_s, needs_s) / STEP_S - 1e-9) * STEP_S
    made = [*entries[:late], Wanted(((cover_id, None),), seconds), *entries[late:]]
    after = foretell(show, made, aims, on_air, hold=False)
    moved = {k: k + 1 for k in range(late, len(entries))}
    if not _better(before, after, late, moved):
        return []
    return [Mend("cover", late, f"hold the cover shot for {seconds:.1f} s before it", round(seconds, 3))]
