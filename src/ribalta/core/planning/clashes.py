"""Why there is no plan: the entries that cannot be had together, and what is between them."""

from ribalta.core.planning.planning_problem import Candidate, Clash, Problem

TRAVELS, CROSSES, JUMPS = REASONS = (
    "is of a camera that is busy then",
    "crosses the line of action",
    "jumps from the one before",
)


def clashes(problem: Problem, at: int) -> tuple[Clash, ...]:
    """What stands in each other's way, up to the entry where it ends."""
    empty = tuple(
        Clash((k,), f"Nothing that can be there in time shows what entry {k + 1} asks for.")
        for k, options in enumerate(problem.choices)
        if not options
    )
    if empty:
        return empty
    before = sorted({b for ruled in problem.ruled_out[at] for b in ruled})
    others = " and ".join(str(b + 1) for b in before) or "the beginning"
    why = {
        _reason(earlier, choice, b == at - 1)
        for choice, ruled in zip(problem.choices[at], problem.ruled_out[at], strict=True)
        for b, theirs in ruled.items()
        for earlier in (problem.choices[b][p] for p in theirs)
    }
    *most, last = [reason for reason in REASONS if reason in why] or ["is ruled out"]
    reasons = f"{', '.join(most)} or {last}" if most else last
    return (Clash((*before, at), f"Entry {at + 1} cannot land behind {others}: each picture of it {reasons}."),)


def _reason(earlier: Candidate, choice: Candidate, next_to: bool) -> str:
    if next_to and earlier.side * choice.side < 0:
        return CROSSES
    return TRAVELS if earlier.camera_id == choice.camera_id else JUMPS
