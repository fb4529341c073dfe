"""A house with a broker: whom a show tells what is on air, beside its own people."""

from typing import Annotated

from pydantic import Field

from ribalta.core.show.document.part import Part

NAME = r"^[A-Za-z0-9_-]{1,40}$"


class House(Part):
    """A broker that is there already (MQTT 5). `name` is this server's own in the house; `tls`: the line is encrypted,
    and the broker's certificate is checked. A password is kept by the desk, never here."""

    on: bool = False
    name: Annotated[str, Field(pattern=NAME)] = "stage"
    host: Annotated[str, Field(max_length=200)] = ""
    port: Annotated[int, Field(ge=1, le=65535)] = 1883
    tls: bool = False
    user: Annotated[str, Field(max_length=80)] = ""

    @property
    def where(self) -> str:
        """Its address, under which a password is kept."""
        return f"mqtt{'s' if self.tls else ''}://{self.host}:{self.port}"
