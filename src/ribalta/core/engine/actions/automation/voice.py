"""Voice follow: by itself, only proposing, or off; and how it behaves."""

from typing import Annotated, Any

from pydantic import Field, ValidationError

from ribalta.core.base.faults import ActionRefused
from ribalta.core.base.validation import why_not
from ribalta.core.engine.state.action import Action, NoParams, Outcome, Params, edited
from ribalta.core.engine.state.automation_state import VoiceMode
from ribalta.core.engine.state.live import LiveState
from ribalta.core.engine.voice import voice_follow
from ribalta.core.ports.messages import Notice
from ribalta.core.show.document.voice import Interjections, VoiceFollow

Seconds = Annotated[float | None, Field(ge=0, le=600, allow_inf_nan=False)]
Decibels = Annotated[float | None, Field(ge=3, le=40, allow_inf_nan=False)]
SAID = {
    VoiceMode.OFF: "Voice follow is off.",
    VoiceMode.SUGGEST: "Voice follow readies whoever speaks; you take.",
    VoiceMode.AUTOMATIC: "Voice follow is automatic: it cuts.",
}


class ModeParams(Params):
    """Without a mode it is switched between automatic and off."""

    mode: VoiceMode | None = None


class LeaveParams(Params):
    """For how long the desk is left to the director; without a number, as the show has it."""

    seconds: Seconds = None


class RulesParams(Params):
    """What is left out stays as it is."""

    minimum_s: Seconds = None
    patience_s: Seconds = None
    together_s: Seconds = None
    silence_s: Seconds = None
    interjections: Interjections | None = None
    reaction_every_s: Seconds = None
    reaction_s: Seconds = None
    suspend_s: Seconds = None
    threshold_db: Decibels = None
    bleed_db: Decibels = None
    attack_s: Seconds = None
    hold_s: Seconds = None
    release_s: Seconds = None


def mode(state: LiveState, params: ModeParams, now_s: float) -> Outcome:
    wanted = params.mode
    if wanted is None:
        wanted = VoiceMode.AUTOMATIC if state.voice.mode is VoiceMode.OFF else VoiceMode.OFF
    if wanted is not VoiceMode.OFF and not any(mic.mark_id is not None for mic in state.show.microphones):
        raise ActionRefused("No microphone belongs to a mark yet: say whose each is, in Cue under Voice.")
    return Outcome(voice_follow.switched(state, wanted, now_s), (Notice(SAID[wanted]),))


def _on(state: LiveState) -> None:
    if state.voice.mode is VoiceMode.OFF:
        raise ActionRefused("Voice follow is off.")


def leave(state: LiveState, params: LeaveParams, now_s: float) -> Outcome:
    _on(state)
    seconds = params.seconds if params.seconds is not None else state.show.voice.suspend_s
    return Outcome(voice_follow.suspended(state, seconds, now_s), (Notice(f"Left to you for {seconds:g} s."),))


def resume(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    _on(state)
    return Outcome(voice_follow.suspended(state, 0.0, now_s), (Notice("Voice follow goes on."),))


def rules(state: LiveState, params: RulesParams, now_s: float) -> Outcome:
    changes: dict[str, Any] = params.model_dump(exclude_none=True)
    try:
        made = VoiceFollow.model_validate(state.show.voice.model_dump() | changes)
    except ValidationError as error:
        raise ActionRefused(f"Voice follow stays as it is: {why_not(error)}.") from None
    return edited(state, state.show.model_copy(update={"voice": made}), "changed how voice follow behaves")


ACTIONS = (
    Action(
        "voice.mode",
        "Switch voice follow: automatic, suggest, off",
        ModeParams,
        mode,
        {"Ctrl+F9": {}, "Ctrl+F10": {"mode": "suggest"}},
        heeds_voices=True,
    ),
    Action("voice.leave", "Voice follow leaves the desk to you for a while", LeaveParams, leave, heeds_voices=True),
    Action("voice.resume", "Voice follow continues at once", NoParams, resume, {"Ctrl+F11": {}}, heeds_voices=True),
    Action("voice.rules", "Change how voice follow behaves", RulesParams, rules, stores=True, heeds_voices=True),
)
