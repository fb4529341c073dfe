"""Asking a camera's settings one after another, and when an answer counts."""

from ribalta.devices.drivers.visca.messages import SETTINGS

SETTING_EVERY_S = 0.3


class SettingsPoll:
    """Those in `asked` that VISCA can ask for. Not `numbered`: a value counts when it was answered twice alike."""

    def __init__(self, asked: tuple[str, ...], numbered: bool, now_s: float) -> None:
        self.asked = tuple(x for x in asked if x in SETTINGS)
        self.due_s = now_s
        self._numbered = numbered
        self._setting = ""  # the one that is asked for now
        self._next = 0
        self._reported: dict[str, str | int] = {}
        self._doubted: tuple[str, str | int] | None = None

    def inquiry(self, now_s: float) -> tuple[bytes, int]:
        """The next question, and how long the data of its answer is in bytes. `asked` must not be empty."""
        self._setting = self.asked[self._next % len(self.asked)]
        self._next += 1
        self.due_s = now_s + SETTING_EVERY_S
        inquiry = SETTINGS[self._setting].inquiry
        return inquiry.asked, inquiry.answer.length

    def ask_soon(self, setting: str, now_s: float) -> None:
        """At once, and this one first if it can be asked."""
        self.due_s = now_s
        if setting in self.asked:
            self._next = self.asked.index(setting)

    def answer(self, data: bytes, now_s: float) -> tuple[str, str | int] | None:
        """The setting that was asked for and its value; None for what is no answer to it, or does not count yet."""
        value = SETTINGS[self._setting].read(data)
        if value is None:
            return None
        found = self._setting, value
        if not self._numbered and value != self._reported.get(self._setting) and self._doubted != found:
            self._doubted = found
            self.ask_soon(self._setting, now_s)
            return None
        self._reported[self._setting], self._doubted = value, None
        return found
