"""Text in cells of a spreadsheet that somebody opens: never a formula."""

from __future__ import annotations

import re

#: a minus with a number and at most a unit behind it, such as -1.5 degC; anything longer may be a formula
_BELOW_ZERO = re.compile(r"-\d+([.,]\d+)?( [A-Za-z°µ/%]+[0-9]?)?")


def safe_cell(text: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    risky = text[:1] in ("=", "+", "@", "\t", "\r") or (text[:1] == "-" and not _BELOW_ZERO.fullmatch(text))
    return f"'{text}" if risky else text
