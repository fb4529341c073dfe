"""Asking for a file: beside the window and not before it, so that nothing waits for the answer."""

from collections.abc import Callable
from pathlib import Path
from typing import TypeAlias

from PySide6.QtCore import QMimeDatabase
from PySide6.QtWidgets import QFileDialog, QWidget

from ribalta.desk.bridge import Bridge

Mode: TypeAlias = QFileDialog.FileMode
Accept: TypeAlias = QFileDialog.AcceptMode


def _ask(parent: QWidget, title: str, kinds: str, start: Path, mode: Mode, accept: Accept) -> QFileDialog:
    dialog = QFileDialog(parent.window(), title, str(start), kinds)
    dialog.setFileMode(mode)
    dialog.setAcceptMode(accept)
    dialog.setModal(False)
    dialog.finished.connect(dialog.deleteLater)
    return dialog


def ask_to_open(bridge: Bridge, parent: QWidget, title: str, kinds: str, then: Callable[[Path], None]) -> None:
    """`then` gets a file that is there, if one is chosen. `kinds` as in "Tables (*.csv)"."""
    ask_to_open_several(bridge, parent, title, kinds, lambda paths: then(paths[0]), Mode.ExistingFile)


def ask_to_open_several(
    bridge: Bridge,
    parent: QWidget,
    title: str,
    kinds: str,
    then: Callable[[list[Path]], None],
    mode: Mode = Mode.ExistingFiles,
) -> None:
    """`then` gets all that are chosen, one at least."""
    dialog = _ask(parent, title, kinds, bridge.folder, mode, Accept.AcceptOpen)

    def chosen(names: list[str]) -> None:
        if names:
            bridge.folder = Path(names[0]).parent
            then([Path(name) for name in names])

    dialog.filesSelected.connect(chosen)
    dialog.show()


def ask_to_save(
    bridge: Bridge, parent: QWidget, title: str, name: str, kinds: str, then: Callable[[Path], None]
) -> None:
    """`then` gets where something is to be written; `name` is offered, and its ending is added to one without."""
    dialog = _ask(parent, title, kinds, bridge.folder, Mode.AnyFile, Accept.AcceptSave)
    dialog.setDefaultSuffix(QMimeDatabase().suffixForFileName(name) or Path(name).suffix.lstrip("."))
    dialog.selectFile(name.replace("/", "-"))

    def chosen(path: str) -> None:
        bridge.folder = Path(path).parent
        then(Path(path))

    dialog.fileSelected.connect(chosen)
    dialog.show()


def ask_for_folder(parent: QWidget, title: str, start: Path, then: Callable[[Path], None]) -> None:
    dialog = _ask(parent, title, "", start, Mode.Directory, Accept.AcceptOpen)
    dialog.setOption(QFileDialog.Option.ShowDirsOnly)
    dialog.fileSelected.connect(lambda path: then(Path(path)))
    dialog.show()
