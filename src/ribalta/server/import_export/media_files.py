"""Bringing pictures, clips and slides into a show: files become what the show keeps. Everything is bounded."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.files.storage import LARGEST_PICTURE
from ribalta.media.library.clip_poster import clip_poster
from ribalta.media.library.drawing_process import DrawingProcess
from ribalta.server.import_export.names import name_of

STILLS, CLIPS = (".png", ".jpg", ".jpeg", ".svg"), (".mp4", ".mkv", ".mov", ".webm", ".avi", ".mpg", ".ts")
MOST_SLIDES, SLIDE_WIDE = 200, 1280
SIZE = (1280, 720)


@dataclass(frozen=True)
class ImportedMedium:
    """Arguments for `medium.bring`, and the files that the show is to keep."""

    name: str
    kind: str
    files: dict[str, bytes] = field(default_factory=dict)
    path: str = ""

    @property
    def arguments(self) -> dict[str, object]:
        return {"name": self.name[:80], "kind": self.kind, "files": list(self.files), "path": self.path}


def bring(path: Path) -> ImportedMedium:
    """A picture, a clip, a PDF or a folder of pictures. Raises LocalFault with what is wrong with it."""
    suffix = path.suffix.lower()
    name = path.stem or path.name
    if path.is_dir():
        found = sorted(p for p in path.iterdir() if p.suffix.lower() in STILLS)
        if not found:
            raise LocalFault(f"The folder {path.name} has no pictures (PNG, JPEG or SVG).")
        return ImportedMedium(path.name, "deck", _files(found[:MOST_SLIDES]))
    if suffix in STILLS:
        return ImportedMedium(name, "still", _files([path]))
    if suffix in CLIPS:
        if not path.exists():
            raise LocalFault(f"{path.name} is not there.")
        poster = clip_poster(str(path))
        files = {name_of("m", poster, ".jpg"): poster} if poster is not None else {}
        return ImportedMedium(name, "clip", files, str(path.resolve()))
    if suffix == ".pdf":
        return ImportedMedium(name, "deck", _pages(path))
    kinds = "a picture (PNG, JPEG, SVG), a video, a PDF or a folder of pictures"
    raise LocalFault(f"{path.name} is not {kinds}.")


def _files(paths: Sequence[Path]) -> dict[str, bytes]:
    """In order; each is tried, so that nothing broken gets into a show."""
    drawing = DrawingProcess()
    try:
        return {name: data for path in paths for name, data in [_file(path, drawing)]}
    finally:
        drawing.close()


def _file(path: Path, drawing: DrawingProcess) -> tuple[str, bytes]:
    """Under what name it is kept. Raises LocalFault."""
    try:
        if path.stat().st_size > LARGEST_PICTURE:
            raise LocalFault(f"{path.name} is too large: {LARGEST_PICTURE // 1024 // 1024} MiB at most.")
        data = path.read_bytes()
        drawing.still(data, SIZE)
    except OSError as error:
        raise LocalFault(f"{path.name} cannot be read: {error.strerror or error}.") from None
    except LocalFault as fault:
        raise LocalFault(f"{path.name}: {fault}") from None
    return name_of("m", data, path.suffix.lower()), data


def _pages(path: Path) -> dict[str, bytes]:
    """A PDF's pages as pictures."""
    import pypdfium2  # when a first one comes

    try:
        document = pypdfium2.PdfDocument(path)
    except (pypdfium2.PdfiumError, OSError):
        raise LocalFault(f"{path.name} is damaged, protected, or not a PDF.") from None
    files: dict[str, bytes] = {}
    try:
        for k in range(min(len(document), MOST_SLIDES)):
            page = document[k]
            wide = max(1.0, page.get_width())
            tall = max(1.0, page.get_height())
            scale = min(SLIDE_WIDE / wide, 4000 / tall)
            picture = page.render(scale=scale).to_numpy()
            data = cv2.imencode(".jpg", picture[..., :3], [cv2.IMWRITE_JPEG_QUALITY, 88])[1].tobytes()
            files[f"s{k + 1:03d}-{name_of('m', data, '.jpg')}"] = data
    except pypdfium2.PdfiumError:
        raise LocalFault(f"{path.name} is damaged: page {len(files) + 1} cannot be drawn.") from None
    finally:
        document.close()
    if not files:
        raise LocalFault(f"{path.name} has no pages.")
    return files
