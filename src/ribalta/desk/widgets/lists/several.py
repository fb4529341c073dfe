"""Several rows of a list at once: removed as one edit, copied, and put in again, also from another window or show.

What is copied is text: a JSON object {"ribalta": "steps", "rows": [...]}, each row as it is in a show.
"""

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence

from ribalta.core.ports.messages import Notice, Severity
from ribalta.core.show.automation.calls import Call
from ribalta.desk.bridge import Bridge

LARGEST, MOST = 2 * 1024 * 1024, 500


@dataclass(frozen=True)
class Several:
    """`words`: what one and many rows are called. `remove`: the call that removes a row, by its key, if it can go.
    `copy`: a row as it is in the show; `paste`: the calls that put such rows in. Without these nothing is copied."""

    bridge: Bridge
    words: tuple[str, str]
    remove: Callable[[str], Call | None]
    copy: Callable[[str], dict[str, Any] | None] | None = None
    paste: Callable[[list[dict[str, Any]]], list[Call]] | None = None

    def named(self, count: int) -> str:
        return f"a {self.words[0]}" if count == 1 else f"{count} {self.words[1]}"

    def remove_all(self, keys: Sequence[str]) -> None:
        """The last one first, so that places stay right."""
        calls = [call for key in reversed(keys) if (call := self.remove(key)) is not None]
        self._ask(calls, f"removed {self.named(len(calls))}")

    def copy_all(self, keys: Sequence[str]) -> None:
        rows = [row for key in keys if self.copy is not None and (row := self.copy(key)) is not None]
        if rows:
            text = json.dumps({"ribalta": self.words[1], "rows": rows}, ensure_ascii=False, indent=1)
            QGuiApplication.clipboard().setText(text)
            self.bridge.noticed.emit(Notice(f"Copied {self.named(len(rows))}. Ctrl+V puts them in."))

    def heeds(self, event: QKeyEvent, keys: Sequence[str]) -> bool:
        """Delete of several rows, and Copy, Cut and Paste; whether it was one of these."""
        if event.key() == Qt.Key.Key_Delete and len(keys) > 1:
            self.remove_all(keys)
        elif self.copy is None:
            return False
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy_all(keys)
        elif event.matches(QKeySequence.StandardKey.Cut):
            self.copy_all(keys)
            self.remove_all(keys)
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste_all()
        else:
            return False
        return True

    def paste_all(self) -> None:
        rows = self._copied()
        if rows is None:
            said = f"There are no {self.words[1]} to paste: copy some with Ctrl+C first."
            self.bridge.noticed.emit(Notice(said, Severity.REFUSED))
        elif self.paste is not None:
            try:
                calls = self.paste(rows)
            except ValidationError:
                said = f"What was copied cannot be {self.words[1]}: nothing was put in."
                self.bridge.noticed.emit(Notice(said, Severity.REFUSED))
                return
            self._ask(calls, f"put in {self.named(len(rows))}")

    def _copied(self) -> list[dict[str, Any]] | None:
        """Rows of this kind on the clipboard; anything may lie there."""
        text = QGuiApplication.clipboard().text()
        if len(text) > LARGEST:
            return None
        try:
            found = json.loads(text)
        except (ValueError, RecursionError):
            return None
        rows = found.get("rows") if isinstance(found, dict) and found.get("ribalta") == self.words[1] else None
        if not isinstance(rows, list) or not 0 < len(rows) <= MOST or not all(isinstance(row, dict) for row in rows):
            return None
        return rows

    def _ask(self, calls: list[Call], what: str) -> None:
        if calls:
            self.bridge.act("edit.together", calls=[call.model_dump(mode="json") for call in calls], what=what)
