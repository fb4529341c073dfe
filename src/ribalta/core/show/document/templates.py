"""Templates of titles: SVG drawings of 1280x720 whose texts have names.

A text with `data-field="name"` is a field: its words are replaced. `data-wide` says how wide it may become, in units
of the drawing; longer words are made smaller, down to SMALLEST. A text with `data-clock="down"` shows a countdown.
Drawings are not trusted: their size is bounded, and nothing in them is fetched from anywhere.
"""

import base64
import functools
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from xml.etree.ElementTree import Element, tostring

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from ribalta.core.base.faults import LocalFault
from ribalta.core.picture.reading import is_sane

FOLDER = Path(__file__).parent / "drawings"
CARD = "holding card"
SMALLEST = 0.6
LARGEST_BYTES, MOST_PARTS = 2 * 1024 * 1024, 4000
SVG = "{http://www.w3.org/2000/svg}"
REFUSED = ("script", "foreignObject", "iframe", "video", "audio", "animate", "set", "animateTransform", "handler")
HREF = ("href", "{http://www.w3.org/1999/xlink}href")
NUMBER = re.compile(r"^\s*([0-9]*\.?[0-9]+)")
EXPECTED = (ParseError, DefusedXmlException, ValueError, RecursionError)


@dataclass(frozen=True)
class Field:
    """A text that can be filled in. `wide` is None when it may be as long as it likes; `size`, `weight`: its type.
    `x`, `y`: where it stands, at its `anchor` ("start", "middle" or "end") and its base line, in units of the drawing.
    """

    name: str
    text: str
    wide: float | None
    family: str
    size: float
    weight: int
    x: float = 0.0
    y: float = 0.0
    anchor: str = "start"


class Template:
    """Raises LocalFault with what is wrong with a drawing."""

    def __init__(self, data: bytes, whose: str) -> None:
        if len(data) > LARGEST_BYTES:
            raise LocalFault(f"{whose} is too large for a title: {len(data) // 1024} KiB, at most 2048.")
        try:
            self._root: Element = fromstring(data.decode("utf-8"))
        except EXPECTED:
            raise LocalFault(f"{whose} is damaged, or not an SVG drawing. Export it again as plain SVG.") from None
        if self._root.tag != f"{SVG}svg":
            raise LocalFault(f"{whose} is not an SVG drawing.")
        parts = sum(1 for _ in self._root.iter())
        if parts > MOST_PARTS:
            raise LocalFault(f"{whose} has {parts} parts; a title may have {MOST_PARTS}. Simplify it.")
        self._strip()
        self._fields = {e.get("data-field", ""): e for e in self._root.iter() if e.get("data-field")}
        self.counts_down = any(e.get("data-clock") == "down" for e in self._root.iter())

    @property
    def fields(self) -> tuple[Field, ...]:
        """In the order of the drawing."""
        return tuple(self._field(name, element) for name, element in self._fields.items())

    def filled(self, values: Mapping[str, str], sizes: Mapping[str, float], clock: str = "") -> bytes:
        """The drawing with its fields filled in. `sizes` are shares of a field's own size; missing ones are 1."""
        kept: list[tuple[Element, str | None, str | None]] = []
        for name, element in self._fields.items():
            kept.append((element, element.text, element.get("font-size")))
            for child in list(element):
                element.remove(child)
            element.text = _printable(values.get(name, element.text or ""))
            if name in sizes:
                element.set("font-size", f"{self._field(name, element).size * sizes[name]:.2f}")
        for element in self._root.iter():
            if element.get("data-clock") == "down" and clock:
                element.text = clock
        data = _as_it_is_usual(tostring(self._root, "utf-8"))
        for element, text, size in kept:
            element.text = text
            if size is not None:
                element.set("font-size", size)
        return bytes(data)

    @staticmethod
    def _field(name: str, element: Element) -> Field:
        wide = element.get("data-wide")
        family = (element.get("font-family") or "Fira Sans").split(",")[0].strip(" '\"")
        weight = element.get("font-weight") or "400"
        return Field(
            name,
            "".join(element.itertext()).strip(),
            _number(wide, 0.0) or None,
            family,
            _number(element.get("font-size"), 32.0),
            int(weight) if weight.isdigit() else 700 if weight == "bold" else 400,
            _number(element.get("x"), 0.0),
            _number(element.get("y"), 0.0),
            element.get("text-anchor") or "start",
        )

    def _strip(self) -> None:
        """Nothing is fetched, and no file is reached: pictures have to be in the drawing itself, as JPEG or PNG, and
        there are no scripts, foreign parts or rules of style that could name an address."""
        for parent in list(self._root.iter()):
            for child in list(parent):
                name = str(child.tag).rpartition("}")[2]
                outside = any(not _is_own(name, child.get(a)) for a in HREF)
                if name in REFUSED or (name == "style" and _reaches(child.text or "")) or outside:
                    parent.remove(child)
        for element in self._root.iter():
            for attribute, value in list(element.attrib.items()):
                if _reaches(value) or attribute.rpartition("}")[2].lower().startswith("on"):
                    del element.attrib[attribute]


def _as_it_is_usual(data: bytes) -> bytes:
    """With the usual name for links, which is all that some who draw know."""
    found = re.search(rb'xmlns:(ns\d+)="http://www\.w3\.org/1999/xlink"', data)
    if found is None:
        return data
    name = found.group(1)
    data = data.replace(b"xmlns:" + name + b"=", b"xmlns:xlink=")
    return data.replace(b" " + name + b":href=", b" xlink:href=")


def _is_own(name: str, href: str | None) -> bool:
    """Does a reference lead to a part of the same drawing, or hold its picture?"""
    if href is None or href.startswith("#"):
        return True
    if name != "image" or not href.startswith(("data:image/png;base64,", "data:image/jpeg;base64,")):
        return False
    try:
        return is_sane(base64.b64decode("".join(href.partition(",")[2].split()), validate=True))
    except ValueError:
        return False


def _reaches(text: str) -> bool:
    """Could it name an address? Only parts of the same drawing may be named."""
    plain = "".join(text.split()).lower().replace("\\", "")
    return "@import" in plain or any(not part.lstrip("'\"").startswith("#") for part in plain.split("url(")[1:])


def _number(text: str | None, otherwise: float) -> float:
    found = NUMBER.match(text or "")
    return float(found.group(1)) if found else otherwise


def _printable(text: str) -> str:
    """Without what XML cannot hold."""
    return "".join(c for c in text if c >= " " or c == "\t")


@functools.cache
def shipped(name: str) -> Template:
    """One of Ribalta's own. Raises KeyError when there is none of that name."""
    path = FOLDER / f"{name}.svg"
    if name not in shipped_names():
        raise KeyError(name)
    return Template(path.read_bytes(), f"The drawing “{name}”")


@functools.cache
def shipped_names() -> tuple[str, ...]:
    """The names of templates that come with the application, sorted."""
    return tuple(sorted(p.stem for p in FOLDER.glob("*.svg")))


def countdown_words(left_s: float) -> str:
    """Minutes and seconds that are left, "0:00" when it is over; the second that is running counts as whole."""
    whole = max(0, -int(-left_s // 1))
    hours, rest = divmod(whole, 3600)
    return f"{hours}:{rest // 60:02d}:{rest % 60:02d}" if hours else f"{rest // 60}:{rest % 60:02d}"
