"""Floor plans from and to files: an SVG whose named shapes or texts become marks, or a CSV of name,x,y,height,facing.

Nothing in a file is trusted. An SVG's y grows downwards, how many of its units are a metre is asked of the person who
brings it in, and its middle becomes the plan's middle.
"""

import csv
import io
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING
from xml.etree.ElementTree import ParseError
from xml.sax.saxutils import escape, quoteattr

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring as parse_xml

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.model import Camera, Mark

if TYPE_CHECKING:
    from svgelements import SVG

LARGEST = 8 * 1024 * 1024
MOST_MARKS, FURTHEST_M, LONGEST_NAME = 500, 1000.0, 80
COLUMNS = ("name", "x", "y", "height", "facing")
UNITS_PER_M = 100.0
FORBIDDEN = ("script", "foreignObject", "iframe", "image", "use")


@dataclass(frozen=True)
class PlanMark:
    """A mark in a file: metres, and degrees clockwise from the plan's north."""

    name: str
    x_m: float
    y_m: float
    height_m: float = 1.6
    facing_deg: float = 180.0


@dataclass(frozen=True)
class ReadPlan:
    """What a file holds: the good marks, and a sentence for each bad row or shape."""

    marks: tuple[PlanMark, ...]
    left_out: tuple[str, ...] = ()


def read_plan(path: Path, units_per_m: float = UNITS_PER_M) -> ReadPlan:
    """`units_per_m` (above 0) is an SVG's scale. Raises LocalFault when the file as a whole is of no use."""
    try:
        if path.stat().st_size > LARGEST:
            raise LocalFault(f"The plan {path.name} is too large: {LARGEST // 2**20} MB at most.")
        data = path.read_bytes()
    except OSError as error:
        raise LocalFault(f"The plan {path.name} cannot be read: {error.strerror or error}.") from None
    plan = _read_csv(data, path.name) if path.suffix.lower() == ".csv" else _read_svg(data, path.name, units_per_m)
    if not plan.marks:
        why = f" {plan.left_out[0]}" if plan.left_out else ""
        raise LocalFault(f"The plan {path.name} has no marks that can be used.{why}")
    return plan


def _read_csv(data: bytes, name: str) -> ReadPlan:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise LocalFault(f"The plan {name} is not text in UTF-8.") from None
    marks: list[PlanMark] = []
    left_out: list[str] = []
    try:
        rows = list(csv.reader(io.StringIO(text)))
    except csv.Error as error:
        raise LocalFault(f"The plan {name} is not a CSV file: {error}.") from None
    for k, row in enumerate(rows, 1):
        cells = [cell.strip() for cell in row]
        if not any(cells) or (k == 1 and [c.lower() for c in cells[:3]] == list(COLUMNS[:3])):
            continue
        try:
            marks.append(_row(cells))
        except ValueError as error:
            left_out.append(f"Row {k}: {error}.")
    return _distinct(marks, left_out)


def _row(cells: Sequence[str]) -> PlanMark:
    if not 3 <= len(cells) <= 5:
        raise ValueError(f"{len(cells)} values instead of name, x, y and perhaps height and facing")
    numbers = []
    for column, cell in zip(COLUMNS[1:], cells[1:], strict=False):
        try:
            numbers.append(float(cell))
        except ValueError:
            raise ValueError(f"{column} “{cell[:40]}” is not a number") from None
    return _checked(PlanMark(cells[0], *numbers))


def _checked(mark: PlanMark) -> PlanMark:
    """The mark, if it can be. Raises ValueError."""
    if not 0 < len(mark.name) <= LONGEST_NAME:
        raise ValueError(f"a name has 1 to {LONGEST_NAME} letters, not {len(mark.name)}")
    for what, value in (("x", mark.x_m), ("y", mark.y_m)):
        if not math.isfinite(value) or abs(value) > FURTHEST_M:
            raise ValueError(f"{what} of “{mark.name}” is {value:g} m: a plan reaches {FURTHEST_M:g} m each way")
    if not math.isfinite(mark.height_m) or not 0 <= mark.height_m <= 100:
        raise ValueError(f"height of “{mark.name}” is {mark.height_m:g} m, outside 0 to 100")
    if not math.isfinite(mark.facing_deg) or abs(mark.facing_deg) > 360:
        raise ValueError(f"facing of “{mark.name}” is {mark.facing_deg:g}°, outside -360 to 360")
    return mark


def _distinct(marks: list[PlanMark], left_out: list[str]) -> ReadPlan:
    kept: dict[str, PlanMark] = {}
    for mark in marks:
        if mark.name in kept:
            left_out.append(f"“{mark.name}” is there twice: the first one counts.")
        elif len(kept) >= MOST_MARKS:
            left_out.append(f"“{mark.name}” is one too many: a plan holds {MOST_MARKS} marks.")
        else:
            kept[mark.name] = mark
    return ReadPlan(tuple(kept.values()), tuple(left_out))


def _read_svg(data: bytes, name: str, units_per_m: float) -> ReadPlan:
    from svgelements import SVG  # when a first one comes

    try:
        root = parse_xml(data, forbid_dtd=True)
        if not str(root.tag).endswith("svg"):
            raise LocalFault(f"The plan {name} is not an SVG drawing.")
        active = {str(e.tag).rpartition("}")[2] for e in root.iter()} & set(FORBIDDEN)
        if active:
            raise LocalFault(f"The plan {name} holds {', '.join(sorted(active))}: draw it with plain shapes and texts.")
        drawing = SVG.parse(io.BytesIO(data), reify=False)
        places = list(_named(drawing))
    except (DefusedXmlException, ParseError) as error:
        raise LocalFault(f"The plan {name} cannot be read as SVG: {type(error).__name__}.") from None
    except (ValueError, TypeError, KeyError, IndexError, AttributeError, ArithmeticError, RecursionError) as error:
        raise LocalFault(f"The plan {name} is damaged: {str(error)[:80] or type(error).__name__}.") from None
    view = drawing.viewbox
    middle = (view.x + view.width / 2, view.y + view.height / 2) if view is not None and view.width else (0.0, 0.0)
    marks: list[PlanMark] = []
    left_out: list[str] = []
    for label, x, y, facing in places:
        try:
            east, north = (x - middle[0]) / units_per_m, -(y - middle[1]) / units_per_m
            marks.append(_checked(PlanMark(label, round(east, 3), round(north, 3), 1.6, facing)))
        except ValueError as error:
            left_out.append(f"{error}.")
    return _distinct(marks, left_out)


def _named(drawing: "SVG") -> Iterator[tuple[str, float, float, float]]:
    """Name, middle (in the drawing's own units) and facing of every text, and of every shape with an id of its own."""
    from svgelements import Matrix, Shape, Text

    to_own_units = ~Matrix(drawing.viewbox_transform)
    for element in drawing.elements():
        values = element.values.get("attributes", {}) if hasattr(element, "values") and element.values else {}
        facing = float(values.get("data-facing", 180.0))
        if isinstance(element, Text) and element.text:
            name, middle = element.text.strip(), element.transform.point_in_matrix_space((element.x, element.y))
        elif isinstance(element, Shape) and values.get("id") and (box := element.bbox()) is not None:
            name, middle = str(values["id"]).replace("_", " "), ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)
        else:
            continue
        x, y = to_own_units.point_in_matrix_space(middle)
        yield name, float(x), float(y), facing


def write_plan(path: Path, marks: Sequence[Mark], cameras: Sequence[Camera]) -> None:
    """The plan as SVG or, by the file's name, CSV (marks only). Raises LocalFault."""
    text = _as_csv(marks) if path.suffix.lower() == ".csv" else _as_svg(marks, cameras)
    try:
        path.write_text(text, encoding="utf-8", newline="")
    except OSError as error:
        raise LocalFault(f"The plan cannot be written to {path}: {error.strerror or error}.") from None


def _as_csv(marks: Sequence[Mark]) -> str:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for m in marks:
        writer.writerow([m.name, f"{m.x_m:g}", f"{m.y_m:g}", f"{m.height_m:g}", f"{m.facing_deg:g}"])
    return out.getvalue()


def _as_svg(marks: Sequence[Mark], cameras: Sequence[Camera]) -> str:
    """In centimetres, the plan's zero in the middle, so that it comes in again where it was."""
    points = [(m.x_m, m.y_m) for m in marks] + [(c.place.x_m, c.place.y_m) for c in cameras]
    half = 100 * math.ceil(max([1.0, *(abs(v) for point in points for v in point)]) + 1)
    rows = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{-half} {-half} {2 * half} {2 * half}"'
        f' width="{2 * half}" height="{2 * half}">'
    ]
    for c in cameras:
        x, y = 100 * c.place.x_m, -100 * c.place.y_m
        rows.append(f'<g fill="none" stroke="black"><title>Camera {c.number} {escape(c.name)}</title>')
        rows.append(f'<circle cx="{x:g}" cy="{y:g}" r="15"/></g>')
    for m in marks:
        x, y = 100 * m.x_m, -100 * m.y_m
        rows.append(f'<text x="{x:g}" y="{y:g}" font-size="20" data-facing={quoteattr(f"{m.facing_deg:g}")}>')
        rows[-1] += f"{escape(m.name)}</text>"
    return "\n".join([*rows, "</svg>", ""])
