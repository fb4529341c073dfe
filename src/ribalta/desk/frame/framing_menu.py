"""The context menu of a framing in Frame's list, with the keys that do the same."""

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QWidget

from ribalta.core.show.document.model import Framing
from ribalta.desk.bridge import Bridge
from ribalta.desk.frame.framing_copies import of_framings, place_of
from ribalta.desk.input.item_buttons import ItemOffers


def framing_menu(
    owner: QWidget,
    bridge: Bridge,
    framing: Framing,
    selected: list[str],
    rename: Callable[[], None],
    at: QPoint,
    offers: ItemOffers,
) -> QMenu:
    """Opens it, and returns it. `selected`: ids, where several are; `offers` are about this framing."""
    place = place_of(bridge, framing)
    menu = QMenu(owner)
    if len(selected) > 1:
        several = of_framings(bridge)
        menu.addAction(f"Remove {several.named(len(selected))}\tDel", lambda: several.remove_all(selected))
        menu.addAction("Copy\tCtrl+C", lambda: several.copy_all(selected))
        menu.addSeparator()

    def offer(words: str, key: str, action: str) -> None:
        menu.addAction(f"{words}\t{key}").triggered.connect(lambda _=False: bridge.act(action, **place))

    offer("Send the camera there", framing.letter, "framing.restore")
    menu.addSeparator()
    menu.addAction("Rename\tN").triggered.connect(lambda _=False: rename())
    offer("Unlock" if framing.protected else "Lock", "P", "framing.lock")
    offer("Take a new picture of it", "B", "framing.retake")
    menu.addSeparator()
    for words, pressed in offers.offered():
        menu.addAction(words).triggered.connect(lambda _=False, pressed=pressed: pressed())
    menu.addSeparator()
    offer("Remove", "Del", "framing.remove")
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)
    return menu
