"""A photograph or a scan of a report -> straightened pages, and what stands on them, read twice at two enlargements.

Letters are nearly always read right; a decimal point gets lost, or a digit turns. So nothing read here is ever sure: what two readings
agree on is to be compared with the picture, what they differ on is asked (`treatment.evidence.reports.twice`).
"""

from __future__ import annotations

import io
import os
import re
import shutil
import statistics
import subprocess
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from treatment.evidence.reports.sheets import SheetLine, TextSheet, plain
from treatment.language.tables import table

from .columns import WHOLE, Block, blocks
from .limits import MOST_CELLS, MOST_LETTERS, Blank, Unreadable

MOST_SCANNED = 3  # pages of a file
SHOWN = 1400  # px, width of a page as it is shown beside what was read
ENLARGED = (300, 450)  # dpi at which a page is read
PAGE_IN = (8.3, 11.7)  # in, the sides of a page
LANGUAGES = {"english": "eng", "german": "deu", "french": "fra", "spanish": "spa", "dutch": "nld"}
PARTS, LIGHT = 7, 225  # of a piece of a rule, each darker than this
UNITS = 612.0  # width of a page in the points that text pages are measured in
_GAP = 0.9  # of the height of the letters: a wider gap parts two cells
_NOISE = re.compile(r"^[_—|‘’'`~«»=\-]+(?=[\w<>.])|(?<=[\w%])[_|‘’'`~«»°]+$")
_WALL_S = 25
Picture = Any
Box = tuple[int, float, float, float, float]


@dataclass(frozen=True)
class Scan:
    """readings: the lines as read at each enlargement; pages: JPEG, straightened; boxes: of each line, by its ``at``: page, x, y, width, height [px]."""

    readings: tuple[list[TextSheet], list[TextSheet]]
    pages: list[bytes]
    boxes: dict[str, Box]


def is_picture(content: bytes) -> bool:
    """Whether a file is a photograph that can be read."""
    return content.startswith((b"\xff\xd8\xff", b"\x89PNG")) or (content[:4] == b"RIFF" and content[8:12] == b"WEBP")


def scanned(content: bytes) -> Scan:
    """What stands on a photograph, or on the pages of a PDF that holds pictures. Raises Unreadable."""
    if shutil.which("tesseract") is None:
        raise Unreadable(
            "Photographs and scans cannot be read here: tesseract-ocr is not installed. Send a text PDF, CSV or XLSX, or enter the readings."
        )
    pages = [straight(image) for image in _images(content)]
    languages = _languages(pages[0])
    with ThreadPoolExecutor(2) as both:
        asked = [(page, dpi) for dpi in ENLARGED for page in pages]
        words = list(both.map(lambda ask: _words(ask[0], ask[1], languages), asked))
    boxes: dict[str, Box] = {}
    readings = []
    for k, mark in enumerate(("", "b")):
        lines: list[SheetLine] = []
        for number, page in enumerate(pages, 1):
            lines += _lines(words[k * len(pages) + number - 1], number, page, mark, boxes)
        readings.append([TextSheet("", tuple(lines))])
    if not any(line.filled for sheet in readings[0] for line in sheet.lines):
        raise Blank("Nothing can be read in this picture. Take it again in good light, flat and from straight above.")
    return Scan((readings[0], readings[1]), [_shown(page) for page in pages], boxes)


def _images(content: bytes) -> list[Picture]:
    """The pages of a file as grey pictures."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    from .pictures import KINDS, PIXELS

    if content.startswith(b"%PDF"):
        import pypdfium2

        try:
            pdf = pypdfium2.PdfDocument(content)
            return [pdf[k].render(scale=ENLARGED[0] / 72, maybe_alpha=False).to_pil().convert("L") for k in range(min(len(pdf), MOST_SCANNED))]
        except Exception:
            raise Unreadable("The PDF cannot be read; it may be damaged or protected by a password.") from None
    try:
        with Image.open(io.BytesIO(content), formats=KINDS) as opened:
            if opened.width * opened.height > PIXELS:
                raise Unreadable("This picture has more pixels than any phone produces.")
            try:
                upright = ImageOps.exif_transpose(opened).convert("L")
            except Exception:
                upright = opened.convert("L")
    except Unreadable:
        raise
    except UnidentifiedImageError:
        raise Unreadable("Choose a JPEG, PNG or WebP picture.") from None
    except Exception:
        raise Unreadable("This picture is damaged. Take it again.") from None
    if min(upright.size) < 300:
        raise Unreadable("This picture is too small to be read. Take it closer, or with more pixels.")
    most = _wanted(upright, ENLARGED[1])
    if upright.width > most:
        upright = upright.resize((most, round(upright.height * most / upright.width)), Image.Resampling.LANCZOS)
    return [upright]


def _wanted(image: Picture, dpi: int) -> int:
    """Width [px] that a page has at a resolution, upright or lying."""
    return round(dpi * PAGE_IN[image.width > image.height])


def straight(image: Picture) -> Picture:
    """A grey page, even in its light and turned so that its lines are level."""
    from PIL import Image, ImageFilter, ImageMath

    small = image.resize((max(image.width // 16, 1), max(image.height // 16, 1)), Image.Resampling.BOX)
    paper = small.filter(ImageFilter.MaxFilter(5)).filter(ImageFilter.GaussianBlur(4)).resize(image.size, Image.Resampling.BILINEAR)
    even = ImageMath.lambda_eval(lambda a: a["convert"](a["min"](a["image"] * 255 / a["max"](a["paper"], 1), 255), "L"), image=image, paper=paper)
    turned = _turned(even)
    return _without_rules(even if abs(turned) < 0.05 else even.rotate(turned, resample=Image.Resampling.BICUBIC, expand=True, fillcolor=255))


def _without_rules(page: Picture) -> Picture:
    """A page without the rules of its tables: thin, and dark far beyond a letter, along or across."""
    from PIL import Image, ImageChops, ImageFilter

    inch = page.width / PAGE_IN[page.width > page.height]
    far, beside = max(round(inch * 0.3), 8), max(round(inch * 0.025), 3)  # px averaged along a rule; px beside it where it is light again
    clean = page.copy()
    for along in (0, 1):
        size = (max(page.width // far, 1), page.height) if along == 0 else (page.width, max(page.height // far, 1))
        mean = page.resize(size, Image.Resampling.BOX)
        dark, weak, light = (
            mean.point(lambda v, at=at, below=below: 255 if (v < at) == below else 0) for at, below in ((150, True), (205, True), (190, False))
        )

        def moved(mask: Picture, step: int, on: bool, along: int = along) -> Picture:
            """A mask moved along the rules (on) or to their side."""
            return ImageChops.offset(mask, step, 0) if on == (along == 0) else ImageChops.offset(mask, 0, step)

        thin = ImageChops.darker(moved(light, beside, False), moved(light, -beside, False))
        thin = ImageChops.darker(thin, _unbroken(page, size, along))
        sure, maybe = ImageChops.darker(dark, thin), ImageChops.darker(weak, thin)
        long = ImageChops.darker(sure, ImageChops.lighter(moved(sure, 1, True), moved(sure, -1, True)))  # of two pieces at least
        ends = ImageChops.lighter(moved(long, 1, True), moved(long, -1, True))
        rules = ImageChops.lighter(long, ImageChops.darker(maybe, ends))
        clean.paste(255, mask=rules.resize(page.size, Image.Resampling.NEAREST).filter(ImageFilter.MaxFilter(5)))
    return clean


def _unbroken(page: Picture, size: tuple[int, int], along: int) -> Picture:
    """Where a page has no light within a piece of a rule, along or across, so that letters below each other are none: a mask of this size."""
    from PIL import Image, ImageChops

    fine = page.resize((size[0] * PARTS, size[1]) if along == 0 else (size[0], size[1] * PARTS), Image.Resampling.BOX)
    lightest = fine
    for step in range(1, PARTS // 2 + 1):
        for shift in (step, -step):
            lightest = ImageChops.lighter(lightest, ImageChops.offset(fine, *((shift, 0) if along == 0 else (0, shift))))
    whole: Picture = lightest.resize(size, Image.Resampling.NEAREST).point(lambda value: 255 if value < LIGHT else 0)
    return whole


def _turned(image: Picture) -> float:
    """By how many degrees a page has to be turned: at that angle its rows of ink and of paper are told apart best."""
    from PIL import Image, ImageOps

    width = 700
    ink = ImageOps.invert(image.resize((width, max(round(image.height * width / image.width), 1)), Image.Resampling.BOX))

    def sharp(angle: float) -> float:
        rows = list(ink.rotate(angle, resample=Image.Resampling.BILINEAR).resize((1, ink.height), Image.Resampling.BOX).tobytes())
        return float(sum((a - b) ** 2 for a, b in pairwise(rows)))

    best = max((k / 2 for k in range(-12, 13)), key=sharp)
    return max((best + k / 10 for k in range(-4, 5)), key=sharp)


def _enlarged(page: Picture, dpi: int, block: Block = WHOLE) -> bytes:
    """A block of a page as the reader of letters takes it, at a resolution."""
    from PIL import Image

    width = _wanted(page, dpi)
    height = max(round(page.height * width / page.width), 1)
    left, top, right, bottom = block
    size = max(round((right - left) * width), 1), max(round((bottom - top) * height), 1)
    box = (left * page.width, top * page.height, right * page.width, bottom * page.height)
    out = io.BytesIO()
    page.resize(size, Image.Resampling.BICUBIC, box=box).save(out, "PPM")
    return out.getvalue()


def _told(page: Picture, dpi: int, languages: str, kind: str, block: Block = WHOLE) -> str:
    """What the reader of letters prints of a block of a page. Raises Unreadable."""
    try:
        done = subprocess.run(
            ["tesseract", "stdin", "stdout", "--psm", "6", "--dpi", str(dpi), "-l", languages, *([kind] if kind else [])], input=_enlarged(page, dpi, block),
            capture_output=True, timeout=_WALL_S, check=False, env={**os.environ, "OMP_THREAD_LIMIT": "1"},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise Unreadable("This picture takes too long to be read. Cut it to the table of results.") from None
    if done.returncode:
        raise Unreadable("This picture cannot be read. Take it again in good light, flat and from straight above.")
    return done.stdout.decode("utf-8", "replace")


def _languages(page: Picture) -> str:
    """English, and the language that more of its words stand in, as far as it is there."""
    installed = subprocess.run(["tesseract", "--list-langs"], capture_output=True, check=False).stdout.decode().split()
    said = set(re.findall(r"[a-z]{3,}", plain(_told(page, 200, "eng", ""))))
    counted = {name: len(said & set(words)) for name, words in table("report_words")["tongues"].items()}
    most = max(counted, key=lambda name: counted[name])
    wanted = ["eng", *([LANGUAGES[most]] if counted[most] >= 2 else [])]
    return "+".join(each for each in wanted if each in installed) or "eng"


def _words(page: Picture, dpi: int, languages: str) -> list[list[dict[str, Any]]]:
    """The words of a page, line by line, with their places as shares of its width and height."""
    lines: dict[tuple[str, ...], list[dict[str, Any]]] = {}
    width = _wanted(page, dpi)
    height = max(round(page.height * width / page.width), 1)
    for block in blocks(page):
        for row in _told(page, dpi, languages, "tsv", block).splitlines()[1:]:
            parts = row.split("\t")
            if len(parts) < 12 or parts[0] != "5" or float(parts[10]) < 0:
                continue
            text = _NOISE.sub("", parts[11].strip())
            if not re.search(r"[\w<>]", text):
                continue
            left, top, wide, high = (int(part) for part in parts[6:10])
            x, y = left / width + block[0], top / height + block[1]
            word = {"text": text, "x0": x, "x1": x + wide / width, "top": y, "bottom": y + high / height}
            lines.setdefault((str(block), *parts[2:5]), []).append(word)
    return list(lines.values())


def _lines(found: list[list[dict[str, Any]]], number: int, page: Picture, mark: str, boxes: dict[str, Box]) -> list[SheetLine]:
    """Lines of cells with their places, as of a text page; their boxes on the page as it is shown are kept beside."""
    lines = []
    shape = page.height / page.width
    tall = [(word["bottom"] - word["top"]) * shape for words in found for word in words]
    gap = _GAP * statistics.median(tall) if tall else 0.0
    for k, words in enumerate(found, 1):
        cells: list[tuple[str, tuple[float, float]]] = []
        for word in sorted(words, key=lambda word: float(word["x0"])):
            if cells and word["x0"] - cells[-1][1][1] < gap:
                cells[-1] = (f"{cells[-1][0]} {word['text']}", (cells[-1][1][0], word["x1"]))
            else:
                cells.append((word["text"], (word["x0"], word["x1"])))
        at = f"{number}:{k}{mark}"
        kept = cells[:MOST_CELLS]
        lines.append(SheetLine(at, tuple(text[:MOST_LETTERS] for text, _ in kept), tuple((a * UNITS, b * UNITS) for _, (a, b) in kept)))
        top, bottom = min(word["top"] for word in words), max(word["bottom"] for word in words)
        edge = (bottom - top) * 0.35
        high = SHOWN * shape
        left, right = max(min(word["x0"] for word in words) - 0.01, 0.0), min(max(word["x1"] for word in words) + 0.01, 1.0)
        x, y, width, height = left * SHOWN, max(top - edge, 0.0) * high, (right - left) * SHOWN, (bottom - top + 2 * edge) * high
        boxes[at] = (number, round(x, 1), round(y, 1), round(width, 1), round(height, 1))
    return lines


def _shown(page: Picture) -> bytes:
    """A page as it is shown beside what was read."""
    from PIL import Image

    out = io.BytesIO()
    page.resize((SHOWN, max(round(page.height * SHOWN / page.width), 1)), Image.Resampling.LANCZOS).save(out, "JPEG", quality=70, optimize=True)
    return out.getvalue()
