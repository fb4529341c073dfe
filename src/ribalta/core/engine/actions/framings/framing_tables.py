"""Bringing framings in, from a table or from another show."""

from typing import Annotated, Any

from pydantic import Field

from ribalta.core.base.aim import Aim
from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.board import CameraNumber
from ribalta.core.engine.actions.framings.arranging import free_slot
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.document.model import Framing, ShotSize, Show
from ribalta.core.show.document.settings import BY_ID

Number = Annotated[float, Field(allow_inf_nan=False)]
TOLD = 4  # what was left out is told in full up to so many


class NewFraming(Params):
    """`marks` by name; `picture` is the name of a picture that the session has by then."""

    camera: CameraNumber
    slot: Annotated[int, Field(ge=0, le=999)] | None = None
    name: Annotated[str, Field(min_length=1, max_length=80)]
    pan_deg: Number
    tilt_deg: Number
    zoom: Annotated[float, Field(ge=0, le=1)]
    marks: tuple[str, ...] = ()
    size: ShotSize | None = None
    protected: bool = False
    rating: Annotated[int, Field(ge=0, le=100)] | None = None
    kept: tuple[tuple[str, str | int], ...] = ()
    picture: str | None = None


class BringParams(Params):
    """What is there stays: a framing whose place is taken gets the next free one."""

    framings: Annotated[tuple[NewFraming, ...], Field(min_length=1, max_length=5000)]


def bring_in(state: LiveState, params: BringParams, now_s: float) -> Outcome:
    show, number, left_out = state.show, state.show.next_number, []
    count = 0
    for new in params.framings:
        made = _new_framing(show, new, number + count)
        if isinstance(made, str):
            left_out.append(made)
        else:
            show = show.with_framing(made)
            count += 1
    if not count:
        raise ActionRefused(f"No framing was brought in. {_listed(left_out)}")
    show = show.model_copy(update={"next_number": number + count})
    outcome = edited(state, show, f"brought in {count} framing{'s' if count != 1 else ''}")
    if left_out:
        outcome = outcome.saying(Notice(f"Left out: {_listed(left_out)}", Severity.FAULT))
    return outcome


def _listed(sentences: list[str]) -> str:
    more = len(sentences) - TOLD
    return " ".join(sentences[:TOLD]) + (f" And {more} more." if more > 0 else "")


def _new_framing(show: Show, new: NewFraming, number: int) -> Framing | str:
    """The framing, or a sentence that says why not."""
    camera = show.camera_numbered(new.camera)
    if camera is None:
        return f"“{new.name}” is of camera {new.camera}, which this show does not have."
    if camera.head is None:
        return f"“{new.name}” is of camera {new.camera}, which is fixed here."
    _, met = camera.head.limits.clamp(Aim(new.pan_deg, new.tilt_deg, new.zoom))
    if met:
        return f"“{new.name}” is out of reach of camera {new.camera}: {', '.join(met)}."
    try:
        kept = tuple((name, BY_ID[name].checked(value)) for name, value in new.kept if name in BY_ID)
    except ValueError as error:
        return f"“{new.name}”: {error}."
    slot = new.slot
    if slot is None or show.framing_at(camera.id, slot) is not None:
        slot = free_slot(show, camera.id, 0 if slot is None else slot)
    marks = [m.id for name in new.marks for m in show.marks if m.name == name]
    fields: dict[str, Any] = new.model_dump(exclude={"camera", "slot", "marks", "kept"})
    fields |= {"kept": kept, "mark_id": marks[0] if marks else None, "more_mark_ids": tuple(marks[1:])}
    return Framing(id=f"f{number}", camera_id=camera.id, slot=slot, seen=new.picture is not None, **fields)


ACTIONS = (Action("framings.import", "Import framings", BringParams, bring_in, stores=True),)
