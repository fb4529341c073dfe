"""What a desktop needs to know of Ribalta, as a tree like /usr/share: `python scripts/share.py FOLDER`.

Icons in the usual sizes from the one drawing, the desktop entry, the MIME type and its thumbnailer, AppStream metadata,
completion and man pages from the command line's own arguments, and the notices of what is installed with it.
"""

import gzip
import os
import shutil
import sys
from importlib import metadata
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import shtab
from build_manpages.manpage import Manpage
from packaging.requirements import Requirement
from PySide6.QtGui import QGuiApplication, QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

from ribalta.app.cli import argument_parser

ROOT = Path(__file__).resolve().parent.parent
DRAWING = ROOT / "src/ribalta/desk/icons/ribalta.svg"
SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
STATIC = {
    "ribalta.desktop": "applications",
    "ribalta.xml": "mime/packages",
    "ribalta.thumbnailer": "thumbnailers",
    "example.ribalta.Ribalta.metainfo.xml": "metainfo",
}
NAMES = {"apps": "ribalta", "mimetypes": "application-x-ribalta"}
LICENCES = ("LICEN", "COPYING", "NOTICE", "AUTHORS")


def icons(share: Path) -> None:
    """The drawing itself, and a picture of each size."""
    application = QGuiApplication.instance() or QGuiApplication([])
    renderer = QSvgRenderer(str(DRAWING))
    for kind, name in NAMES.items():
        scalable = share / "icons/hicolor/scalable" / kind
        scalable.mkdir(parents=True, exist_ok=True)
        shutil.copy(DRAWING, scalable / f"{name}.svg")
        for size in SIZES:
            folder = share / f"icons/hicolor/{size}x{size}" / kind
            folder.mkdir(parents=True, exist_ok=True)
            image = QImage(size, size, QImage.Format.Format_ARGB32)
            image.fill(0)
            painter = QPainter(image)
            renderer.render(painter)
            painter.end()
            image.save(str(folder / f"{name}.png"))
    del application


def from_arguments(share: Path) -> None:
    """Completion for three shells, and the man page."""
    parser = argument_parser()
    for shell, where in (
        ("bash", "bash-completion/completions/ribalta"),
        ("zsh", "zsh/site-functions/_ribalta"),
        ("tcsh", "ribalta/completion.tcsh"),
    ):
        path = share / where
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(shtab.complete(parser, shell))
    parser.man_short_description = "a desk for a live director"
    page = share / "man/man1/ribalta.1.gz"
    page.parent.mkdir(parents=True, exist_ok=True)
    page.write_bytes(gzip.compress(str(Manpage(parser)).encode(), mtime=0))


def needed(name: str, found: dict[str, metadata.Distribution]) -> dict[str, metadata.Distribution]:
    """A package and all that it needs to run, by name, as installed here."""
    try:
        there = metadata.distribution(name)
    except metadata.PackageNotFoundError:
        return found
    key = there.metadata["Name"].lower()
    if key not in found:
        found[key] = there
        for line in there.requires or ():
            wanted = Requirement(line)
            if wanted.marker is None or wanted.marker.evaluate({"extra": ""}):
                needed(wanted.name, found)
    return found


def notices() -> str:
    """What is installed with Ribalta: name, version, licence, and the text of each licence that comes with it."""
    parts = ["What comes with Ribalta, and under which licence. Fonts have theirs beside them.\n"]
    for name, there in sorted(needed("ribalta", {}).items()):
        if name == "ribalta":
            continue
        info = there.metadata
        classified = [c.split(" :: ")[-1] for c in info.get_all("Classifier") or () if c.startswith("License ::")]
        licence = info.get("License-Expression") or ", ".join(classified) or (info.get("License") or "see below")[:80]
        parts.append(f"{'=' * 100}\n{info['Name']} {there.version}: {licence.splitlines()[0]}\n")
        for file in there.files or ():
            if file.name.upper().startswith(LICENCES) and ".dist-info" in str(file):
                text = Path(str(there.locate_file(file))).read_text(errors="replace").strip()
                parts.append(f"--- {file.name}\n{text}\n")
    return "\n".join(parts)


def main(folder: Path) -> None:
    """Write the whole tree; what is in it already is written anew."""
    for name, where in STATIC.items():
        (folder / where).mkdir(parents=True, exist_ok=True)
        shutil.copy(ROOT / "packaging" / name, folder / where / name)
    icons(folder)
    from_arguments(folder)
    papers = folder / "doc/ribalta"
    papers.mkdir(parents=True, exist_ok=True)
    (papers / "NOTICES").write_text(notices())
    shutil.copy(ROOT / "LICENSE", papers / "copyright")
    for name in ("README.md", "CHANGELOG.md", "packaging/ribalta@.service"):
        shutil.copy(ROOT / name, papers / Path(name).name)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
