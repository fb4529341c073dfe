"""Pages on paper: a PDF on A4 that is made whole and then written. No widgets: it may be on any thread."""

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF
from PySide6.QtGui import QPageLayout, QPageSize, QPdfWriter

from ribalta.core.base.faults import LocalFault

DOTS = 150  # an inch


class Paper:
    """`writer` is what is painted on; `margin_mm` stay white all around."""

    def __init__(self, title: str, margin_mm: float) -> None:
        self._buffer = QBuffer()
        self._buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        self.writer = QPdfWriter(self._buffer)
        self.writer.setResolution(DOTS)
        margins = QMarginsF(margin_mm, margin_mm, margin_mm, margin_mm)
        a4 = QPageSize(QPageSize.PageSizeId.A4)
        self.writer.setPageLayout(QPageLayout(a4, QPageLayout.Orientation.Portrait, margins))
        self.writer.setTitle(title)
        self.writer.setCreator("Ribalta")

    def keep(self, path: Path, what: str) -> None:
        """Write it, when its painter has ended; `what` is it in a sentence, as "The report". Raises LocalFault."""
        try:
            path.write_bytes(self._buffer.data().data())
        except OSError as error:
            raise LocalFault(f"{what} cannot be written to {path}: {error.strerror or error}.") from None
