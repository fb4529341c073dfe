"""How the line to a broker stands, and what others in the house say."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Other:
    """Another server of the house, as it says it stands."""

    name: str
    online: bool = False
    on_air: str = ""


@dataclass(frozen=True, slots=True)
class HouseStatus:
    """`word`: "off", "opening", "on" or "lost"; `others` by name."""

    word: str = "off"
    trouble: str = ""
    others: tuple[Other, ...] = ()
