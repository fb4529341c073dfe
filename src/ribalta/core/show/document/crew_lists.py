"""What a crew does before and after a show, step by step."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from ribalta.core.show.automation.calls import Call
from ribalta.core.show.document.part import Part, StoredName


class Seen(StrEnum):
    """What the desk can see by itself, so that a step is ticked when it is so."""

    BY_HAND = ""
    CAMERAS = "every camera answers"
    CHECKED = "the check found nothing to stop for"
    TITLES = "every title is of today"
    COVER = "the cover shot is on air"
    LANDED = "a take has landed"
    RECORDING = "it is recorded"
    STREAMING = "it is streamed"
    BLACK = "program is black"
    NOTHING_OVER = "nothing lies over the picture"
    NOTHING_RUNS = "no macro and no playlist runs"
    NOT_RECORDED = "nothing is recorded"
    NOT_STREAMED = "nothing is streamed"
    CLOSED = "the evening was ended"


class ListStep(Part):
    """`words` are what somebody does, `picture` a stored one that shows it, `call` what one press does for it."""

    id: str
    words: Annotated[str, Field(min_length=1, max_length=200)]
    picture: StoredName | None = None
    call: Call | None = None
    seen: Seen = Seen.BY_HAND

    @property
    def name(self) -> str:
        """For lists that call their members something."""
        return self.words


Steps = Annotated[tuple[ListStep, ...], Field(max_length=100)]
