"""The faces that ship with Ribalta, and their licence."""

from pathlib import Path

FONTS = Path(__file__).parent
