"""A page as PDF, made in a process of its own so that other pages need not wait for it; at most two at a time in one worker.

The process reads HTML from its standard input and answers the PDF; it knows no database and no settings, and fetches nothing but
our own static files.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from threading import BoundedSemaphore
from typing import Any

ROOT = Path(__file__).resolve().parents[2]
WALL_S, WAIT_S = 60, 60
_turns = BoundedSemaphore(2)


class Busy(Exception):
    """Too many drawings are being printed just now, or one took longer than any drawing needs."""


def pdf(html: str) -> bytes:
    """A page as PDF, its fonts embedded. Raises Busy where no turn came in time, or it took too long."""
    if not _turns.acquire(timeout=WAIT_S):
        raise Busy
    try:
        done = subprocess.run(
            [sys.executable, "-m", "workbench.walls.printing"], input=html.encode(), capture_output=True, timeout=WALL_S, cwd=ROOT, check=False
        )
    except subprocess.TimeoutExpired:
        raise Busy from None
    finally:
        _turns.release()
    if done.returncode or not done.stdout.startswith(b"%PDF"):
        raise RuntimeError("no PDF was made")
    return done.stdout


def main() -> None:
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    static = (ROOT / "static").resolve()

    class Own(URLFetcher):  # type: ignore[misc]
        """Serves our own static files and refuses everything else."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            path = (static / url.split("/static/", 1)[-1]).resolve()
            if "/static/" not in url or not path.is_relative_to(static) or not path.is_file():
                raise ValueError(f"not one of our files: {url}")
            return URLFetcherResponse(url, body=path.read_bytes())

    html = sys.stdin.buffer.read().decode()
    sys.stdout.buffer.write(HTML(string=html, base_url="http://ours/", url_fetcher=Own()).write_pdf())


if __name__ == "__main__":
    main()
