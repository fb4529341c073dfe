"""Waiting on a loop for what another thread answers."""

import asyncio
import contextlib
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")


async def answer_to(ask: Callable[[Callable[[T], None]], None], within_s: float) -> T:
    """`ask` is given what is to be called with the answer, from any thread. Raises TimeoutError when none comes."""
    loop = asyncio.get_running_loop()
    done: asyncio.Future[T] = loop.create_future()

    def answered(answer: T) -> None:
        with contextlib.suppress(RuntimeError):  # the loop has just been closed
            loop.call_soon_threadsafe(lambda: None if done.done() else done.set_result(answer))

    ask(answered)
    return await asyncio.wait_for(done, within_s)
