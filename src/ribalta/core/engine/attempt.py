"""What an action comes to when it is asked for, refusals too, and how that is told."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.validation import why_not
from ribalta.core.engine.catalogue import Catalogue
from ribalta.core.engine.removing import StillUsed
from ribalta.core.engine.roles import allowed, within
from ribalta.core.engine.state.action import Action, Outcome, Params, turned_down
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.views.history import TOGETHER_S
from ribalta.core.engine.wording import words_of
from ribalta.core.ports.causes import ActionRan, By, Cause
from ribalta.core.ports.messages import Drive, GlideTo, GoHome, GoTo, Notice, Recall, Request, Severity, TurnBy
from ribalta.core.show.automation.calls import Broken, Call, arguments_of

MOVES = (GoTo, GlideTo, Recall, GoHome, Drive, TurnBy)


def attempt(
    catalogue: Catalogue,
    before: LiveState,
    action_id: str,
    given: Mapping[str, Any] | Call,
    now_s: float,
    recall_only: bool,
    cause: Cause,
    spare_air: bool = False,
) -> tuple[Outcome, str, tuple[Action, Params] | None]:
    """What an action comes to, in words too, and with its row when it was not refused.

    Raises only what is a mistake of ours: a refusal is an outcome that changes nothing and says why.
    """
    words = action_id
    try:
        arguments = arguments_of(before.show, given) if isinstance(given, Call) else given
        row, params = catalogue.find(action_id, arguments)
        words = words_of(before, row, params)
        params = allowed(before, row, params, cause, now_s)
        if recall_only and row.stores:
            raise ActionRefused(f"{row.sentence}: not from here. This surface only recalls; store at the desk.")
        if spare_air and row.changes_air:
            raise ActionRefused(f"“{words}” would change what is on air, and was left out of this try.")
        outcome = row.run(before, params, now_s)
        return within(before, row, cause, moved(outcome.requests), outcome, now_s), words, (row, params)
    except Broken as gone:
        return turned_down(before, f"{asker(cause)}: {gone}, so nothing was done."), words, None
    except StillUsed as used:
        return turned_down(before, str(used)).saying(used.event), words, None
    except ActionRefused as refusal:
        return turned_down(before, str(refusal), refusal.step), words, None
    except ValidationError as error:  # of a part that was to be made from the arguments
        return turned_down(before, f"{words}: {why_not(error)}."), words, None


def last_take(state: LiveState) -> int | None:
    """The number of the run that took what is on air; None when nothing was taken, or nobody knows."""
    return (state.program.records[-1].run_id or None) if state.program.records else None


def run_of(number: int, now_s: float, cause: Cause, action_id: str, words: str, outcome: Outcome) -> ActionRan:
    """What ran, as a line of the history; `words` say what was done."""
    said = [e.sentence for e in outcome.events if isinstance(e, Notice) and e.severity is Severity.REFUSED]
    return ActionRan(number, now_s, cause, action_id, words, said[0] if said else "", moved(outcome.requests))


def playlist_ran(before: LiveState, number: int, cause: Cause, outcome: Outcome, now_s: float) -> ActionRan:
    """What a playlist did, as a line of the history."""
    after = outcome.state.automation.playlist
    play = after.play if after is not None else None
    words = before.shot_words(play.shot) if play is not None and play.shot is not None else "the next entry"
    said = f"Play {words}" if after is not None else "End the playlist"
    return ActionRan(number, now_s, cause, "playlist.play", said, "", moved(outcome.requests))


def moved(requests: tuple[Request, ...]) -> tuple[str, ...]:
    """The ids of cameras that requests move."""
    return tuple(dict.fromkeys(r.camera_id for r in requests if isinstance(r, MOVES)))


def asker(cause: Cause) -> str:
    """Who asks, at the beginning of a sentence."""
    said = f"{cause.by} {cause.words}".strip()
    return said[0].upper() + said[1:]


Edit = tuple[str, Cause, float]  # which action, who asked, when


def as_one_edit(before: LiveState, outcome: Outcome, last: Edit, now: Edit) -> tuple[Outcome, Edit]:
    """What a fader edits while it goes on moving is one step to undo. With it, the last edit by now."""
    if outcome.state.edits.undo is before.edits.undo:
        return outcome, last
    goes_on = last[:2] == now[:2] and now[2] - last[2] <= TOGETHER_S
    if now[1].by is By.FADER and goes_on:
        outcome = replace(outcome, state=outcome.state.as_one_edit(before))
    return outcome, now
