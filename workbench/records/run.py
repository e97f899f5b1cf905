"""A run sheet in use: its plan, and everything that happened on it. Events are only ever added."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from treatment.commissioning.run import KINDS

from .history import kept


class StartRun(models.Model):
    """The starting up of a job. ``version`` counts changes of the plan: a stale one is refused; events have numbers of their own."""

    job = models.OneToOneField("jobs.Job", on_delete=models.CASCADE, related_name="start_run")
    #: when the first visit begins, by the clock of the place
    start = models.DateTimeField(null=True, blank=True)
    #: number of a visit -> when it is wanted [min after midnight of the first visit's day]
    moved = models.JSONField(default=dict, blank=True)
    version = models.PositiveIntegerField(default=1)
    #: step id -> title, of every step when the first thing was done
    begun_with = models.JSONField(default=dict, blank=True)
    #: number of the last event, and how many steps were open after it
    last = models.PositiveIntegerField(default=0)
    open_steps = models.PositiveIntegerField(null=True, blank=True)
    updated_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        app_label = "starts"

    @property
    def wanted(self) -> dict[int, float]:
        """Visits that were moved: number -> when [min after midnight of the first visit's day]."""
        return {int(number): float(minute) for number, minute in self.moved.items()}

    def __str__(self) -> str:
        return f"starting up of {self.job}"


@kept("run", "step", "kind", "text", "title")
class StartEvent(models.Model):
    """Something done on a sheet; see ``treatment.starting.run.Event``. ``at`` is when it was done, ``sent_at`` when the phone sent it."""

    run = models.ForeignKey(StartRun, on_delete=models.CASCADE, related_name="events")
    number = models.PositiveIntegerField()
    key = models.CharField(max_length=64)
    step = models.CharField(max_length=120)
    kind = models.CharField(max_length=8)
    at = models.DateTimeField()
    received_at = models.DateTimeField(auto_now_add=True)
    #: by how many seconds the phone's clock was put right
    clock_s = models.IntegerField(default=0)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    by_name = models.CharField(max_length=150)
    base = models.PositiveIntegerField(default=0)
    text = models.TextField(blank=True)
    about = models.CharField(max_length=120, blank=True)
    low = models.FloatField(null=True, blank=True)
    high = models.FloatField(null=True, blank=True)
    title = models.CharField(max_length=200, blank=True)

    class Meta:
        app_label = "starts"
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["run", "number"], name="one_start_event_a_number"),
            models.UniqueConstraint(fields=["run", "key"], name="one_start_event_a_key"),
            models.CheckConstraint(condition=Q(kind__in=KINDS), name="start_event_kind_known"),
        ]

    def __str__(self) -> str:
        return f"{self.number}: {self.kind} {self.step}"


class StartRecord(models.Model):
    """A commissioning record as it was when the last step was done or skipped, or something was added after that. number: of the event it was kept at.

    document: its ``cairn-commissioning/1`` as canonical JSON, so that the same bytes come out for ever; sha256: over them.
    """

    run = models.ForeignKey(StartRun, on_delete=models.CASCADE, related_name="records")
    number = models.PositiveIntegerField()
    made_at = models.DateTimeField(auto_now_add=True)
    document = models.TextField()
    sha256 = models.CharField(max_length=64)
    engine = models.CharField(max_length=40)

    class Meta:
        app_label = "starts"
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["run", "number"], name="one_start_record_an_event")]

    def __str__(self) -> str:
        return f"record of {self.run} after {self.number}"


class StartPhoto(models.Model):
    """A picture at a step: scaled, turned upright, stripped of what the camera wrote into it."""

    event = models.OneToOneField(StartEvent, on_delete=models.CASCADE, related_name="photo")
    image = models.BinaryField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()

    class Meta:
        app_label = "starts"

    def __str__(self) -> str:
        return f"{self.event.text}, {self.width} × {self.height}"
