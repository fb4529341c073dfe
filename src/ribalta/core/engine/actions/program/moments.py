"""Bad moments: one key each, in any state: everything off, black and back, a card to hold with."""

from typing import Annotated

from pydantic import Field

from ribalta.core.engine.program import switching
from ribalta.core.engine.program.overlays import bared
from ribalta.core.engine.state.action import Action, NoParams, Outcome, Params
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.messages import Notice
from ribalta.core.ports.shots import FadeToBlack, Shot
from ribalta.core.show.document.scenes import CUT

BLACK_S = 0.48


class BlackParams(Params):
    """`black` None turns it over."""

    black: bool | None = None
    seconds: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = BLACK_S


class CardParams(Params):
    on: bool | None = None


def clear(state: LiveState, params: NoParams, now_s: float) -> Outcome:
    """All titles, insets and the key off at once; a clip on air gives way to the cover shot."""
    outcome = Outcome(switching.clips_run(bared(state), now_s))
    program = outcome.state.program.on_air
    medium = state.show.medium(program.medium_id or "") if program is not None else None
    cover_id = state.show.settings.cover_camera_id or next((c.id for c in state.show.cameras), None)
    if medium is not None and medium.kind == "clip" and cover_id is not None:
        outcome = outcome.then(lambda s: switching.put_on_air(s, Shot(cover_id), CUT, now_s, 0.0, False))
    return outcome.saying(Notice("Cleared: no titles, insets or clips are on air."))


def black(state: LiveState, params: BlackParams, now_s: float) -> Outcome:
    to = not state.program.black.black if params.black is None else params.black
    dark = FadeToBlack(to, now_s, params.seconds, state.program.black.darkness_at(now_s))
    said = "Program fades to black. B brings it back." if to else "Program comes back from black."
    return Outcome(state.with_program(black=dark), (Notice(said),))


def card(state: LiveState, params: CardParams, now_s: float) -> Outcome:
    on = not state.program.card if params.on is None else params.on
    said = "The holding card is on air. H takes it off." if on else "The holding card is off."
    return Outcome(state.with_program(card=on), (Notice(said),))


ACTIONS = (
    Action(
        "clear",
        "Clear: all titles, insets and clips off",
        NoParams,
        clear,
        {"Y": {}},
        changes_air=True,
        chords={"Ctrl+Y": {}},
    ),
    Action(
        "black",
        "Fade to black, or back",
        BlackParams,
        black,
        {"B": {}},
        changes_air=True,
        also="fade dark",
        chords={"Ctrl+B": {}},
    ),
    Action("card", "Holding card on or off", CardParams, card, {"H": {}}, changes_air=True, chords={"Ctrl+H": {}}),
)
