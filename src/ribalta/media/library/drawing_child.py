"""The process that draws: it is asked on its standard input and answers on its output until that is closed."""

import sys
from collections.abc import Mapping
from typing import BinaryIO

import msgspec
from PySide6.QtGui import QFontDatabase, QGuiApplication

from ribalta.core.base.faults import LocalFault
from ribalta.core.show.document.templates import Template
from ribalta.fonts import FONTS
from ribalta.media.library import drawings
from ribalta.media.library.drawing_process import LENGTH

Asked = tuple[str, bytes, dict[str, str], str, tuple[int, int]]


def _answer(kind: str, data: bytes, values: Mapping[str, str], clock: str, size: tuple[int, int]) -> object:
    try:
        if kind == "still":
            return drawings.still(data, size).tobytes(), ""
        drawn, said = drawings.whole_title(Template(data, "The drawing"), values, clock, size)
        return (drawn.tobytes() if drawn is not None else None), said
    except LocalFault as fault:
        return None, str(fault)


def _run(asking: BinaryIO, answering: BinaryIO) -> None:
    while len(head := asking.read(LENGTH.size)) == LENGTH.size:
        (length,) = LENGTH.unpack(head)
        body = msgspec.msgpack.encode(_answer(*msgspec.msgpack.decode(asking.read(length), type=Asked)))
        answering.write(LENGTH.pack(len(body)) + body)
        answering.flush()


if __name__ == "__main__":
    app = QGuiApplication(sys.argv[:1])
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    _run(sys.stdin.buffer, sys.stdout.buffer)
