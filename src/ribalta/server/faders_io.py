"""Faders and knobs of controllers: what they send becomes actions, and values go back to those that move."""

import threading
from collections.abc import Callable

from ribalta.core.engine.actions.automation.faders import controlled
from ribalta.core.engine.faders.codings import Decoder, Guess, Turned
from ribalta.core.engine.faders.hands import Back, FaderHands
from ribalta.core.engine.program.landing import NEVER_S
from ribalta.core.engine.state.live import LiveState
from ribalta.core.ports.causes import By, Cause
from ribalta.core.ports.messages import Learned
from ribalta.core.show.automation.faders import Coding, FaderGiven
from ribalta.server.engine_host import EngineHost
from ribalta.server.inbox import Inbox
from ribalta.server.part import Part

BACK_EVERY_S, LEARNS_FOR_S = 0.04, 30.0
LOWER_HALF = 32  # so far above a controller is the one with its lower seven bits
Route = tuple[FaderGiven, Decoder, bool | None]  # with which half of 14 bits comes here, if it is one


class FadersIo(Part):
    """Any thread may tell what moves; a flood becomes one movement each time the engine looks."""

    called = "faders and knobs"

    def __init__(self, host: EngineHost, inbox: Inbox) -> None:
        self._host, self._inbox = host, inbox
        self.send: Callable[[Back], None] = lambda _: None
        self._hands = FaderHands()
        self._faders: tuple[FaderGiven, ...] = ()
        self._routes: dict[str, tuple[Route, ...]] = {}
        self._halves: tuple[tuple[FaderGiven, Decoder], ...] = ()  # those of 14 bits: half a value may wait
        self._motors = False
        self._lock = threading.Lock()
        self._turned: dict[str, Turned] = {}
        self._asked = False
        self._guess: Guess | None = None
        self._learns_until_s = float("-inf")
        self._changed, self._back_s = False, float("-inf")

    # From any thread

    def moved(self, port: str, control: str, raw: float) -> bool:
        """A control says a number. False when it was given nothing to move."""
        if self._guess is not None and self._host.clock.now_s() < self._learns_until_s:
            self._learn(port, control, raw)
            return True
        routes = [r for r in self._routes.get(control, ()) if r[0].port in ("", port)]
        if not routes:
            return False
        now_s = self._host.clock.now_s()
        with self._lock:
            for fader, decoder, half in routes:
                turned = decoder.value(raw) if half is None else decoder.half(int(raw), half, now_s)
                self._take(fader, turned)
        return True

    def gone(self, port: str) -> None:
        """A device came or went: where its controls stand is not known any more."""
        self._inbox.put(lambda _: self._forget(port))

    def learn(self, on: bool) -> None:
        """While on, what is turned is told and does nothing; not for longer than LEARNS_FOR_S, as a desk may go."""
        self._learns_until_s = self._host.clock.now_s() + LEARNS_FOR_S
        self._guess = Guess() if on else None

    def _learn(self, port: str, control: str, raw: float) -> None:
        guess = self._guess
        if control.startswith("osc "):
            found: tuple[str, Coding] | None = (control, Coding.SHARE)
        elif control.startswith("midi bend "):
            found = control, Coding.PITCH_BEND
        else:
            found = guess.heard(control, int(raw)) if guess is not None else None
        if found is not None:
            self._guess = None
            self._inbox.say(Learned(found[0], port, found[1]))

    def _take(self, fader: FaderGiven, turned: Turned | None) -> None:
        """Under the lock."""
        if turned is None:
            return
        before = self._turned.get(fader.id)
        self._turned[fader.id] = turned if before is None else turned.after(before)
        if not self._asked:
            self._asked = True
            self._inbox.put(lambda _: self._work())

    # On the engine's thread

    def _work(self) -> None:
        with self._lock:
            turned, self._turned, self._asked = self._turned, {}, False
        for fader_id, movement in turned.items():
            state, now_s = self._host.state, self._host.clock.now_s()
            bank, fine = state.automation.fader_bank, state.automation.fader_fine
            fader = next((f for f in self._hands.in_hand(state, bank) if f.id == fader_id), None)
            if fader is None:
                continue
            call = self._hands.turned(state, fader, movement, fine, now_s)
            if call is not None:
                self._host.call(call, Cause(By.FADER, controlled(fader)))

    def _forget(self, port: str) -> None:
        self._hands.forget(frozenset(f.id for f in self._faders if f.port in ("", port)))
        self._changed = True

    def follow(self, state: LiveState) -> None:
        if state.show.faders is not self._faders:
            before, self._faders = self._faders, state.show.faders
            self._hands.forget(frozenset(f.id for f in before) - {f.id for f in self._faders})
            self._routes = self._made_routes(before)
            self._halves = tuple((r[0], r[1]) for routes in self._routes.values() for r in routes if r[2])
            self._motors = any(f.motor for f in self._faders)
        self._changed = self._changed or self._motors

    def _made_routes(self, before: tuple[FaderGiven, ...]) -> dict[str, tuple[Route, ...]]:
        """What is as it was keeps its decoder."""
        known = {r[0]: r[1] for routes in self._routes.values() for r in routes if r[0] in before}
        found: dict[str, tuple[Route, ...]] = {}
        for fader in self._faders:
            decoder, control = known.get(fader) or Decoder(fader.coding), fader.control
            if fader.coding is not Coding.BITS_14:
                found[control] = (*found.get(control, ()), (fader, decoder, None))
                continue
            start, _, number = control.rpartition(" ")
            lower = f"{start} {int(number) + LOWER_HALF}"
            found[control] = (*found.get(control, ()), (fader, decoder, True))
            found[lower] = (*found.get(lower, ()), (fader, decoder, False))
        return found

    def next_deadline_s(self) -> float:
        halves = min((decoder.due_s for _, decoder in self._halves), default=NEVER_S)
        return min(halves, self._back_s + BACK_EVERY_S if self._changed else NEVER_S)

    def advance(self, now_s: float) -> None:
        with self._lock:
            for fader, decoder in self._halves:
                self._take(fader, decoder.due(now_s))
        if self._changed and now_s >= self._back_s + BACK_EVERY_S:
            state = self._host.state
            self._back_s, self._changed = now_s, False
            for back in self._hands.back(state, state.automation.fader_bank, now_s):
                self.send(back)
            held_s = self._hands.held_until_s(state, state.automation.fader_bank)
            if held_s > now_s:  # a hand is on one of them: its value goes back afterwards
                self._back_s, self._changed = held_s - BACK_EVERY_S, True
