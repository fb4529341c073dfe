"""Check: before doors, find out what would fail."""

from typing import ClassVar

from ribalta.desk.bridge import Bridge
from ribalta.desk.check.tonight import TonightPage
from ribalta.desk.widgets.lists.crew_list import CrewListPage
from ribalta.desk.widgets.pages import Paged
from ribalta.desk.widgets.palette import Palette


class CheckView(Paged):
    """`hint` is what the lowest line says when nothing has happened."""

    own_keys: ClassVar = {"Up": "line before", "Down": "next line", "Enter": "go there"}
    hint = "One press looks at everything that would fail tonight. Enter on a line goes where it is changed."

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        tonight, opening = TonightPage(bridge), CrewListPage(bridge, palette, "opening")
        super().__init__(bridge, {"Tonight": tonight, "Opening list": opening})
        self.tonight, self.opening = tonight, opening
