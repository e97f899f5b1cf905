"""A job's page on paper. What was printed is kept until its facts change: the page's own text tells."""

from __future__ import annotations

import hashlib
from http import HTTPStatus
from typing import Any

from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string

from ..error_views import told
from ..readers import as_read
from ..records.job import Job, KeptPaper
from .attached import attached
from .printing import Busy, pdf

#: counts up where the same page would print otherwise, as with new fonts
PRINT = 2
#: papers of a job that are kept, and the largest [bytes]
KEPT, LARGEST = 8, 8_000_000


def printed(request: HttpRequest, template: str, context: dict[str, Any], job: Job, name: str) -> HttpResponse:
    """A template as PDF, or the page that says that others are being printed."""
    page = as_read(render_to_string(template, context))
    key = hashlib.sha256(f"{PRINT} {page}".encode()).hexdigest()
    held = KeptPaper.objects.filter(job=job, key=key).values_list("content", flat=True).first()
    if held is not None:
        return attached(bytes(held), "application/pdf", job, name)
    try:
        made = pdf(page)
    except Busy:
        return told(request, HTTPStatus.SERVICE_UNAVAILABLE, "Other papers are being printed. Nothing is lost: go back and try again in a moment.")
    _keep(job, name, key, made)
    return attached(made, "application/pdf", job, name)


def _keep(job: Job, name: str, key: str, made: bytes) -> None:
    """Keep a paper, the newest few of a job; where another request kept it meanwhile, or the job went, nothing is lost."""
    if len(made) > LARGEST:
        return
    try:
        with transaction.atomic():
            KeptPaper.objects.create(job=job, name=name[:40], key=key, content=made)
            kept = KeptPaper.objects.filter(job=job).order_by("-made_at", "-pk").values_list("pk", flat=True)[:KEPT]
            KeptPaper.objects.filter(job=job).exclude(pk__in=list(kept)).delete()
    except IntegrityError:
        return
