"""Wrap: what went on air, closing down, what landed, handing over, and what ran."""

from typing import ClassVar

from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.lists.crew_list import CrewListPage
from ribalta.desk.widgets.pages import Paged
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
        aired, landed, handover = AiredPage(bridge), LandedPage(bridge), HandOverPage(bridge)
        close_down, closing, log = CloseDownPage(bridge), CrewListPage(bridge, palette, "closing"), LogPage(bridge)
        super().__init__(
            bridge,
            {
                "On air": aired,
                "Close down": close_down,
                "Closing list": closing,
                "What landed": landed,
                "Hand over": handover,
                "What ran": log,
            },
        )
        self.aired, self.landed, self.handover = aired, landed, handover
        self.close_down, self.closing, self.log = close_down, closing, log
