"""What this desk remembers by itself: the shows that were opened last, where the window stood, what its keys say."""

import contextlib
import json
from pathlib import Path
from typing import Any

from ribalta.core.show.files.whole_file import whole_file
from ribalta.workers.logfile import state_folder

MOST, LARGEST = 12, 256 * 1024


def _read(name: str) -> Any:
    """What a file of the state folder holds; None when it is not there, or damaged: nothing depends on it."""
    path = state_folder() / name
    try:
        return json.loads(path.read_text("utf-8")) if path.stat().st_size <= LARGEST else None
    except (OSError, ValueError, RecursionError):
        return None


def _write(name: str, value: Any) -> None:
    with contextlib.suppress(OSError):
        state_folder().mkdir(parents=True, exist_ok=True)
        with whole_file(state_folder() / name, 0o600) as file:
            file.write(json.dumps(value).encode())


def recent_shows() -> list[Path]:
    found = _read("recent.json")
    return [Path(one) for one in found if isinstance(one, str)][:MOST] if isinstance(found, list) else []


def remember_show(path: Path) -> None:
    """It was opened just now."""
    path = path.absolute()
    others = [one for one in recent_shows() if one != path]
    _write("recent.json", [str(one) for one in (path, *others)][:MOST])


def forget_show(path: Path) -> None:
    _write("recent.json", [str(one) for one in recent_shows() if one != path])


def _words(name: str) -> dict[str, str]:
    found = _read(name)
    kept = found.items() if isinstance(found, dict) else ()
    return {key: value for key, value in kept if isinstance(key, str) and isinstance(value, str)}


def written_keys() -> dict[str, str]:
    """What is written on keys of this keyboard that a drawing would call otherwise, by what it calls them."""
    return {key: value[:2] for key, value in _words("keys.json").items()}


def remember_written(keys: dict[str, str]) -> None:
    _write("keys.json", keys)


def window_place() -> dict[str, str]:
    """How the window stood when it was closed last: Qt's own words for it, as text."""
    return _words("window.json")


def remember_window(place: dict[str, str]) -> None:
    _write("window.json", place)
