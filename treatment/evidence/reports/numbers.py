"""Numbers as they are printed: decimal commas, thousands, powers; what could be two numbers is said."""

from __future__ import annotations

import re
from collections.abc import Iterable

NUMBER = r"\d(?:[\d.,'’]|\s(?=\d{3}(?!\d)))*\d|\d|[.,]\d+"
_POWER = re.compile(r"(?P<a>[\d.,]+)\s*(?:[x×*·]\s*10\s*\^?\s*|[eE])(?P<p>[+-]?\d{1,2})(?!\d)")
_CLEAR_COMMA = re.compile(r"(?<![\d.,])(?:\d+,\d{1,2}|0,\d+|\d+,\d{4,})(?![\d.,])")
_CLEAR_POINT = re.compile(r"(?<![\d.,])(?:\d+\.\d{1,2}|0?\.\d+|\d+\.\d{4,})(?![\d.,])")


def decimal_mark(texts: Iterable[str]) -> str:
    """The decimal mark that a file uses: "," or ".", "" where none or both are seen."""
    commas = points = 0
    for text in texts:
        commas += bool(_CLEAR_COMMA.search(text))
        points += bool(_CLEAR_POINT.search(text))
    return "," if commas and not points else "." if points and not commas else ""


def number(token: str, mark: str) -> tuple[str, str]:
    """A printed number as Python writes it, and what speaks against it. Empty where it is none.

    >>> number("1,234.5", ""), number("0,015", ""), number("1.234", ",")
    (('1234.5', ''), ('0.015', ''), ('1234', ''))
    """
    token = re.sub(r"(?<=\d)[\s'’](?=\d{3}(?!\d))", "", token.strip())
    if not re.fullmatch(r"[\d.,]*\d[\d.,]*", token):
        return "", ""
    if "," in token and "." in token:
        decimal = max(",", ".", key=token.rfind)
        whole, _, part = token.rpartition(decimal)
        return f"{re.sub('[.,]', '', whole)}.{part}", ""
    for sign, other in ((",", "."), (".", ",")):
        if sign not in token:
            continue
        grouped = re.fullmatch(rf"[1-9]\d{{0,2}}(?:\{sign}\d{{3}})+", token)
        if token.count(sign) > 1:
            return (token.replace(sign, ""), "") if grouped else ("", "")
        if grouped and mark == other:
            return token.replace(sign, ""), ""
        if grouped and sign == "," and mark != ",":
            return token.replace(",", "."), f"“{token}” could be {token.replace(',', '.')} or {token.replace(',', '')}"
        return token.replace(",", "."), ""
    return token, ""


def powers(text: str) -> str:
    """A text with its powers of ten written out: ``1.2 x 10^3`` as 1200."""

    def out(match: re.Match[str]) -> str:
        value, _ = number(match["a"], "")
        return f"{float(value) * 10 ** int(match['p']):.10g}" if value else match[0]

    return _POWER.sub(out, text)
