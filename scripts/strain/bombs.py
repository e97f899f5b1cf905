"""Small files that would cost a careless reader minutes and gigabytes. Made here; nothing of them is anybody's."""

from __future__ import annotations

import io
import zipfile

from intake.tests.made import pdf

SHEET = '<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>{}</sheetData></worksheet>'


def bombs() -> dict[str, bytes]:
    """Name of the file, and what is in it."""
    return {
        "empty-cells.xlsx": _book(SHEET.format("".join(f'<row r="{i}">' + "<c/>" * 60 + "</row>" for i in range(1, 40_000)))),
        "shared-strings.xlsx": _book(
            SHEET.format("".join(f'<row r="{i}"><c r="A{i}" t="s"><v>0</v></c></row>' for i in range(1, 60_000))), "<si><t>iron</t></si>" * 800_000
        ),
        "unpacked.xlsx": _book(SHEET.format(" " * 300_000_000)),
        "words.pdf": _packed(b"BT /F 8 Tf 1 0 0 1 20 20 Tm " + b"(iron 1 mg/L) Tj 0 0.005 Td " * 120_000 + b"ET"),
        "blanks.pdf": _packed(b"BT /F 8 Tf " + b"(i ) Tj " * 400_000 + b"ET"),
        "lines.pdf": _packed(b"".join(b"%d 0 m %d 700 l S " % (i % 600, i % 600) for i in range(60_000))),
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


def _packed(content: bytes) -> bytes:
    return pdf(content, packed=True)
