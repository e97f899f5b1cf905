"""Train options of a job, with every state they went through: undo walks back along the revisions."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from .history import kept


@kept("job", "letter", "at")
class TrainOption(models.Model):
    """Option A, B or C of a job. ``version`` counts saves: a stale save is refused. ``at`` is the revision shown."""

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="options")
    letter = models.CharField(max_length=1, default="A")
    version = models.PositiveIntegerField(default=1)
    at = models.PositiveIntegerField(default=0)
    updated_at = models.DateTimeField(auto_now=True)
    updated_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        app_label = "trains"
        constraints = [
            models.UniqueConstraint(fields=["job", "letter"], name="one_option_a_letter"),
            models.CheckConstraint(condition=models.Q(letter__in=["A", "B", "C"]), name="option_letter_known"),
        ]

    def __str__(self) -> str:
        return f"option {self.letter} of {self.job}"


@kept("option", "number", "summary")
class Revision(models.Model):
    """A state of an option: its stages as the job document writes them, None for the planner's proposal."""

    option = models.ForeignKey(TrainOption, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    stages = models.JSONField(null=True, blank=True)
    summary = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        app_label = "trains"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["option", "number"], name="one_revision_a_number")]

    def __str__(self) -> str:
        return f"{self.option}, {self.number}: {self.summary}"
