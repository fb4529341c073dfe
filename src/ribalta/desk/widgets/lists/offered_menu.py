"""The context menu of things that are selected: the page's buttons with the same words, and copy and paste."""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from ribalta.desk.widgets.lists.several import Several


def open_offered(
    owner: QWidget,
    at: QPoint,
    buttons: Sequence[QPushButton],
    keys: Mapping[str, QPushButton],
    several: Several | None,
    selected: Sequence[str],
) -> QMenu:
    """`keys` says which key presses which button; `selected` are the keys of the rows that are."""
    menu = QMenu(owner)
    if several is not None and len(selected) > 1:
        menu.addAction(f"Remove {several.named(len(selected))}\tDel", lambda: several.remove_all(selected))
    names = {id(made): key for key, made in keys.items()}
    for made in buttons:
        key = names.get(id(made), "")
        action = menu.addAction(f"{made.text()}\t{key}" if key else made.text())
        action.setEnabled(made.isEnabled())
        action.triggered.connect(lambda _=False, made=made: made.click())
    if several is not None and several.copy is not None:
        menu.addSeparator()
        menu.addAction("Copy\tCtrl+C", lambda: several.copy_all(selected)).setEnabled(bool(selected))
        menu.addAction("Paste\tCtrl+V", several.paste_all)
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)
    return menu
