"""Requests are worked on in the order in which they came, a few at once; while some wait, a process takes no more: another may be free.

A request gives its place away whenever it waits for the database. Without turns whoever asks the database most waits longest: behind
all others, again and again. With turns each waits once, and all wait about as long.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from gevent.lock import BoundedSemaphore
from gevent.server import StreamServer

AT_ONCE = 2
"""How many requests a process works on at once: one works while the other waits for the database."""
WAIT_S = 1.0
"""How long a request waits for its turn [s]; then it is worked on beside the others, which may be slow for reasons of their own."""


class Turns:
    """The turns of a process. waiting: how many requests wait for theirs."""

    def __init__(self, at_once: int = AT_ONCE, wait_s: float = WAIT_S) -> None:
        self.wait_s, self.waiting = wait_s, 0
        self._free = BoundedSemaphore(at_once)
        self._then: list[Callable[[], object]] = []

    def take(self) -> bool:
        """Wait for a turn; False where it took too long."""
        self.waiting += 1
        try:
            return bool(self._free.acquire(timeout=self.wait_s))
        finally:
            self.waiting -= 1
            if not self.waiting:
                then, self._then = self._then, []
                for each in then:
                    each()

    def give_back(self) -> None:
        self._free.release()

    def once_none_waits(self, do: Callable[[], object]) -> None:
        """Call this once no request waits any more."""
        self._then.append(do)


TURNS = Turns()


class InTurn:
    """A WSGI application whose requests wait for their turn."""

    def __init__(self, application: Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]], turns: Turns = TURNS) -> None:
        self.application, self.turns = application, turns

    def __call__(self, environ: dict[str, Any], answer: Callable[..., Any]) -> Iterable[bytes]:
        turn = self.turns.take()
        try:
            return self.application(environ, answer)
        finally:
            if turn:
                self.turns.give_back()


class WhileNoneWaits(StreamServer):  # type: ignore[misc]
    """Takes connections only while none of those it has waits for its turn."""

    def _do_read(self) -> None:
        if not TURNS.waiting:
            super()._do_read()
            return
        self.stop_accepting()
        TURNS.once_none_waits(self._start_accepting_if_started)
