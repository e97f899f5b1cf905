"""Files that leave a job, named after it."""

from __future__ import annotations

from django.http import HttpResponse
from django.utils.text import slugify

from .jobs.models import Job


def attached(content: bytes | str, kind: str, job: Job, ending: str) -> HttpResponse:
    """A file to keep. kind: its content type; ending: the rest of its name, such as ``wall.pdf``."""
    response = HttpResponse(content, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{slugify(job.name) or "job"}-{ending}"'
    return response
