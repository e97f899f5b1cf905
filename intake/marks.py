"""A company's mark as it is sent: a PNG made small and plain, or an SVG of which only shapes and colors are kept.

Like every foreign file it is opened in a process of its own, which answers a line of text: the SVG, or the PNG as a data address.
"""

from __future__ import annotations

import base64
import io
import re
import sys
from xml.etree import ElementTree

from .beside import Beside, NoTurn, TookTooLong, within

LARGEST = 500_000  # bytes
WIDE, HIGH = 600, 200  # px that are kept
ROOM = 200_000  # characters that are kept
SVG = "http://www.w3.org/2000/svg"
LINK = "{http://www.w3.org/1999/xlink}href"
#: what is kept of a drawing; everything else falls out, with what stands in it
SHAPES = frozenset((
    "svg", "g", "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "defs", "linearGradient", "radialGradient", "stop", "clipPath",
    "title", "desc",
))  # fmt: skip
ATTRIBUTES = frozenset((
    "viewBox", "width", "height", "x", "y", "x1", "y1", "x2", "y2", "cx", "cy", "r", "rx", "ry", "fx", "fy", "d", "points", "transform", "id",
    "fill", "fill-opacity", "fill-rule", "clip-rule", "clip-path", "stroke", "stroke-width", "stroke-linecap", "stroke-linejoin", "stroke-opacity",
    "stroke-dasharray", "stroke-miterlimit", "opacity", "offset", "stop-color", "stop-opacity", "gradientUnits", "gradientTransform", "spreadMethod",
    "clipPathUnits", "preserveAspectRatio",
))  # fmt: skip
#: a value that leads nowhere but to a part of the drawing itself
PLAIN = re.compile(r"(?:url\(#[\w.-]+\)|[^\\<>\"';:{}]*)")
INSIDE = re.compile(r"url\s*\((?!#[\w.-]+\))", re.IGNORECASE)


class NoMark(Exception):
    """What was sent is no mark that is kept; its text is meant for the person."""


def mark(raw: bytes) -> str:
    """A mark as it is kept: ``<svg …`` or ``data:image/png;base64,…``. Raises NoMark."""
    if not raw:
        raise NoMark("Choose a PNG or an SVG.")
    if len(raw) > LARGEST:
        raise NoMark(f"This file is larger than {LARGEST // 1000} kB. Use a smaller one.")
    try:
        done = READER.run(raw)
    except (NoTurn, TookTooLong):
        raise NoMark("This file cannot be read just now. Send it again in a moment.") from None
    told, _, kept = done.stdout.decode(errors="replace").partition("\n")
    if told != "kept" or not kept:
        raise NoMark(kept or "This file is damaged.")
    return kept


def made_plain(raw: bytes) -> str:
    """The work itself, in this process. Raises NoMark."""
    return _drawing(raw) if b"<svg" in raw[:4000].lower() else _picture(raw)


def _picture(raw: bytes) -> str:
    from PIL import Image

    try:
        with Image.open(io.BytesIO(raw), formats=("PNG",)) as opened:
            if opened.width * opened.height > 20_000_000:
                raise NoMark("This picture has too many pixels. Use a smaller one.")
            plain = opened.convert("RGBA")
    except NoMark:
        raise
    except Exception:
        raise NoMark("Choose a PNG or an SVG.") from None
    plain.thumbnail((WIDE, HIGH))
    fresh = Image.new("RGBA", plain.size)
    fresh.paste(plain)
    out = io.BytesIO()
    fresh.save(out, "PNG", optimize=True)
    kept = "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()
    if len(kept) > ROOM:
        raise NoMark("This picture has too much detail. Use a simpler one.")
    return kept


def _drawing(raw: bytes) -> str:
    if b"<!doctype" in raw.lower() or b"<!entity" in raw.lower():
        raise NoMark("This SVG declares a document type. Save it as plain SVG.")
    try:
        root = ElementTree.fromstring(raw)
    except (ElementTree.ParseError, ValueError, LookupError):
        raise NoMark("This SVG is damaged.") from None
    kept = _kept(root, 0)
    if kept is None or kept.tag != f"{{{SVG}}}svg":
        raise NoMark("This SVG is damaged.")
    if "viewBox" not in kept.attrib:
        size = [re.fullmatch(r"\s*([\d.]+)(?:px)?\s*", kept.get(side, "")) for side in ("width", "height")]
        if None in size:
            raise NoMark("This SVG has no viewBox. Save it with one.")
        kept.set("viewBox", "0 0 " + " ".join(found[1] for found in size if found))
    for side in ("width", "height"):
        kept.attrib.pop(side, None)
    if not any(True for each in kept.iter() if each.tag not in (f"{{{SVG}}}{name}" for name in ("svg", "g", "defs", "title", "desc"))):
        raise NoMark("Nothing of this SVG can be shown: it has no plain shapes.")
    ElementTree.register_namespace("", SVG)
    text = ElementTree.tostring(kept, encoding="unicode")
    if len(text) > ROOM:
        raise NoMark("This SVG has too much detail. Use a simpler one.")
    return text.replace("\n", " ")


def _kept(node: ElementTree.Element, depth: int) -> ElementTree.Element | None:
    """A part with what is plain in it; None for one that is not kept."""
    name = node.tag.removeprefix(f"{{{SVG}}}") if isinstance(node.tag, str) else ""
    if name not in SHAPES or depth > 40:
        return None
    fresh = ElementTree.Element(f"{{{SVG}}}{name}")
    for key, value in node.attrib.items():
        if key in ATTRIBUTES and PLAIN.fullmatch(value) and not INSIDE.search(value):
            fresh.set(key, value)
        elif key in ("href", LINK) and value.startswith("#") and PLAIN.fullmatch(value):
            fresh.set("href", value)
    for attribute in _styled(node.get("style", "")):
        fresh.set(*attribute)
    if name in ("title", "desc"):
        fresh.text = node.text
        return fresh
    fresh.extend(part for child in node if (part := _kept(child, depth + 1)) is not None)
    return fresh


def _styled(style: str) -> list[tuple[str, str]]:
    """Plain properties of a style as attributes."""
    pairs = [part.partition(":") for part in style.split(";")]
    told = [(name.strip(), value.strip()) for name, _, value in pairs]
    return [(name, value) for name, value in told if name in ATTRIBUTES and PLAIN.fullmatch(value) and not INSIDE.search(value)]


READER = Beside("intake.marks", 10, 10, within(8, 600 * 1024 * 1024))


def main() -> None:
    """Read a file from standard input; answer ``kept`` and the mark, or ``refused`` and why."""
    try:
        told, text = "kept", made_plain(sys.stdin.buffer.read(LARGEST + 1))
    except NoMark as refused:
        told, text = "refused", str(refused)
    sys.stdout.write(f"{told}\n{text}")


if __name__ == "__main__":
    main()
