"""Somebody who is logged in and asks for pages, as a browser would, from the standard library alone."""

from __future__ import annotations

import http.cookiejar
import re
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections import Counter
from dataclasses import dataclass, field

TOKEN = re.compile(r'name="csrfmiddlewaretoken" value="([^"]+)"')


@dataclass
class Answer:
    """status: 0 where none came; seconds: until all of it was there."""

    status: int
    text: str
    seconds: float


@dataclass
class Tally:
    """Every answer: how long, and with what status."""

    seconds: list[float] = field(default_factory=list)
    statuses: Counter[int] = field(default_factory=Counter)

    def add(self, answer: Answer) -> Answer:
        self.seconds.append(answer.seconds)
        self.statuses[answer.status] += 1
        return answer

    def share(self, part: float) -> float:
        """The wait that this part of the answers stays within [s]."""
        return sorted(self.seconds)[min(len(self.seconds) - 1, int(len(self.seconds) * part))] if self.seconds else 0.0

    @property
    def failures(self) -> int:
        """Answers that never came, or say that we failed."""
        return self.statuses[0] + sum(count for status, count in self.statuses.items() if status >= 500)

    def told(self) -> str:
        return (
            f"{len(self.seconds)} requests, p50 {self.share(0.5) * 1000:.0f} ms, p95 {self.share(0.95) * 1000:.0f} ms, p99 {self.share(0.99) * 1000:.0f} ms, "
            f"worst {max(self.seconds, default=0) * 1000:.0f} ms; {self.failures} failed; {dict(sorted(self.statuses.items()))}"
        )


class Stay(urllib.request.HTTPRedirectHandler):
    """A redirect is an answer."""

    def redirect_request(self, *_: object) -> None:  # type: ignore[override]
        return None


class Person:
    def __init__(self, address: str) -> None:
        self.address, self.jar = address, http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar), Stay)

    def log_in(self) -> Person:
        """At the pace at which passwords are checked."""
        self.get("/login/")
        while self.post("/login/", {"username": "demo", "password": "larkfell-demo"}).status == 429:
            time.sleep(0.5)
        return self

    def get(self, path: str, timeout: float = 40) -> Answer:
        return self._ask(urllib.request.Request(self.address + path), timeout)

    def post(self, path: str, fields: dict[str, str], timeout: float = 40) -> Answer:
        data = urllib.parse.urlencode(fields | {"csrfmiddlewaretoken": self.token}, errors="surrogatepass").encode()
        return self._ask(urllib.request.Request(self.address + path, data=data), timeout)

    def send_file(
        self, path: str, name: str, content: bytes, timeout: float = 40, name_of: str = "file", fields: dict[str, str] | None = None
    ) -> Answer:
        """Upload a file as a field of a form, with other fields beside it."""
        mark = uuid.uuid4().hex
        held = {"csrfmiddlewaretoken": self.token} | (fields or {})
        head = "".join(f'--{mark}\r\nContent-Disposition: form-data; name="{key}"\r\n\r\n{value}\r\n' for key, value in held.items())
        head += f'--{mark}\r\nContent-Disposition: form-data; name="{name_of}"; filename="{name}"\r\nContent-Type: application/octet-stream\r\n\r\n'
        body = head.encode() + content + f"\r\n--{mark}--\r\n".encode()
        kind = {"Content-Type": f"multipart/form-data; boundary={mark}"}
        return self._ask(urllib.request.Request(self.address + path, data=body, headers=kind), timeout)

    @property
    def token(self) -> str:
        return next((cookie.value or "" for cookie in self.jar if cookie.name == "csrftoken"), "")

    def jobs(self) -> list[str]:
        return sorted(set(re.findall(r'href="/jobs/(\d+)/', self.get("/").text)))

    def _ask(self, request: urllib.request.Request, timeout: float) -> Answer:
        began = time.monotonic()
        try:
            with self.opener.open(request, timeout=timeout) as answer:
                status, text = answer.status, answer.read().decode("utf-8", "replace")
        except urllib.error.HTTPError as error:
            status, text = error.code, error.read().decode("utf-8", "replace")
        except (OSError, ValueError) as error:
            status, text = 0, str(error)
        return Answer(status, text, time.monotonic() - began)
