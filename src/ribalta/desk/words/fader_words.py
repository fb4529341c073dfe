"""Which faders are under the hands, in words."""

from ribalta.core.engine.actions.automation.faders import banks_of
from ribalta.core.engine.state.live import LiveState


def bank_words(state: LiveState) -> str:
    """“bank 2 of 3, fine”; empty while there is one bank and nothing special about it."""
    banks, automation = banks_of(state), state.automation
    words = [f"bank {automation.fader_bank} of {banks}"] if banks > 1 else []
    return ", ".join([*words, *(["fine"] if automation.fader_fine else [])])
