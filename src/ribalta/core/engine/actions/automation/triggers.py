"""Triggers: making them, arming them, trying them."""

from typing import Annotated

from pydantic import Field

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.actions.collection import Collection
from ribalta.core.engine.state.action import Action, Outcome, Params, edited
from ribalta.core.engine.state.automation_state import Fired, Queued
from ribalta.core.engine.state.groups import VIEWS
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.guests import Role
from ribalta.core.show.automation.calls import Call
from ribalta.core.show.automation.macros import Condition
from ribalta.core.show.automation.triggers_pads_shortcuts import Trigger, When
from ribalta.core.show.document.model import Show
from ribalta.core.show.document.part import Name


class TriggerParams(Params):
    trigger: Annotated[str, Field(description="the trigger's id")]


class FieldsParams(Params):
    """What is left out stays as it is."""

    name: Name | None = None
    enabled: bool | None = None
    when: When | None = None
    only_if: tuple[Condition, ...] | None = None
    calls: tuple[Call, ...] | None = None
    on_air_only: bool | None = None
    once: bool | None = None
    apart_s: Annotated[float | None, Field(ge=0, le=86400, allow_inf_nan=False)] = None


class ChangeParams(FieldsParams, TriggerParams):
    pass


class ViewParams(Params):
    view: Annotated[str, Field(pattern=f"^({'|'.join(VIEWS)})$")]


TRIGGERS = Collection[Trigger]("triggers", lambda show: show.triggers, Show.trigger, "g", ("trigger", "triggers"), 2000)


def add(state: LiveState, params: FieldsParams, now_s: float) -> Outcome:
    name = TRIGGERS.free_name(state.show, params.name)
    trigger = Trigger(id=TRIGGERS.new_id(state.show), name=name)
    return _stored(state, _changed(trigger, params), f"made trigger “{name}”")


def _changed(trigger: Trigger, params: FieldsParams) -> Trigger:
    given = {n: getattr(params, n) for n in FieldsParams.model_fields if getattr(params, n) is not None}
    return trigger.model_copy(update=given)


def _stored(state: LiveState, trigger: Trigger, what: str) -> Outcome:
    return edited(state, TRIGGERS.put(state.show, trigger), what)


def change(state: LiveState, params: ChangeParams, now_s: float) -> Outcome:
    trigger = TRIGGERS.meant(state, params.trigger)
    if params.enabled is not None:
        fared = state.automation.fired.get(trigger.id, Fired())
        if fared.spent or fared.broken:  # armed again
            from_now = {**state.automation.fired, trigger.id: Fired(fared.count, fared.last_s)}
            state = state.with_automation(fired=from_now)
    return _stored(state, _changed(trigger, params), f"changed trigger “{trigger.name}”")


def remove(state: LiveState, params: TriggerParams, now_s: float) -> Outcome:
    trigger = TRIGGERS.meant(state, params.trigger)
    show = TRIGGERS.take_out(state.show, trigger, "leave", "trigger.remove", {})
    return edited(state, show, f"removed trigger “{trigger.name}”")


def attempt(state: LiveState, params: TriggerParams, now_s: float) -> Outcome:
    """Do what it does, whatever its conditions; whatever would change what is on air is left out."""
    trigger = TRIGGERS.meant(state, params.trigger)
    cause = Cause(By.TRIGGER, f"“{trigger.name}”: tried")
    if not trigger.calls:
        raise ActionRefused(f"“{trigger.name}” does nothing yet: add what it should do.")
    return Outcome(state, calls=tuple(Queued(call, cause, spare_air=True) for call in trigger.calls))


def view(state: LiveState, params: ViewParams, now_s: float) -> Outcome:
    """Which view is in front: some triggers are armed only on Air."""
    return Outcome(state.with_desk(view=params.view))


ACTIONS = (
    Action("trigger.add", "Make a trigger", FieldsParams, add, stores=True, heeds_voices=True),
    Action("trigger.change", "Change trigger {trigger}", ChangeParams, change, stores=True, heeds_voices=True),
    Action("trigger.remove", "Remove trigger {trigger}", TriggerParams, remove, stores=True, heeds_voices=True),
    Action("trigger.try", "Try trigger {trigger}", TriggerParams, attempt, recordable=False, heeds_voices=True),
    Action(
        "view.shown", "Say which view is in front", ViewParams, view, recordable=False, hidden=True, role=Role.WATCHER
    ),
)
