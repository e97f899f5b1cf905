"""Photos and documents of a place: kept with the job, shown on its Site page, looked at by all of the firm."""

from __future__ import annotations

from typing import Any

from intake.pictures import photo

from ..outcome import Done, Refused
from ..records.customer import SiteFile
from ..records.job import Job
from .acting import use_case
from .jobs import hold

MOST = 60  # of a job
LARGEST = 10_000_000  # bytes of a document


def is_document(raw: bytes) -> bool:
    """Whether it is a PDF, by its content."""
    return raw[:1024].lstrip().startswith(b"%PDF-")


@use_case("run.write")
def add(job: Job, name: str, raw: bytes, user: Any) -> Done[SiteFile]:
    """Keep a photo, made small, or a document. Raises Refused."""
    kind, content = (SiteFile.DOCUMENT, raw) if is_document(raw) else (SiteFile.PHOTO, photo(raw).image)
    name = " ".join(name.split())[:120] or kind
    if len(content) > LARGEST:
        raise Refused(f"This file is larger than {LARGEST // 1_000_000} MB.")
    hold(job)
    if SiteFile.objects.filter(job=job).count() >= MOST:
        raise Refused(f"{MOST} files of a job are kept. Delete one first.")
    return Done(SiteFile.objects.create(job=job, name=name, kind=kind, content=content, size=len(content), by_name=user.get_username()))


def files_of(job: Job) -> Any:
    """The files of a job without their content, in the order they came."""
    return SiteFile.objects.filter(job=job).defer("content")


@use_case("run.write")
def remove(job: Job, pk: int) -> Done[None]:
    """Delete a file of a job; one that is gone already is no fault."""
    SiteFile.objects.filter(job=job, pk=pk).delete()
    return Done(None)
