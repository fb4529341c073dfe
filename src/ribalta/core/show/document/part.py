"""What every part of the show document has in common. All values are frozen; unknown fields are kept."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Finite = Annotated[float, Field(allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
StoredName = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,80}\.(jpg|jpeg|png|svg)$")]
Address = Annotated[str, Field(max_length=500)]
Port = Annotated[int, Field(ge=1, le=65535)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


class Part(BaseModel):
    """A frozen part of a document; fields of a newer version are kept as they came."""

    model_config = ConfigDict(frozen=True, extra="allow")
