"""Papers of an issued design, printed from what is frozen alone, kept as they were first printed."""

from __future__ import annotations

import hashlib
import io

from django.db import IntegrityError, transaction
from django.template.loader import render_to_string

from treatment.language.messages import messages_in
from treatment.papers.printed import PAPERS, SAFETY, page_size

from ..readers import as_read, read_by
from ..records.issue import Issue, IssuePaper
from ..usecases.issues import document_of, language_of
from .printing import pdf

#: papers that an owner reads
OWNERS = ("proposal", "book", "labels")
#: how wide a page is shown small [px]
WIDE = 440


def paper_of(held: Issue, name: str) -> IssuePaper:
    """A paper of an issue, printed where it was not yet. Raises KeyError for a paper there is not, Busy where others print."""
    kept = IssuePaper.objects.filter(issue=held, name=name).first()
    if kept is not None:
        return kept
    content = pdf(page_of(held, name))
    made = IssuePaper(issue=held, name=name, content=content, sha256=hashlib.sha256(content).hexdigest(), pages=pages_of(content))
    try:
        with transaction.atomic():
            made.save()
    except IntegrityError:  # printed at the same moment
        return IssuePaper.objects.get(issue=held, name=name)
    return made


def page_of(held: Issue, name: str) -> str:
    """A paper as the page it is printed from: the frozen document and what is written about the issue itself."""
    whole = document_of(held)
    read_by(whole["design"]["job"]["standard"])
    context = {
        "paper": PAPERS[name](whole), "frozen": whole, "revision": held.revision, "issued_at": held.issued_at, "sum": held.sha256[:8], "engine": held.engine,
        "safety": SAFETY, "size": page_size(whole["design"]["job"]["units"]), "drawings": whole["papers"], "to_scale": name == "pack",
    }  # fmt: skip
    language = language_of(held) if name in OWNERS else "en"
    say = messages_in(language) or str
    context["page_words"] = say("Page"), say("of")
    return as_read(render_to_string("issues/paper.html", context), language)


def pages_of(content: bytes) -> int:
    """How many pages a PDF has."""
    from pypdfium2 import PdfDocument

    document = PdfDocument(io.BytesIO(content))
    try:
        return len(document)
    finally:
        document.close()


def picture_of(content: bytes, number: int) -> bytes:
    """A page of a PDF, counted from 1, as a small PNG."""
    from pypdfium2 import PdfDocument

    document = PdfDocument(io.BytesIO(content))
    try:
        page = document[number - 1]
        shown = page.render(scale=WIDE / page.get_width()).to_pil()
    finally:
        document.close()
    out = io.BytesIO()
    shown.convert("RGB").quantize(64).save(out, "PNG", optimize=True)
    return out.getvalue()
