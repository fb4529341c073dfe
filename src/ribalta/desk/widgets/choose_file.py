"""Asking for a file: beside the window and not before it, so that nothing waits for the answer."""

from collections.abc import Callable
from pathlib import Path
from typing import Protocol, TypeAlias

from PySide6.QtWidgets import QFileDialog, QWidget

Mode: TypeAlias = QFileDialog.FileMode
Accept: TypeAlias = QFileDialog.AcceptMode
ENDING = ".ribalta"
SHOWS = f"Shows (*{ENDING})"


class Asker(Protocol):
    """Who asks: `folder` is where was looked last."""

    folder: Path


def _ask(parent: QWidget, title: str, kinds: str, start: Path, mode: Mode, accept: Accept) -> QFileDialog:
    dialog = QFileDialog(parent.window(), title, str(start), kinds)
    dialog.setFileMode(mode)
    dialog.setAcceptMode(accept)
    dialog.setModal(False)
    dialog.finished.connect(dialog.deleteLater)
    return dialog


def ask_to_open(asker: Asker, parent: QWidget, title: str, kinds: str, then: Callable[[Path], None]) -> None:
    """`then` gets a file that is there, if one is chosen. `kinds` as in "Tables (*.csv)"."""
    ask_to_open_several(asker, parent, title, kinds, lambda paths: then(paths[0]), Mode.ExistingFile)


def ask_to_open_several(
    asker: Asker,
    parent: QWidget,
    title: str,
    kinds: str,
    then: Callable[[list[Path]], None],
    mode: Mode = Mode.ExistingFiles,
) -> None:
    """`then` gets all that are chosen, one at least."""
    dialog = _ask(parent, title, kinds, asker.folder, mode, Accept.AcceptOpen)

    def chosen(names: list[str]) -> None:
        if names:
            asker.folder = Path(names[0]).parent
            then([Path(name) for name in names])

    dialog.filesSelected.connect(chosen)
    dialog.show()


def ask_to_save(asker: Asker, parent: QWidget, title: str, name: str, kinds: str, then: Callable[[Path], None]) -> None:
    """`then` gets where something is to be written; `name` is offered, and its ending is added to one without."""
    dialog = _ask(parent, title, kinds, asker.folder, Mode.AnyFile, Accept.AcceptSave)
    dialog.setDefaultSuffix(Path(name).suffix.lstrip("."))
    dialog.selectFile(name.replace("/", "-"))

    def chosen(path: str) -> None:
        asker.folder = Path(path).parent
        then(Path(path))

    dialog.fileSelected.connect(chosen)
    dialog.show()


def ask_for_folder(parent: QWidget, title: str, start: Path, then: Callable[[Path], None]) -> None:
    dialog = _ask(parent, title, "", start, Mode.Directory, Accept.AcceptOpen)
    dialog.setOption(QFileDialog.Option.ShowDirsOnly)
    dialog.fileSelected.connect(lambda path: then(Path(path)))
    dialog.show()
