"""Items of the show on their way from one place of the desk to another, by drag and drop.

What is dragged is text, as anything may be let go here: a JSON list of items as they are in a show.
"""

from collections.abc import Collection, Sequence

from pydantic import TypeAdapter, ValidationError
from PySide6.QtCore import QByteArray, QMimeData

from ribalta.core.show.automation.calls import Item, Kind, find
from ribalta.core.show.document.model import Show

TYPE = "application/x-ribalta-items"
LARGEST, MOST = 256 * 1024, 500
_ITEMS = TypeAdapter(tuple[Item, ...])


def carried(items: Sequence[Item]) -> QMimeData:
    """What a drag takes along."""
    made = QMimeData()
    made.setData(TYPE, QByteArray(_ITEMS.dump_json(tuple(items))))
    made.setText(", ".join(item.called for item in items))
    return made


def items_in(mime: QMimeData, show: Show, kinds: Collection[Kind]) -> tuple[Item, ...]:
    """The items that are carried, if they are of these kinds and of this show; none when it is anything else."""
    if not mime.hasFormat(TYPE):
        return ()
    data = bytes(mime.data(TYPE).data())
    if len(data) > LARGEST:
        return ()
    try:
        items = _ITEMS.validate_json(data)
    except ValidationError:
        return ()
    return tuple(item for item in items[:MOST] if item.kind in kinds and find(show, item) is not None)
