"""The log of a job: entries as ``cairn-log/1`` writes them, what was said of causes, devices that write, addresses of calendars."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from .history import kept


class JobLog(models.Model):
    """The log of a job. What it comes to is kept with it as last worked out, so that the firm's calendar need not read every log.

    due_on: of the soonest task; coming: day, task, words and who of each; events: its visits for a calendar; dangers: how many causes are one; worked_on, worked_for: the day,
    and the rules and version of the job, that this stands on.
    """

    job = models.OneToOneField("jobs.Job", on_delete=models.CASCADE, related_name="log")
    started_on = models.DateField()
    #: who looks after this house
    technician = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    #: where it lies, as the firm calls its areas
    area = models.CharField(max_length=60, blank=True)
    due_on = models.DateField(null=True, blank=True)
    coming = models.JSONField(default=list, blank=True)
    dangers = models.PositiveIntegerField(default=0)
    #: its visits of the year that comes, as pieces of a calendar
    events = models.TextField(blank=True)
    worked_on = models.DateField(null=True, blank=True)
    worked_for = models.CharField(max_length=40, blank=True)

    class Meta:
        app_label = "logs"
        indexes = [models.Index(fields=["due_on"], name="job_log_due"), models.Index(fields=["worked_on"], name="job_log_worked")]

    def __str__(self) -> str:
        return f"log of {self.job}"


@kept("log", "on", "body", "gone")
class LogEntry(models.Model):
    """One entry. body: as the log writes it, without its day; key: of whoever made it, so that what is sent twice counts once."""

    log = models.ForeignKey(JobLog, on_delete=models.CASCADE, related_name="entries")
    on = models.DateField()
    body = models.JSONField(default=dict)
    key = models.CharField(max_length=64)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    by_name = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)
    gone = models.BooleanField(default=False)

    class Meta:
        app_label = "logs"
        ordering = ["-on", "-pk"]
        constraints = [models.UniqueConstraint(fields=["log", "key"], name="one_log_entry_a_key")]
        indexes = [models.Index(fields=["log", "on"], name="log_entry_order")]

    def __str__(self) -> str:
        return f"{self.on}: {self.body}"


class LogPhoto(models.Model):
    """A picture at an entry, small and plain."""

    entry = models.ForeignKey(LogEntry, on_delete=models.CASCADE, related_name="photos")
    image = models.BinaryField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()

    class Meta:
        app_label = "logs"

    def __str__(self) -> str:
        return f"{self.width} × {self.height}"


class CauseNote(models.Model):
    """What somebody said of a cause: taken as so, or set aside, with the reason; seen: the evidence then, to tell when it comes again."""

    log = models.ForeignKey(JobLog, on_delete=models.CASCADE, related_name="notes")
    cause = models.CharField(max_length=80)
    stage = models.CharField(max_length=80, blank=True)
    verdict = models.CharField(max_length=8, choices=[("accept", "confirmed"), ("dismiss", "dismissed")])
    reason = models.CharField(max_length=300)
    on = models.DateField()
    by_name = models.CharField(max_length=150)

    class Meta:
        app_label = "logs"
        ordering = ["-pk"]
        constraints = [models.CheckConstraint(condition=models.Q(verdict__in=["accept", "dismiss"]), name="cause_note_verdict_known")]

    def __str__(self) -> str:
        return f"{self.cause}: {self.verdict}"


class Sender(models.Model):
    """Somebody who comes without a log-in, by a secret of which only the hash is kept.

    by: who let them in; it ends when that person leaves the firm. minute, count: how often they came within the minute that began then.
    """

    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    last_at = models.DateTimeField(null=True, blank=True)
    minute = models.DateTimeField(null=True, blank=True)
    count = models.PositiveIntegerField(default=0)

    class Meta:
        app_label = "logs"
        abstract = True


@kept("log", "name")
class Device(Sender):
    """A device that may write readings of one job, by a token of its own; only the token's hash is kept."""

    log = models.ForeignKey(JobLog, on_delete=models.CASCADE, related_name="devices")
    name = models.CharField(max_length=60)
    token_hash = models.CharField(max_length=64, unique=True)

    def __str__(self) -> str:
        return self.name


@kept("log")
class OwnerLink(Sender):
    """A private address of one house for its owner, who has no account. It ends when its row is taken away, or the firm allows none."""

    log = models.ForeignKey(JobLog, on_delete=models.CASCADE, related_name="owner_links")
    secret_hash = models.CharField(max_length=64, unique=True)
    by_name = models.CharField(max_length=150)

    def __str__(self) -> str:
        return f"owner's address of {self.log.job}"


class CalendarLink(Sender):
    """A private address of a calendar: of one job, of the houses of one technician, or of the firm. It ends when its row is taken away."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="calendar_links")
    job = models.ForeignKey("jobs.Job", null=True, blank=True, on_delete=models.CASCADE, related_name="calendar_links")
    technician = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    secret_hash = models.CharField(max_length=64, unique=True)
    by_name = models.CharField(max_length=150)

    def __str__(self) -> str:
        return f"calendar of {self.job or self.technician or self.workspace}"
