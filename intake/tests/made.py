"""Files made for the tests."""

from __future__ import annotations

import io
import zlib

from openpyxl import Workbook


def spreadsheet(rows: list[list[object]]) -> bytes:
    """A workbook of one sheet."""
    book = Workbook()
    for row in rows:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def saved(book: Workbook) -> bytes:
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def page(lines: list[list[tuple[float, str]]], height: float = 792.0) -> bytes:
    """A PDF of one page: lines of text, each piece at its place across the page; no rules."""
    said = []
    for row, pieces in enumerate(lines):
        for x, text in pieces:
            plain = text.encode("cp1252").replace(b"\\", b"\\\\").replace(b"(", b"\\(").replace(b")", b"\\)")
            said.append(b"BT /F 10 Tf 1 0 0 1 %.1f %.1f Tm (%s) Tj ET" % (x, height - 60 - 16 * row, plain))
    return pdf(b"\n".join(said), height)


def pdf(content: bytes, height: float = 792.0, packed: bool = False) -> bytes:
    """A PDF of one page with this content; packed: deflated, so that much of the same is little."""
    stream = zlib.compress(content, 9) if packed else content
    fonts = b"<</Font<</F<</Type/Font/Subtype/Type1/BaseFont/Helvetica/Encoding/WinAnsiEncoding>>>>>>"
    parts = [
        b"<</Type/Catalog/Pages 2 0 R>>", b"<</Type/Pages/Kids[3 0 R]/Count 1>>",
        b"<</Type/Page/Parent 2 0 R/MediaBox[0 0 612 %d]/Contents 4 0 R/Resources%s>>" % (height, fonts),
        b"<<%s/Length %d>>stream\n" % (b"/Filter/FlateDecode" if packed else b"", len(stream)) + stream + b"\nendstream",
    ]  # fmt: skip
    made, places = b"%PDF-1.4\n", []
    for number, part in enumerate(parts, 1):
        places.append(len(made))
        made += b"%d 0 obj\n" % number + part + b"\nendobj\n"
    table = b"xref\n0 5\n0000000000 65535 f \n" + b"".join(b"%010d 00000 n \n" % place for place in places)
    return made + table + b"trailer<</Size 5/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF" % len(made)


def photograph(document: bytes, turned: float = 2.0, shadow: bool = True, dpi: int = 150) -> bytes:
    """The first page of a PDF as a phone takes it: turned by degrees, darker to one side, a little out of focus, as JPEG."""
    import pypdfium2
    from PIL import Image, ImageChops, ImageFilter

    sheet = pypdfium2.PdfDocument(document)[0].render(scale=dpi / 72).to_pil().convert("L")
    taken = sheet.rotate(turned, expand=True, fillcolor=235, resample=Image.Resampling.BICUBIC)
    if shadow:
        fading = Image.linear_gradient("L").rotate(90).resize(taken.size).point(lambda light: 140 + light * 115 // 255)
        taken = ImageChops.multiply(taken, fading)
    out = io.BytesIO()
    taken.filter(ImageFilter.GaussianBlur(0.6)).convert("RGB").save(out, "JPEG", quality=80)
    return out.getvalue()
