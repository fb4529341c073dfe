"""Wrap: what went on air, closing down, what landed, handing over, and what ran."""

from functools import cached_property
from typing import ClassVar

from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.lists.crew_list import CrewListPage
from ribalta.desk.widgets.pages import MadePages, Page, Paged
from ribalta.desk.widgets.palette import Palette
from ribalta.desk.wrap.aired import AiredPage
from ribalta.desk.wrap.close_down import CloseDownPage
from ribalta.desk.wrap.handover import HandOverPage
from ribalta.desk.wrap.landed import LandedPage
from ribalta.desk.wrap.log import LogPage


class WrapView(Paged):
    """`hint` is what the lowest line says when nothing has happened."""

    own_keys: ClassVar = {"Up": "line before", "Down": "next line"}
    hint = "What went on air, what of it landed, and what is handed over. F10 shows why a camera moved, over any view."

    def __init__(self, bridge: Bridge, palette: Palette) -> None:
        self._bridge, self._palette = bridge, palette
        super().__init__(
            bridge,
            MadePages[Page](
                {
                    "On air": lambda: self.aired,
                    "Close down": lambda: self.close_down,
                    "Closing list": lambda: self.closing,
                    "What landed": lambda: self.landed,
                    "Hand over": lambda: self.handover,
                    "What ran": lambda: self.log,
                }
            ),
        )

    # The pages, each made when it is first wanted

    @cached_property
    def aired(self) -> AiredPage:
        return AiredPage(self._bridge)

    @cached_property
    def close_down(self) -> CloseDownPage:
        return CloseDownPage(self._bridge)

    @cached_property
    def closing(self) -> CrewListPage:
        return CrewListPage(self._bridge, self._palette, "closing")

    @cached_property
    def landed(self) -> LandedPage:
        return LandedPage(self._bridge)

    @cached_property
    def handover(self) -> HandOverPage:
        return HandOverPage(self._bridge)

    @cached_property
    def log(self) -> LogPage:
        return LogPage(self._bridge)
