"""The styles of the drawings for files that stand alone: the rules of the shipped stylesheet, its light colours put in."""

from __future__ import annotations

import re
from functools import cache
from typing import Any

import tinycss2
from django.conf import settings

#: rules about shapes of a drawing: roles of text, shapes, analytes, beds, patterns, severities and the wall
DRAWN = re.compile(r"\.((t|s|c|w|bed|pat|sev)-|(exact|floor|rowline)\b|(train|wall)-svg )")
SCREEN_ONLY = re.compile(r":hover|:focus|:has|\.stage|\.unit|\[aria|\.w-flow|\.chip|\.sev\b(?!-)")


PLAIN = {
    "calcite": "#d9d4c4",
    "resin": "#d3a54a",
    "granule": "#8a5a3c",
    "carbon": "#3c4144",
    "sand": "#c8b488",
    "salt": "#d9dede",
    "pleat": "#d8cbb2",
}
HALO = re.compile(r"(paint-order|stroke|stroke-width|stroke-linejoin):[^;]*;?")


@cache
def svg_style(drawing: str) -> str:
    """CSS for inside an SVG of a drawing, ``train`` or ``wall``: no variable, no layer, nothing that only a screen needs.

    On the wall beds are plain: their patterns are finer there than paper shows. The halo around text on a ribbon is left out: not every reader of SVG draws it under the letters.
    """
    own, others = (f".{name}-svg " for name in (("train", "wall") if drawing == "train" else ("wall", "train")))
    text = (settings.BASE_DIR / "static" / "built" / "app.css").read_text()
    rules = _flat(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True))
    colours: dict[str, str] = {}
    found = ["text{font-family:Plex,sans-serif;fill:#1f2b29}"]
    for selector, body in rules:
        if selector == ":root":
            for name, value in re.findall(r"(--[\w-]+):\s*([^;]+)", body):
                colours.setdefault(name, value.strip())
    for selector, body in rules:
        kept = [
            each.strip() for each in selector.split(",") if DRAWN.match(each.strip() + " ") and not SCREEN_ONLY.search(each) and others not in each
        ]
        if kept:
            body = re.sub(r"var\((--[\w-]+)\)", lambda match: colours.get(match[1], "#000"), body)
            body = HALO.sub("", body) if "paint-order" in body else body
            if drawing == "wall":
                body = re.sub(r"url\(#p-(?!free)(\w+)\)", lambda match: PLAIN[match[1]], body)
            kept = [each.replace(own, "") for each in kept]
            found.append(f"{','.join(kept)}{{{body}}}")
    return "\n".join(found)


def _flat(rules: list[Any]) -> list[tuple[str, str]]:
    """Selector and declarations of every rule, those inside layers too; other at-rules (dark, motion, print) are left out."""
    found: list[tuple[str, str]] = []
    for rule in rules:
        if rule.type == "qualified-rule":
            found.append((tinycss2.serialize(rule.prelude).strip(), tinycss2.serialize(rule.content).strip()))
        elif rule.type == "at-rule" and rule.lower_at_keyword == "layer" and rule.content is not None:
            found += _flat(tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True))
    return found
