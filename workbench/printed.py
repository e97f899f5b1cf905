"""A job's page on paper."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string

from .attached import attached
from .error_views import told
from .jobs.models import Job
from .readers import spelled_paper
from .walls.printing import Busy, pdf


def printed(request: HttpRequest, template: str, context: dict[str, Any], job: Job, name: str) -> HttpResponse:
    """A template as PDF, or the page that says that others are being printed."""
    try:
        return attached(pdf(spelled_paper(render_to_string(template, context))), "application/pdf", job, name)
    except Busy:
        return told(request, HTTPStatus.SERVICE_UNAVAILABLE, "Other papers are being printed. Nothing is lost: go back and try again in a moment.")
