"""What hands do with a mouse: drag inside a widget, and let go what was dragged from somewhere else."""

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from ribalta.core.show.automation.calls import Item, Kind, named, part_of
from ribalta.core.show.document.model import Show
from ribalta.desk.widgets.lists.item_drag import carried

LEFT = Qt.MouseButton.LeftButton
KINDS = (Kind.FRAMING, Kind.SCENE, Kind.MEDIUM, Kind.MACRO, Kind.PLAYLIST, Kind.CAMERA, Kind.TITLE)


def items_of(show: Show, *ids: str) -> list[Item]:
    """What has these ids, of whatever kind."""
    return [named(show, next(k for k in KINDS if part_of(show, k, found) is not None), found) for found in ids]


def drop(target: QWidget, items: list[Item], at: QPoint) -> bool:
    """Let items go over a widget, as Qt does; whether they were taken."""
    mime = carried(items)
    buttons, keys = LEFT, Qt.KeyboardModifier.NoModifier
    enters = QDragEnterEvent(at, Qt.DropAction.CopyAction, mime, buttons, keys)
    QApplication.sendEvent(target, enters)
    if not enters.isAccepted():
        return False
    QApplication.sendEvent(target, QDragMoveEvent(at, Qt.DropAction.CopyAction, mime, buttons, keys))
    target.grab()  # what is painted meanwhile
    drops = QDropEvent(QPointF(at), Qt.DropAction.CopyAction, mime, buttons, keys)
    QApplication.sendEvent(target, drops)
    return drops.isAccepted()


def drag(widget: QWidget, start: QPoint, to: QPoint) -> None:
    """Press, move there and let go."""
    QTest.mousePress(widget, LEFT, Qt.KeyboardModifier.NoModifier, start)
    for share in (0.3, 0.7, 1.0):
        QTest.mouseMove(widget, start + (to - start) * share)
    widget.grab()
    QTest.mouseRelease(widget, LEFT, Qt.KeyboardModifier.NoModifier, to)
