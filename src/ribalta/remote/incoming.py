"""What messages from outside do: an action's own address runs it, anything else works a shortcut or a trigger.

Beyond this machine every message needs the token. More than can be taken in is dropped, and that is said.
"""

import hmac
import math
import pwd
from collections.abc import Callable, Sequence
from typing import Any

from ribalta.core.base.faults import ActionRefused
from ribalta.core.engine.views.addresses import OSC_ROOT, arguments_of, by_osc
from ribalta.core.ports.causes import ActionRan, By, Cause
from ribalta.core.ports.messages import MessageCame, Notice, Severity
from ribalta.core.show.automation.triggers_pads_shortcuts import TokenHere
from ribalta.remote.log import Log
from ribalta.remote.osc import Message
from ribalta.remote.show_access import FaderAccess, NoFaders, ShowAccess, Work

MOST_WAITING = 1000
TOLD_EVERY_S, LOOK_AGAIN_S = 5.0, 30.0
TOKEN = "token="
PEOPLE_FROM, PEOPLE_TO = 1000, 60000  # numbers of accounts of people
UNKNOWN = "refused: there is no such address. The manual lists them all"


def is_here(host: str) -> bool:
    return host.startswith("127.") or host in ("::1", "localhost")


def is_shared_machine() -> bool:
    """Has this machine accounts of more than one person?"""
    return sum(PEOPLE_FROM <= one.pw_uid < PEOPLE_TO and _logs_in(one.pw_shell) for one in pwd.getpwall()) > 1


def _logs_in(shell: str) -> bool:
    return not shell.endswith(("nologin", "false", "sync"))


class Incoming:
    """Called on the remote thread. `taken` and `dropped` count messages."""

    def __init__(
        self,
        desk: ShowAccess,
        work: Work,
        log: Log,
        token: Callable[[], str],
        shared: Callable[[], bool] = is_shared_machine,
        faders: FaderAccess | None = None,
    ) -> None:
        """`shared`: do several people use this machine? Then the token is needed on it too, if the show says so."""
        self._desk, self._work, self._log, self._token, self._shared = desk, work, log, token, shared
        self.faders = faders or NoFaders()
        self.taken = self.dropped = 0
        self._told_s = self._looked_s = float("-inf")
        self._is_shared = True

    def allowed(self, host: str, token: str) -> bool:
        if is_here(host) and not self._needs_it_here():
            return True
        return bool(self._token()) and hmac.compare_digest(token.encode(), self._token().encode())

    def _needs_it_here(self) -> bool:
        wanted = self._desk.state.show.listening.token_here
        return wanted is TokenHere.ALWAYS or (wanted is TokenHere.SHARED and self._others_use_it())

    def _others_use_it(self) -> bool:
        """The list of accounts is not read for every message."""
        now_s = self._desk.clock.now_s()
        if now_s - self._looked_s >= LOOK_AGAIN_S:
            self._looked_s, self._is_shared = now_s, self._shared()
        return self._is_shared

    def who_needs_it(self, host: str) -> str:
        return (
            "On this machine, which others use too, a request" if is_here(host) else "From another machine, a request"
        )

    def full(self) -> bool:
        """Is too much waiting already? Then this message is dropped."""
        if self._desk.backlog < MOST_WAITING:
            self.taken += 1
            return False
        self.dropped += 1
        now_s = self._desk.clock.now_s()
        if now_s - self._told_s > TOLD_EVERY_S:
            self._told_s = now_s
            said = f"Messages come faster than they can be done: {self.dropped} were dropped so far."
            self._desk.say(Notice(said, Severity.FAULT))
        return True

    def osc(self, message: Message, host: str) -> None:
        if self.full():
            return
        given, token = without_token(message.arguments)
        message = Message(message.address, tuple(given))
        if not self.allowed(host, token):
            self.refuse(host, message.line)
            return
        row = by_osc(message.address)
        if row is None and message.address.startswith(f"{OSC_ROOT}/"):
            self._log.add(self._desk.clock.now_s(), "in", host, message.line, UNKNOWN, True)
            return
        if row is not None and not row.params.model_fields and _pressed(given) is not None:
            if not _pressed(given):  # a button is let go
                self._log.add(self._desk.clock.now_s(), "in", host, message.line)
                return
            given = []
        if row is None and given and _is_number(given[0]) and self._moves(host, message, given[0]):
            return
        if row is None:
            self.came(message.line, host, f"osc {message.address}", _pressed(given))
            return
        try:
            self.run(row.id, arguments_of(row, given), Cause(By.OSC, f"{host} {message.address}"), message.line, host)
        except ActionRefused as refusal:
            self._log.add(self._desk.clock.now_s(), "in", host, message.line, str(refusal), True)

    def _moves(self, host: str, message: Message, value: float) -> bool:
        return self.faders.moved(host, f"osc {message.address}", value)

    def line(self, wire: str, text: str, host: str) -> None:
        """A line of text over TCP or UDP."""
        if self.full():
            return
        words, token = without_token(text.split())
        said = f"{wire} {' '.join(str(w) for w in words)}"
        if not self.allowed(host, token):
            self.refuse(host, said)
            return
        self.came(said, host, said, None)

    def came(self, line: str, who: str, control: str, down: bool | None) -> None:
        """A message that is no action's: a control is worked (pressed and let go when `down` is None), and triggers
        hear of it."""
        self._log.add(self._desk.clock.now_s(), "in", who, line)
        if down is not False:
            self._work(control, True)
        if down is not True:
            self._work(control, False)
        self._desk.report(MessageCame(line[:200]))

    def value(self, line: str, who: str) -> None:
        """A controller that moves: triggers hear of it, no control is worked."""
        self._log.add(self._desk.clock.now_s(), "in", who, line)
        self._desk.report(MessageCame(line[:200]))

    def run(
        self,
        action_id: str,
        arguments: dict[str, Any],
        cause: Cause,
        line: str,
        who: str,
        answer: Callable[[ActionRan], None] | None = None,
    ) -> None:
        number = self._log.add(self._desk.clock.now_s(), "in", who, line)

        def ran(done: ActionRan) -> None:
            self._log.answer(number, done.refused or done.words, bool(done.refused))
            if answer is not None:
                answer(done)

        self._desk.ask(action_id, arguments, cause, ran)

    def refuse(self, host: str, line: str) -> None:
        """It comes without the token that it needs."""
        where = "on a machine that others use too" if is_here(host) else "from another machine"
        said = f"refused: {where}, and without the token"
        self._log.add(self._desk.clock.now_s(), "in", host, line, said, True)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and math.isfinite(value)


def _pressed(arguments: Sequence[Any]) -> bool | None:
    """A control with a number is pressed by 1 and let go by 0; without one it is both at once."""
    first = arguments[0] if arguments else None
    return None if not isinstance(first, int | float) else first >= 0.5


def without_token(given: Sequence[Any]) -> tuple[list[Any], str]:
    """The other arguments, and the token, empty if there is none."""
    token = next((a for a in given if isinstance(a, str) and a.startswith(TOKEN)), "")
    return [a for a in given if a is not token or not token], token.removeprefix(TOKEN)
