"""Designs that were issued. What is frozen never changes; what happens to an issue afterwards stands beside it."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from .history import kept

STATES = ("offered", "accepted", "declined", "withdrawn")
#: what a link shows: the proposal, the owner's book, the installer's run sheet with its pack
KINDS = ("proposal", "book", "run")


@kept("job", "revision", "to", "state")
class Issue(models.Model):
    """A frozen design. frozen: its canonical JSON as text, so that the same bytes come out for ever; sha256: over them."""

    job = models.ForeignKey("jobs.Job", on_delete=models.RESTRICT, related_name="issues")
    number = models.PositiveIntegerField()
    revision = models.CharField(max_length=6)
    to = models.CharField(max_length=200)
    #: why it was issued although a danger is open
    reason = models.CharField(max_length=300, blank=True)
    frozen = models.TextField()
    sha256 = models.CharField(max_length=64)
    engine = models.CharField(max_length=40)
    state = models.CharField(max_length=10, default="offered")
    issued_at = models.DateTimeField()
    issued_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    by_name = models.CharField(max_length=150)

    class Meta:
        app_label = "issues"
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["job", "number"], name="issue_number_once"),
            models.CheckConstraint(condition=models.Q(state__in=STATES), name="issue_state_known"),
        ]

    def __str__(self) -> str:
        return f"{self.job}, revision {self.revision}"


class IssueEvent(models.Model):
    """Something that happened to an issue: by whom, when, with which note."""

    issue = models.ForeignKey(Issue, on_delete=models.CASCADE, related_name="events")
    what = models.CharField(max_length=20)
    at = models.DateTimeField(auto_now_add=True)
    by_name = models.CharField(max_length=150)
    note = models.CharField(max_length=1000, blank=True)

    class Meta:
        app_label = "issues"
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.what}: {self.issue}"


class IssuePaper(models.Model):
    """A paper of an issue as it was first printed."""

    issue = models.ForeignKey(Issue, on_delete=models.CASCADE, related_name="papers")
    name = models.CharField(max_length=20)
    content = models.BinaryField()
    sha256 = models.CharField(max_length=64)
    pages = models.PositiveIntegerField()

    class Meta:
        app_label = "issues"
        constraints = [models.UniqueConstraint(fields=["issue", "name"], name="issue_paper_once")]

    def __str__(self) -> str:
        return f"{self.name} of {self.issue}"


@kept("issue", "kind", "ended_at")
class IssueLink(models.Model):
    """An address without an account that shows one thing of one issue. Only a hash of its secret is kept."""

    issue = models.ForeignKey(Issue, on_delete=models.CASCADE, related_name="links")
    kind = models.CharField(max_length=10)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    by_name = models.CharField(max_length=150)
    ends_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    opened = models.PositiveIntegerField(default=0)

    class Meta:
        app_label = "issues"
        ordering = ["-pk"]
        constraints = [models.CheckConstraint(condition=models.Q(kind__in=KINDS), name="issue_link_kind_known")]

    def __str__(self) -> str:
        return f"{self.kind} of {self.issue}"


class LinkOpening(models.Model):
    """How often links were opened from an address (its hash) in a minute."""

    address = models.CharField(max_length=64)
    minute = models.DateTimeField()
    count = models.PositiveIntegerField(default=0)

    class Meta:
        app_label = "issues"
        constraints = [models.UniqueConstraint(fields=["address", "minute"], name="link_opening_once")]

    def __str__(self) -> str:
        return f"{self.count} at {self.minute}"
