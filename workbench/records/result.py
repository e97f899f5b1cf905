"""What was worked out of a job, kept where every process finds it."""

from __future__ import annotations

from django.db import models

#: the whole design document, and which test next
KINDS = ("document", "tests")


class Result(models.Model):
    """Something dear that was worked out of a job; good while ``key`` is that of the document, the train, the engine and the day it stands on."""

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="results")
    kind = models.CharField(max_length=10)
    key = models.CharField(max_length=64)
    #: of the core that made it
    core = models.CharField(max_length=64, default="")
    #: JSON as text, so that the same bytes come out
    content = models.TextField()
    made_at = models.DateTimeField()

    class Meta:
        app_label = "jobs"
        constraints = [
            models.UniqueConstraint(fields=["job", "kind"], name="result_once"),
            models.CheckConstraint(condition=models.Q(kind__in=KINDS), name="result_kind_known"),
        ]

    def __str__(self) -> str:
        return f"{self.kind} of {self.job}"
