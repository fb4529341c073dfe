"""The context menu of a place on the board: the words of what can be done there, with their keys."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QWidget

from ribalta.core.engine.actions.board import BANK
from ribalta.core.show.document.model import LETTERS, ShotSize
from ribalta.desk.air.layout import SCENES, TilePlace
from ribalta.desk.bridge import Bridge

Offer = Callable[..., None]


@dataclass(frozen=True)
class Pointed:
    """A place on the board, with what its menu needs of it. `held`: a framing or scene is there; `scene_number` counts
    where scenes are; `rename` asks for a name."""

    place: TilePlace
    held: bool
    scene_number: int
    rename: Callable[[], None]


def board_menu(board: QWidget, bridge: Bridge, pointed: Pointed, at: QPoint) -> QMenu:
    """Opens it, and returns it."""
    place = pointed.place
    menu = QMenu(board)

    def offer(words: str, action: str, key: str = "", **arguments: object) -> None:
        made = menu.addAction(f"{words}\t{key}" if key else words)
        made.triggered.connect(partial(_act, bridge, action, arguments))

    if place.letter is None:
        _of_head(menu, offer, bridge, place)
    elif pointed.held:
        _of_tile(menu, offer, bridge, pointed)
    else:
        _of_empty(offer, pointed)
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)
    return menu


def _act(bridge: Bridge, action: str, arguments: dict[str, object], _: bool = False) -> None:
    bridge.act(action, **arguments)


def _of_head(menu: QMenu, offer: Offer, bridge: Bridge, place: TilePlace) -> None:
    if place.camera == SCENES:
        offer("Select the scenes", "row.scenes", "0")
        return
    key = str(place.camera) if place.camera <= BANK else ""
    offer("Select", "row.select", key, camera=place.camera)
    offer("Ready as it stands", "ready.camera", f"{key}, {key}" if key else "", camera=place.camera)
    state = bridge.state
    camera = state.show.camera_numbered(place.camera)
    if camera is None or not camera.steered:
        return
    holder = state.guests.holder(camera.id, bridge.now_s)
    if holder is not None:
        offer(f"Take it back from {holder.name}", "camera.take_back", camera=place.camera)
    if state.guests.here:
        asking = menu.addMenu("Ask for")
        for size in ShotSize:
            call = {"camera": place.camera, "size": size}
            asking.addAction(str(size)).triggered.connect(partial(_act, bridge, "shot.ask", call))


def _of_tile(menu: QMenu, offer: Offer, bridge: Bridge, pointed: Pointed) -> None:
    place = pointed.place
    letter = place.letter or ""
    if place.camera == SCENES:
        number = pointed.scene_number
        offer("Ready", "scene.ready", letter, scene=number)
        offer("Put under Then", "scene.ready", f"Alt+{letter}", scene=number, queue=True)
        menu.addSeparator()
        menu.addAction("Rename\tN").triggered.connect(pointed.rename)
        offer("Remove", "scene.remove", "Del", scene=number)
        return
    where = {"camera": place.camera, "letter": letter}
    offer("Ready", "ready.framing", letter, **where)
    offer("Put under Then", "queue.framing", f"Alt+{letter}", **where)
    offer("Move there on air, slowly", "ready.framing", f"Ctrl+Shift+{letter}", **where, live=True)
    state = bridge.state
    camera, slot = state.show.camera_numbered(place.camera), state.desk.page * len(LETTERS) + LETTERS.index(letter)
    framing = state.show.framing_at(camera.id, slot) if camera is not None else None
    if state.guests.here and framing is not None:
        offer("Ask a guest for this", "shot.ask", camera=place.camera, words=framing.name)
    menu.addSeparator()
    menu.addAction("Rename\tN").triggered.connect(pointed.rename)
    offer("Unlock" if framing is not None and framing.protected else "Lock", "framing.lock", "P", **where)
    offer("Remove", "framing.remove", "Del", **where)


def _of_empty(offer: Offer, pointed: Pointed) -> None:
    place = pointed.place
    letter = place.letter or ""
    if place.camera == SCENES:
        offer("Store what is on air here", "scene.store", f"Shift+{letter}", scene=pointed.scene_number)
    else:
        offer("Store the camera here", "framing.store", f"Shift+{letter}", camera=place.camera, letter=letter)
