"""Desks beside each other on one show: each has its own selected row, page and view, its seat.

The live state has one of them in hand, that of whoever acted last; the others wait until their desk acts again. What
comes from elsewhere (a controller, another machine) goes to the one in hand.
"""

from dataclasses import replace
from types import MappingProxyType

from ribalta.core.engine.state.groups import DeskState
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import Cause

MOST_SEATS = 100


def seat_of(state: LiveState, desk: str) -> DeskState:
    """How the desk of a number has it; one that is new begins where the one in hand is, on its first page."""
    if state.desk.id in (desk, ""):
        return state.desk if state.desk.id == desk else replace(state.desk, id=desk)
    found = state.desks.get(desk) or replace(state.desk, id=desk, page=0)
    return replace(found, shortcuts=state.desk.shortcuts)


def seated(state: LiveState, desk: str) -> LiveState:
    """With the seat of a desk in hand. `desk` empty: nobody's in particular, so it stays as it is."""
    if not desk or state.desk.id == desk:
        return state
    waiting = {seat: there for seat, there in state.desks.items() if seat != desk}
    if state.desk.id:
        waiting[state.desk.id] = state.desk
    for seat in list(waiting)[:-MOST_SEATS]:
        del waiting[seat]
    return state.with_(desk=seat_of(state, desk), desks=MappingProxyType(waiting))


def put_back(state: LiveState, before: DeskState, cause: Cause) -> LiveState:
    """With the seat in hand that was before a guest acted: what comes from controllers is not for the guest's."""
    if not cause.guest or state.desk.id == before.id:
        return state
    waiting = {seat: there for seat, there in state.desks.items() if seat != before.id}
    waiting[state.desk.id] = state.desk
    return state.with_(desk=replace(before, shortcuts=state.desk.shortcuts), desks=MappingProxyType(waiting))


def shows(state: LiveState, view: str) -> bool:
    """Is a view in front at any desk?"""
    return state.desk.view == view or any(desk.view == view for desk in state.desks.values())
