"""Microphones and the sound of program, as a show keeps them."""

from typing import Annotated

from pydantic import Field

from ribalta.core.show.document.part import Name, Part

LOWEST_DB, HIGHEST_DB = -60.0, 12.0
FaderDb = Annotated[float, Field(ge=LOWEST_DB, le=HIGHEST_DB, allow_inf_nan=False)]


class Microphone(Part):
    """A channel of sound. `address` is where it comes from: "rtp://host:port" (L16, 48 kHz) or "device:name"; `channel`
    counts from 1. It `follows` the picture when it opens by itself while one of `camera_ids` is on air, or a framing
    of its mark. The lowest `gain_db` is off.
    """

    id: str
    number: Annotated[int, Field(ge=1, le=64)]
    name: Name
    address: str = ""
    channel: Annotated[int, Field(ge=1, le=64)] = 1
    gain_db: FaderDb = 0.0
    muted: bool = False
    follows: bool = False
    camera_ids: tuple[str, ...] = ()
    mark_id: str | None = None
    fade_s: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.2
    delay_s: Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)] = 0.0


class Sound(Part):
    """What holds for all: the master's fader, and where it is listened to, how loudly ("" is nowhere).
    The microphone `talkback_id` is for talking to guests: it is never heard in program."""

    master_db: FaderDb = 0.0
    monitor_db: FaderDb = 0.0
    headphones: str = ""
    talkback_id: str | None = None
