"""The context menu of a framing in Frame's list, with the keys that do the same."""

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QWidget

from ribalta.core.show.document.model import Framing
from ribalta.desk.bridge import Bridge


def framing_menu(owner: QWidget, bridge: Bridge, framing: Framing, rename: Callable[[], None], at: QPoint) -> QMenu:
    """Opens it, and returns it."""
    camera = bridge.state.show.camera(framing.camera_id)
    number = camera.number if camera is not None else 0
    place = {"camera": number, "letter": framing.letter, "page": framing.page}
    menu = QMenu(owner)

    def offer(words: str, key: str, action: str) -> None:
        menu.addAction(f"{words}\t{key}").triggered.connect(lambda _=False: bridge.act(action, **place))

    offer("Send the camera there", framing.letter, "framing.restore")
    menu.addSeparator()
    menu.addAction("Rename\tN").triggered.connect(lambda _=False: rename())
    offer("Unlock" if framing.protected else "Lock", "P", "framing.protect")
    offer("Take a new picture of it", "B", "framing.retake")
    offer("Remove", "Del", "framing.remove")
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)
    return menu
