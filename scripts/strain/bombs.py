"""Small files that would cost a careless reader minutes and gigabytes. Made here; nothing of them is anybody's."""

from __future__ import annotations

import io
import zipfile
import zlib

SHEET = '<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData></worksheet>'


def bombs() -> dict[str, bytes]:
    """Name of the file, and what is in it."""
    return {
        "empty-cells.xlsx": _book(SHEET.format("".join(f'<row r="{i}">' + "<c/>" * 60 + "</row>" for i in range(1, 40_000)))),
        "shared-strings.xlsx": _book(
            SHEET.format("".join(f'<row r="{i}"><c r="A{i}" t="s"><v>0</v></c></row>' for i in range(1, 60_000))), "<si><t>iron</t></si>" * 800_000
        ),
        "unpacked.xlsx": _book(SHEET.format(" " * 300_000_000)),
        "words.pdf": _pdf(b"BT /F 8 Tf 1 0 0 1 20 20 Tm " + b"(iron 1 mg/L) Tj 0 0.005 Td " * 120_000 + b"ET"),
        "blanks.pdf": _pdf(b"BT /F 8 Tf " + b"(i ) Tj " * 400_000 + b"ET"),
        "lines.pdf": _pdf(b"".join(b"%d 0 m %d 700 l S " % (i % 600, i % 600) for i in range(60_000))),
        "names.csv": b"Parameter,Result,Unit\n" + b"".join(b"Unknownium %d,1,mg/L\n" % i for i in range(20_000)),
        "wide.csv": b",".join(b"1" for _ in range(400_000)),
    }


def _book(sheet: str, shared: str = "") -> bytes:
    from openpyxl import Workbook

    plain, made = io.BytesIO(), io.BytesIO()
    book = Workbook()
    book.worksheets[0].append(["iron"])
    book.save(plain)
    with zipfile.ZipFile(plain) as source, zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as target:
        for name in source.namelist():
            content = sheet.encode() if name.startswith("xl/worksheets/sheet") else source.read(name)
            if name == "xl/sharedStrings.xml" and shared:
                content = f'<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">{shared}</sst>'.encode()
            target.writestr(name, content)
    return made.getvalue()


def _pdf(content: bytes) -> bytes:
    packed = zlib.compress(content, 9)
    parts = [
        b"<</Type/Catalog/Pages 2 0 R>>", b"<</Type/Pages/Kids[3 0 R]/Count 1>>",
        b"<</Type/Page/Parent 2 0 R/MediaBox[0 0 612 792]/Contents 4 0 R/Resources<</Font<</F<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>>>>>>>",
        b"<</Filter/FlateDecode/Length %d>>stream\n" % len(packed) + packed + b"\nendstream",
    ]  # fmt: skip
    made, places = b"%PDF-1.4\n", []
    for number, part in enumerate(parts, 1):
        places.append(len(made))
        made += b"%d 0 obj\n" % number + part + b"\nendobj\n"
    table = b"xref\n0 5\n0000000000 65535 f \n" + b"".join(b"%010d 00000 n \n" % place for place in places)
    return made + table + b"trailer<</Size 5/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF" % len(made)
