"""Pads: pages of buttons, and pressing them."""

from typing import Annotated, Any, Literal

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.collection import Collection
from ribalta.core.engine.automation.starter_pads import page_of_32
from ribalta.core.engine.removing import Users
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.automation_state import Queued
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By, Cause
from ribalta.core.show.automation.calls import Call, Item, Kind, following_items
from ribalta.core.show.automation.triggers_pads_shortcuts import Pad, Page, Surface, hash_of
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Colour, Name

At = Annotated[int, Field(ge=0, le=63, description="which pad, from the upper left, from 0")]
Side = Annotated[int, Field(ge=2, le=8)]


class PageParams(Params):
    pads: Annotated[str, Field(description="the page's id")]


class AddParams(Params):
    name: Name | None = None
    columns: Side = 4
    rows: Side = 4


class ChangeParams(PageParams):
    """What is left out stays as it is. `code` is what opens a plain page; empty: none is needed."""

    name: Name | None = None
    columns: Side | None = None
    rows: Side | None = None
    plain: bool | None = None
    code: Annotated[str | None, Field(max_length=20)] = None
    surface: Surface | None = None
    no_surface: bool = False


class RemoveParams(PageParams):
    users: Users = "ask"


class PadParams(PageParams):
    at: At


class SetParams(PadParams):
    """What is left out stays as it is; `clear` names what is taken away."""

    label: Annotated[str | None, Field(max_length=60)] = None
    colour: Colour | None = None
    picture: Item | None = None
    call: Call | None = None
    long_call: Call | None = None
    follows: Literal["item", "position"] = "item"
    clear: tuple[Literal["call", "long_call", "picture"], ...] = ()


class BringParams(Params):
    """A page that is ready made."""

    starter: Literal["32 pads"]


class MoveParams(PadParams):
    to: At


class PressParams(PadParams):
    long: bool = False


PAGES = Collection[Page](
    "pages", lambda show: show.pages, Show.page, "q", ("page of pads", "pages of pads"), 100, Kind.PAGE, names="Pads"
)


def add(state: LiveState, params: AddParams, now_s: float) -> Outcome:
    name = PAGES.free_name(state.show, params.name)
    page = Page(id=PAGES.new_id(state.show), name=name, columns=params.columns, rows=params.rows)
    return _stored(state, page, f"made page “{name}”")


def bring(state: LiveState, params: BringParams, now_s: float) -> Outcome:
    page = page_of_32(state, PAGES.new_id(state.show), params.starter)
    pads = [pad.model_copy(update={"call": following_items(state.show, pad.call)}) for pad in page.pads if pad.call]
    return _stored(state, page, f"made page “{page.name}”", pads=[pad.model_dump() for pad in pads])


def _stored(state: LiveState, page: Page, what: str, **changes: Any) -> Outcome:
    return edited(state, PAGES.put(state.show, PAGES.changed(page, changes)), what)


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    page = PAGES.meant(state, params.pads)
    changes = params.model_dump(include={"name", "columns", "rows", "plain", "surface"}, exclude_none=True)
    if params.code is not None:
        changes["code_hash"] = hash_of(params.code, page.id) if params.code else ""
    if params.no_surface:
        changes["surface"] = None
    columns, rows = params.columns or page.columns, params.rows or page.rows
    if columns != page.columns or rows != page.rows:
        changes["pads"] = _laid_out(page, columns, rows)
    return _stored(state, page, f"changed page “{page.name}”", **changes)


def _laid_out(page: Page, columns: int, rows: int) -> list[dict[str, Any]]:
    """Pads stay in their row and column. Raises ActionRefused when one would be cut off."""
    moved = []
    for pad in page.pads:
        row, column = divmod(pad.at, page.columns)
        if row >= rows or column >= columns:
            called = pad.label or f"pad {pad.at + 1}"
            raise ActionRefused(f"“{called}” has no room on {columns} by {rows}: move it or clear it first.")
        moved.append(pad.model_dump() | {"at": row * columns + column})
    return moved


def remove(state: LiveState, params: RemoveParams, now_s: float) -> Outcome:
    page = PAGES.meant(state, params.pads)
    show = PAGES.take_out(state.show, page, params.users, "page.remove", {"pads": page.id})
    return edited(state, show, f"removed page “{page.name}”")


def put(state: LiveState, params: SetParams, now_s: float) -> Outcome:
    page = PAGES.meant(state, params.pads)
    if params.at >= page.columns * page.rows:
        raise ActionRefused(f"“{page.name}” has {page.columns * page.rows} pads.")
    given = {n: getattr(params, n) for n in ("label", "colour", "picture", "call", "long_call")}
    changes = {name: value for name, value in given.items() if value is not None}
    for name in ("call", "long_call"):
        if name in changes and params.follows == "item":
            changes[name] = following_items(state.show, changes[name])
    changes |= dict.fromkeys(params.clear)
    pad = (page.pad(params.at) or Pad(at=params.at)).model_copy(update=changes)
    others = tuple(p for p in page.pads if p.at != params.at)
    pads = tuple(sorted((*others, pad), key=lambda p: p.at))
    return _stored(state, page, f"changed a pad of “{page.name}”", pads=[p.model_dump() for p in pads])


def clear(state: LiveState, params: PadParams, now_s: float) -> Outcome:
    page = PAGES.meant(state, params.pads)
    pads = [p.model_dump() for p in page.pads if p.at != params.at]
    return _stored(state, page, f"cleared a pad of “{page.name}”", pads=pads)


def move(state: LiveState, params: MoveParams, now_s: float) -> Outcome:
    """What is there takes its place."""
    page = PAGES.meant(state, params.pads)
    if params.to >= page.columns * page.rows:
        raise ActionRefused(f"“{page.name}” has {page.columns * page.rows} pads.")
    swapped = {params.at: params.to, params.to: params.at}
    pads = [p.model_dump() | {"at": swapped.get(p.at, p.at)} for p in page.pads]
    return _stored(state, page, f"moved a pad of “{page.name}”", pads=sorted(pads, key=lambda p: int(p["at"])))


def press(state: LiveState, params: PressParams, now_s: float) -> Outcome:
    """Run what the pad is for; one without anything for a long press does what it does for a short one."""
    page = PAGES.meant(state, params.pads)
    pad = page.pad(params.at)
    call = None if pad is None else (pad.long_call or pad.call) if params.long else pad.call
    if pad is None or call is None:
        raise ActionRefused(f"Pad {params.at + 1} of “{page.name}” does nothing yet.")
    cause = Cause(By.PAD, f"“{pad.label or f'{page.name} {pad.at + 1}'}”")
    return Outcome(state, calls=(Queued(call, cause),))


ACTIONS = (
    Action("pad.press", "Press pad {at} of page {pads}", PressParams, press, recordable=False, heeds_voices=True),
    Action("page.add", "Make a page of pads", AddParams, add, stores=True),
    Action("page.import", "Make a page of pads that is ready made", BringParams, bring, stores=True),
    Action("page.change", "Change page {pads}", ChangeParams, change, stores=True),
    Action("page.remove", "Remove page {pads}", RemoveParams, remove, stores=True),
    Action("pad.set", "Set pad {at} of page {pads}", SetParams, put, stores=True, heeds_voices=True),
    Action("pad.clear", "Clear pad {at} of page {pads}", PadParams, clear, stores=True, heeds_voices=True),
    Action("pad.move", "Move pad {at} of page {pads}", MoveParams, move, stores=True, heeds_voices=True),
)
