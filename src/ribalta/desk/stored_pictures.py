"""The pictures of framings and scenes decoded at the sizes that are shown, and kept while there is room."""

from collections import OrderedDict
from collections.abc import Callable

from PySide6.QtCore import QBuffer, QByteArray, QIODeviceBase, QSize, Qt
from PySide6.QtGui import QImageReader, QPixmap

from ribalta.core.picture.reading import is_sane, kind_of

MOST = 800
Key = tuple[str, int, int]


class StoredPictures:
    """Of one window. `data` gives what is stored under a name."""

    def __init__(self, data: Callable[[str], bytes | None]) -> None:
        self._data = data
        self._made: OrderedDict[Key, QPixmap] = OrderedDict()
        self._wanted: OrderedDict[Key, None] = OrderedDict()

    def now(self, name: str | None, width: int, height: int) -> QPixmap | None:
        """Filling a size, made at once; None when there is none, or it is damaged."""
        if name is None:
            return None
        key = (name, width, height)
        if key not in self._made:
            self._wanted.pop(key, None)
            made = self._decoded(*key)
            if made is None:
                return None
            self._made[key] = made
            if len(self._made) > MOST:
                self._made.popitem(last=False)
        self._made.move_to_end(key)
        return self._made[key]

    def soon(self, name: str | None, width: int, height: int) -> QPixmap | None:
        """The same if it is made already; else it is made when there is time (`make_one`): what is waited for, and so
        asked for again, comes first."""
        if name is None:
            return None
        key = (name, width, height)
        if key in self._made:
            return self.now(*key)
        if key in self._wanted:
            self._wanted.move_to_end(key, last=False)
        elif len(self._wanted) < MOST:
            self._wanted[key] = None
        return None

    def make_one(self) -> bool:
        """Was there something to make? Whoever asked for it may ask again."""
        while self._wanted:
            key, _ = self._wanted.popitem(last=False)
            if self.now(*key) is not None:
                return True
        return False

    def _decoded(self, name: str, width: int, height: int) -> QPixmap | None:
        data = self._data(name)
        if data is None or not is_sane(data):
            return None
        held = QByteArray(data)
        buffer = QBuffer(held)
        buffer.open(QIODeviceBase.OpenModeFlag.ReadOnly)
        reader = QImageReader(buffer, QByteArray((kind_of(data) or "").encode()))
        reader.setScaledSize(reader.size().scaled(QSize(width, height), Qt.AspectRatioMode.KeepAspectRatioByExpanding))
        image = reader.read()
        return None if image.isNull() else QPixmap.fromImage(image)
