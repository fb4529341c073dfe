"""What is handed over on paper: the report, and the contact sheet of framings."""

import os
from pathlib import Path

from ribalta.core.engine.state.live import opening_state
from ribalta.core.handover.evening import Evening
from ribalta.core.handover.landings import Landings
from ribalta.core.show.files.storage import StoredShow


def write_papers(
    folder: Path, stored: StoredShow, evening: Evening, landings: Landings, utc_offset_s: float
) -> list[Path]:
    """What was written. Raises LocalFault."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtGui import QGuiApplication

    from ribalta.desk.frame.sheet import write_sheet
    from ribalta.desk.painting.look import load_fonts
    from ribalta.desk.wrap.report_paper import write_report

    app = QGuiApplication.instance() or QGuiApplication([])
    load_fonts()
    names = {camera.number: camera.name for camera in stored.show.cameras}
    report = folder / "report.pdf"
    write_report(report, evening, landings, names, utc_offset_s)
    made = [report]
    if stored.show.framings:
        sheet = folder / "contact sheet.pdf"
        write_sheet(sheet, opening_state(stored.show), stored.pictures.get)
        made.append(sheet)
    del app
    return made
