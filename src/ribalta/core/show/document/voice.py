"""How voice follow behaves: when a microphone counts as speaking, and what is shown of whoever speaks."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from ribalta.core.show.document.part import Part
from ribalta.core.sound.gates import Gating


class Interjections(StrEnum):
    """What a word put in while another speaks leads to."""

    IGNORE = "ignore"
    BOTH = "show both"


class VoiceFollow(Part):
    """Levels in dB, times in seconds.

    `minimum_s` is how long a shot stays at least; `patience_s` how long somebody must have spoken; `together_s` how
    long two must speak at once to be shown together; after `silence_s` without a voice comes the cover shot. Now and
    then, after `reaction_every_s` (0: never) of one voice, whoever spoke before is seen for `reaction_s`. When the
    director touches the desk, voice follow leaves it to him for `suspend_s`.
    """

    minimum_s: Annotated[float, Field(ge=0.5, le=60)] = 2.0
    patience_s: Annotated[float, Field(ge=0.1, le=10)] = 0.8
    together_s: Annotated[float, Field(ge=0.3, le=20)] = 1.4
    silence_s: Annotated[float, Field(ge=0.5, le=120)] = 4.0
    interjections: Interjections = Interjections.IGNORE
    reaction_every_s: Annotated[float, Field(ge=0, le=600)] = 25.0
    reaction_s: Annotated[float, Field(ge=0.5, le=60)] = 2.5
    suspend_s: Annotated[float, Field(ge=0, le=600)] = 10.0
    threshold_db: Annotated[float, Field(ge=3, le=40)] = 9.0
    bleed_db: Annotated[float, Field(ge=3, le=40)] = 8.0
    attack_s: Annotated[float, Field(ge=0, le=1)] = 0.06
    hold_s: Annotated[float, Field(ge=0, le=2)] = 0.15
    release_s: Annotated[float, Field(ge=0, le=2)] = 0.1

    @property
    def gating(self) -> Gating:
        """The same for the gates."""
        return Gating(self.threshold_db, self.bleed_db, self.attack_s, self.hold_s, self.release_s)
