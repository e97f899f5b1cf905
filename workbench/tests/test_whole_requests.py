"""Bodies that come slowly, not whole, or too large are ended before a page works on them."""

from __future__ import annotations

import io
from typing import Any
from unittest import TestCase

import gevent

from vivid_cairn.whole_requests import WholeRequests


class Trickle:
    """A body of which a byte comes now and then."""

    def read(self, size: int) -> bytes:
        gevent.sleep(0.05)
        return b"x"


class Bodies(TestCase):
    def ask(self, source: Any, told: str) -> tuple[str, bytes]:
        """The status, and what the application was given."""
        given: list[bytes] = []
        statuses: list[str] = []

        def application(environ: dict[str, Any], answer: Any) -> list[bytes]:
            given.append(environ["wsgi.input"].read())
            answer("200 OK", [])
            return [b""]

        whole = WholeRequests(application, body_s=0.2, biggest=2_000_000)
        list(whole({"CONTENT_LENGTH": told, "wsgi.input": source}, lambda status, headers: statuses.append(status)))
        return statuses[0], b"".join(given)

    def test_a_whole_body_is_passed_on(self) -> None:
        """As it came, small or large, and without one."""
        for body in (b"a=1", b"y" * 1_500_000):
            self.assertEqual(self.ask(io.BytesIO(body), str(len(body))), ("200 OK", body))
        self.assertEqual(self.ask(io.BytesIO(b""), ""), ("200 OK", b""))

    def test_what_is_slow_broken_off_or_too_large(self) -> None:
        """A trickle ends after its time, half a body at its end, and a told length beyond all bounds at once."""
        self.assertEqual(self.ask(Trickle(), "1000"), ("408 Request Timeout", b""))
        self.assertEqual(self.ask(io.BytesIO(b"half"), "8"), ("408 Request Timeout", b""))
        for told in ("2000001", "9" * 5000):
            self.assertEqual(self.ask(io.BytesIO(b"x"), told), ("413 Content Too Large", b""))
