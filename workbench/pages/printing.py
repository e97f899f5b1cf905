"""A page as PDF, made in a process of its own so that other pages need not wait for it; at most two at a time in one worker.

The process reads HTML from its standard input and answers the PDF; it knows no database and no settings, and fetches nothing but
our own static files.
"""

from __future__ import annotations

import re
import sys
from typing import Any

from intake.beside import ROOT, Beside, NoTurn, TookTooLong

PRINTER = Beside("workbench.pages.printing", wait_s=60, wall_s=60)


#: what is no running text: tags, and what drawings, styles and the title hold
_APART = re.compile(r"(<(?P<apart>svg|style|title)\b.*?</(?P=apart)>|<!--.*?-->|<[^>]*>)", re.DOTALL)
#: a unit a line must not end in the middle of, such as mg/L
_UNIT = re.compile(r"(?<![\w/])[^\W\d_]{1,4}/[^\W\d_]{1,4}[²³]?(?![\w/])")


class Busy(Exception):
    """Too many drawings are being printed just now, or one took longer than any drawing needs."""


def pdf(html: str) -> bytes:
    """A page as PDF, its fonts embedded. Raises Busy where no turn came in time, or it took too long."""
    try:
        done = PRINTER.run(html.encode())
    except (NoTurn, TookTooLong):
        raise Busy from None
    if done.returncode or not done.stdout.startswith(b"%PDF"):
        raise RuntimeError("no PDF was made")
    return done.stdout


def unbroken(html: str) -> str:
    """A page whose units stay on one line: “mg/” never ends one with “L” on the next. What is read out of the text stays as it was."""
    pieces, last = [], 0
    for apart in _APART.finditer(html):
        pieces += [_UNIT.sub(r'<span style="white-space: nowrap">\g<0></span>', html[last : apart.start()]), apart.group()]
        last = apart.end()
    return "".join([*pieces, html[last:]])


def main() -> None:
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    static = (ROOT / "static").resolve()

    class Own(URLFetcher):  # type: ignore[misc]
        """Serves our own static files, and pictures in the page; refuses everything else."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            if url.startswith(("data:image/jpeg;base64,", "data:image/png;base64,")):  # a picture that the page carries itself
                return super().fetch(url, headers)
            path = (static / url.split("/static/", 1)[-1]).resolve()
            if "/static/" not in url or not path.is_relative_to(static) or not path.is_file():
                raise ValueError(f"not one of our files: {url}")
            return URLFetcherResponse(url, body=path.read_bytes())

    html = unbroken(sys.stdin.buffer.read().decode())
    sys.stdout.buffer.write(HTML(string=html, base_url="http://ours/", url_fetcher=Own()).write_pdf(pdf_variant="pdf/ua-1"))


if __name__ == "__main__":
    main()
