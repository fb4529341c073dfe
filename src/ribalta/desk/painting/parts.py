"""Widgets that paint several things to press: each says itself to a person who cannot see it."""

from dataclasses import dataclass
from typing import Protocol, cast

from PySide6.QtCore import QObject, QPoint, QRect, QRectF
from PySide6.QtGui import QAccessible, QAccessibleInterface, QWindow
from PySide6.QtWidgets import QAccessibleWidget, QWidget


@dataclass(frozen=True)
class Part:
    """Something painted: where, what it is called, how it is."""

    area: QRectF
    name: str
    value: str = ""


class HasParts(Protocol):
    def accessible_parts(self) -> list[Part]: ...


class _PartInterface(QAccessibleInterface):
    def __init__(self, widget: QWidget, at: int) -> None:
        super().__init__()
        self.widget, self.at = widget, at

    def _part(self) -> Part | None:
        parts = cast(HasParts, self.widget).accessible_parts()
        return parts[self.at] if self.at < len(parts) else None

    def isValid(self) -> bool:
        return self._part() is not None

    def object(self) -> QObject:
        return None  # type: ignore[return-value]

    def window(self) -> QWindow:
        return self.widget.window().windowHandle()

    def childAt(self, x: int, y: int) -> QAccessibleInterface:
        return None  # type: ignore[return-value]

    def parent(self) -> QAccessibleInterface:
        return QAccessible.queryAccessibleInterface(self.widget)

    def child(self, index: int) -> QAccessibleInterface:
        return None  # type: ignore[return-value]

    def childCount(self) -> int:
        return 0

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return -1

    def text(self, what: QAccessible.Text) -> str:
        part = self._part()
        if part is None:
            return ""
        return {QAccessible.Text.Name: part.name, QAccessible.Text.Value: part.value}.get(what, "")

    def setText(self, what: QAccessible.Text, text: str) -> None:
        """Nothing of it can be typed."""

    def rect(self) -> QRect:
        part = self._part()
        if part is None:
            return QRect()
        area = part.area.toAlignedRect()
        return QRect(self.widget.mapToGlobal(area.topLeft()), area.size())

    def role(self) -> QAccessible.Role:
        return QAccessible.Role.Button

    def state(self) -> QAccessible.State:
        return QAccessible.State()


class _PartsInterface(QAccessibleWidget):
    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget, QAccessible.Role.Grouping, widget.accessibleName())
        self._of = widget
        self._children: dict[int, _PartInterface] = {}

    def childCount(self) -> int:
        return len(cast(HasParts, self._of).accessible_parts())

    def child(self, index: int) -> QAccessibleInterface:
        if index not in self._children:
            made = self._children[index] = _PartInterface(self._of, index)
            QAccessible.registerAccessibleInterface(made)
        return self._children[index]

    def childAt(self, x: int, y: int) -> QAccessibleInterface:
        at = self._of.mapFromGlobal(QPoint(x, y)).toPointF()
        found = next(
            (k for k, p in enumerate(cast(HasParts, self._of).accessible_parts()) if p.area.contains(at)), None
        )
        return self.child(found) if found is not None else None  # type: ignore[return-value]

    def indexOfChild(self, child: QAccessibleInterface) -> int:
        return child.at if isinstance(child, _PartInterface) else -1


_made: dict[int, _PartsInterface] = {}  # Qt does not keep what Python made


def _interface(key: str, thing: QObject) -> QAccessibleInterface | None:
    if not isinstance(thing, QWidget) or not callable(getattr(thing, "accessible_parts", None)):
        return None
    made = _made[id(thing)] = _PartsInterface(thing)
    mine = id(thing)
    thing.destroyed.connect(lambda _=None: _made.pop(mine, None))
    return made


def say_parts() -> None:
    """From now on, for the whole application."""
    QAccessible.installFactory(_interface)
