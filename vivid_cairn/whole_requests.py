"""A request's body is read whole before anybody works on it, within a time: who sends slowly holds a place in the queue, not a worker.

The worker kind (gevent) ends a head that does not come in its keep-alive time. Behind a real proxy, which does all this, it costs nothing.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable
from typing import IO, Any

import gevent

Environ = dict[str, Any]
Answer = Callable[..., Any]

BODY_S = 15.0
"""How long a body may take to come [s]."""
BIGGEST = 32_000_000
"""The largest body that is read at all [bytes]; a page tells in its own words what it takes, up to 5 MB."""
BLOCK, IN_MEMORY = 1 << 16, 1 << 20
"""Bytes read at once; bytes of a body held in memory, beyond which it lies in a file until it is whole."""


class WholeRequests:
    """A WSGI application that is given whole requests only."""

    def __init__(self, application: Callable[[Environ, Answer], Iterable[bytes]], body_s: float = BODY_S, biggest: int = BIGGEST) -> None:
        self.application, self.body_s, self.biggest = application, body_s, biggest

    def __call__(self, environ: Environ, answer: Answer) -> Iterable[bytes]:
        told = environ.get("CONTENT_LENGTH") or ""
        if not told.isdecimal():
            return self.application(environ, answer)
        if len(told) > 9 or int(told) > self.biggest:
            return _refuse(answer, "413 Content Too Large", "This is too large: at most 32 MB.")
        with tempfile.SpooledTemporaryFile(IN_MEMORY) as body:
            if not self._whole(environ["wsgi.input"], body, int(told)):
                return _refuse(answer, "408 Request Timeout", "This did not arrive completely in time. Send it again.")
            body.seek(0)
            return self.application(environ | {"wsgi.input": body}, answer)

    def _whole(self, source: IO[bytes], body: IO[bytes], length: int) -> bool:
        """Read so many bytes into ``body``; False where they do not come in time."""
        left = length
        with gevent.Timeout(self.body_s, False):
            while left and (block := source.read(min(left, BLOCK))):
                body.write(block)
                left -= len(block)
        return left == 0


def _refuse(answer: Answer, status: str, why: str) -> list[bytes]:
    text = why.encode()
    answer(status, [("Content-Type", "text/plain; charset=utf-8"), ("Content-Length", str(len(text))), ("Connection", "close")])
    return [text]
