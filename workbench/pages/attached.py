"""Files that leave a job, named after it."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse
from django.utils.text import slugify

from ..records.job import Job


def attached(content: bytes | str, kind: str, job: Job, ending: str) -> HttpResponse:
    """A file to keep. kind: its content type; ending: the rest of its name, such as ``wall.pdf``."""
    response = HttpResponse(content, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{slugify(job.name) or "job"}-{ending}"'
    return response


def attached_json(document: dict[str, Any], job: Job, ending: str) -> HttpResponse:
    """A document to keep, as it is read by people too: a line for each member, and letters as they are."""
    response = JsonResponse(document, json_dumps_params={"indent": 1, "ensure_ascii": False})
    return attached(response.content, "application/json", job, ending)
