"""What a show wants to be looked at before doors."""

from typing import Annotated

from pydantic import Field

from ribalta.core.show.document.part import Part


class Readiness(Part):
    """`planned_minutes` is how long the show is to be, for which recordings need room. `left_out` are kinds of lines of
    the check that do not matter to this show, as “framing.age”."""

    planned_minutes: Annotated[float, Field(ge=1, le=2880, allow_inf_nan=False)] = 120.0
    left_out: Annotated[tuple[Annotated[str, Field(pattern=r"^[a-z_.]{1,40}$")], ...], Field(max_length=100)] = ()
