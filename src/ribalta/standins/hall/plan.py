"""Where everything in the Clay Cup hall stands: metres, x east, y north; the audience sits to the south."""

from ribalta.standins.hall.values import Colour

BANNER = "CLAY CUP   ·   THE THROWING FINAL   ·   LIVE"
WEST, EAST, SOUTH, NORTH, HIGH = -9.0, 9.0, -9.0, 8.0, 6.2

POTTERS: list[tuple[str, float, Colour]] = [
    ("INES CORRIN", -4.8, (206, 66, 46)),
    ("BRAM TOLVEY", -1.6, (44, 112, 190)),
    ("SURI OKANDE", 1.6, (226, 164, 34)),
    ("JORY PELL", 4.8, (52, 148, 88)),
]
SCORES = ["86.5", "91.0", "88.5", "79.0"]
POTTER_Y, WHEEL_Y, WHEEL_TOP = 3.2, 2.5, 0.72
JURORS: list[tuple[str, float]] = [("L. MARROW", -0.6), ("V. ADEYO", -2.0), ("H. QUINT", -3.4)]
JURY_X, TABLE_X, TABLE_TOP = 7.5, 6.6, 0.76
HOST_SPOTS = ((-2.6, -1.8), (2.6, -0.4))
BENCH_X, BENCH_Y, BENCH_TOP = -7.0, -1.2, 0.85
