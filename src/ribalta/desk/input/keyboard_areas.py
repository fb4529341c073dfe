"""Where keys lie on a drawn keyboard: names as the catalogue has them, in units of one key."""

from PySide6.QtCore import QRectF

ROWS: tuple[tuple[float, tuple[tuple[str, float], ...]], ...] = (
    (0.0, (("Esc", 1.0), ("", 0.4), *((f"F{k}", 1.0) for k in range(1, 13)))),
    (1.15, (*((key, 1.0) for key in "`1234567890-="), ("Backspace", 1.6))),
    (2.15, (("Tab", 1.3), *((key, 1.0) for key in "QWERTYUIOP[]"), ("\\", 1.3))),
    (3.15, (("", 1.6), *((key, 1.0) for key in "ASDFGHJKL;'"), ("Return", 2.0))),
    (4.15, (("", 2.1), *((key, 1.0) for key in "ZXCVBNM,./"), ("", 2.5))),
    (5.15, (("", 3.6), ("Space", 5.6))),
)
BESIDE: tuple[tuple[str, float, float], ...] = (
    *(("Ins", 15.0, 1.15), ("Home", 16.0, 1.15), ("PgUp", 17.0, 1.15)),
    *(("Del", 15.0, 2.15), ("End", 16.0, 2.15), ("PgDown", 17.0, 2.15)),
    *(("Up", 16.0, 4.15), ("Left", 15.0, 5.15), ("Down", 16.0, 5.15), ("Right", 17.0, 5.15)),
)
PAD: tuple[tuple[str, float, float], ...] = (
    *((f"Num+{digit}", 18.4 + k % 3, 2.15 + k // 3) for k, digit in enumerate("789456123")),
    ("Num+0", 18.4, 5.15),
)
WIDE, TALL = 21.4, 6.15


def key_areas(area: QRectF, gap: float = 3.0) -> dict[str, QRectF]:
    """Every key's rectangle, inside `area`."""
    wide, tall = area.width() / WIDE, area.height() / TALL
    found: dict[str, QRectF] = {}

    def put(name: str, x: float, y: float, width: float = 1.0) -> None:
        left, top = area.left() + x * wide, area.top() + y * tall
        found[name] = QRectF(left, top, width * wide - gap, tall - gap)

    for y, keys in ROWS:
        x = 0.0
        for name, width in keys:
            if name:
                put(name, x, y, width)
            x += width
    for name, x, y in (*BESIDE, *PAD):
        put(name, x, y)
    return found
