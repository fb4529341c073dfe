"""Whose fault it is. Every message is a sentence for the person at the desk: name, what happened, what to do."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class NextStep:
    """What would clear a refusal's way, as one press: its word, and an action with its arguments; without an action it
    opens the place that the arguments name, a `view` and one of its pages."""

    label: str
    action: str
    arguments: tuple[tuple[str, str | int], ...] = ()


class RibaltaFault(Exception):
    """Base of the three; never raised itself."""


class ActionRefused(RibaltaFault):
    """The operator asked for what cannot be. Nothing has changed."""

    def __init__(self, sentence: str, step: NextStep | None = None) -> None:
        super().__init__(sentence)
        self.step = step


class LocalFault(RibaltaFault):
    """This machine or its files: a damaged show, a full disk, a port in use."""


class RemoteFault(RibaltaFault):
    """A device said no, lied or vanished."""
