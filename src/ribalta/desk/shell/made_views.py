"""Views that are loaded and made when they are first wanted: a desk opens on pictures, not on forms."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Union

from ribalta.desk.bridge import Bridge
from ribalta.desk.widgets.palette import Palette

if TYPE_CHECKING:
    from ribalta.desk.check.view import CheckView
    from ribalta.desk.cue.view import CueView
    from ribalta.desk.rig.view import RigView
    from ribalta.desk.wrap.view import WrapView

MadeView = Union["RigView", "CueView", "CheckView", "WrapView"]
OpenScreen = Callable[[str], None]


def _rig(bridge: Bridge, finder: Palette, open_screen: OpenScreen) -> "RigView":
    from ribalta.desk.rig.view import RigView

    rig = RigView(bridge, finder)
    rig.window_wanted.connect(open_screen)
    return rig


def _cue(bridge: Bridge, finder: Palette, open_screen: OpenScreen) -> "CueView":
    from ribalta.desk.cue.view import CueView

    cue = CueView(bridge, finder)
    cue.window_wanted.connect(open_screen)
    return cue


def _check(bridge: Bridge, finder: Palette, open_screen: OpenScreen) -> "CheckView":
    from ribalta.desk.check.view import CheckView

    return CheckView(bridge, finder)


def _wrap(bridge: Bridge, finder: Palette, open_screen: OpenScreen) -> "WrapView":
    from ribalta.desk.wrap.view import WrapView

    return WrapView(bridge, finder)


MAKERS: Mapping[str, Callable[[Bridge, Palette, OpenScreen], MadeView]] = {
    "Rig": _rig,
    "Cue": _cue,
    "Check": _check,
    "Wrap": _wrap,
}
