"""Water samples and their readings. A reading is an interval in the analyte's canonical unit."""

from __future__ import annotations

from django.db import models
from django.db.models import F, Q

from .history import kept


class ReportFile(models.Model):
    """A report as it was sent, and what it was read as; kept for good once a sample is made of it."""

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="reports")
    name = models.CharField(max_length=200, blank=True)
    kind = models.CharField(max_length=100)
    content = models.BinaryField()
    #: see `intake.apart.as_stored`: samples of our own table, or the report, and where its rows stand on a picture
    read = models.JSONField()
    sent_at = models.DateTimeField(auto_now_add=True)
    sent_by = models.ForeignKey("auth.User", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        app_label = "samples"
        ordering = ["-sent_at", "-pk"]

    def __str__(self) -> str:
        return self.name or "pasted rows"


class ReportPage(models.Model):
    """A page of a picture, straightened, as it is shown beside what was read."""

    report = models.ForeignKey(ReportFile, on_delete=models.CASCADE, related_name="pages")
    number = models.PositiveSmallIntegerField()
    image = models.BinaryField()

    class Meta:
        app_label = "samples"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["report", "number"], name="one_picture_each")]

    def __str__(self) -> str:
        return f"page {self.number}"


@kept("job", "taken_on", "point", "draw", "weather", "method")
class Sample(models.Model):
    """Water taken at one place and time."""

    class Method(models.TextChoices):
        LABORATORY = "laboratory", "laboratory"
        STRIP = "strip", "strip kit"
        FIELD = "field", "field test"

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="samples")
    taken_on = models.DateField(null=True, blank=True)
    point = models.CharField(max_length=60, default="raw")
    draw = models.CharField(max_length=8, blank=True, choices=[("flushed", "flushed"), ("first", "first draw")])
    weather = models.CharField(
        max_length=12,
        blank=True,
        choices=[
            ("dry", "dry"),
            ("rain", "raining"),
            ("after_rain", "after rain"),
            ("snow_melt", "snow-melt"),
            ("drought", "long drought"),
            ("frost", "frost"),
        ],
    )
    method = models.CharField(max_length=12, blank=True, choices=Method.choices)
    #: rows of a report that were not understood: [{"name": …, "text": …, "why": …}]
    aside = models.JSONField(default=list, blank=True)
    report = models.ForeignKey(ReportFile, null=True, blank=True, on_delete=models.SET_NULL, related_name="samples")

    class Meta:
        app_label = "samples"
        ordering = ["-taken_on", "-pk"]

    def __str__(self) -> str:
        return f"{self.point} {self.taken_on or ''}".strip()


@kept("sample", "analyte", "typed")
class Reading(models.Model):
    """One result: low and high in the canonical unit (high empty: open above), and the text as it was written."""

    sample = models.ForeignKey(Sample, on_delete=models.CASCADE, related_name="readings")
    analyte = models.CharField(max_length=32)
    low = models.FloatField()
    high = models.FloatField(null=True, blank=True)
    qualifier = models.CharField(max_length=10)
    unit = models.CharField(max_length=16)
    typed = models.CharField(max_length=80)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        app_label = "samples"
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["sample", "analyte"], name="one_reading_each"),
            models.CheckConstraint(condition=Q(high__isnull=True) | Q(high__gte=F("low")), name="reading_interval_in_order"),
            models.CheckConstraint(
                condition=Q(qualifier__in=["exact", "below", "above", "interval", "present", "absent"]), name="reading_qualifier_known"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.analyte} {self.typed}"


class FirmKit(models.Model):
    """A kit that a firm copied and changed to what its own strips print. row: as the table of kits holds one; retired: no longer offered."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="kits")
    base = models.CharField(max_length=20)
    name = models.CharField(max_length=80)
    row = models.JSONField()
    retired = models.BooleanField(default=False)
    version = models.PositiveIntegerField(default=1)

    class Meta:
        app_label = "samples"
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def key(self) -> str:
        return f"firm-{self.pk}"


class KitSession(models.Model):
    """A kit being read at one place. Its readings go into ``sample``, made with the first answer."""

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="kit_sessions")
    kit = models.CharField(max_length=20)
    point = models.CharField(max_length=60, default="raw")
    sample = models.ForeignKey(Sample, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    started_at = models.DateTimeField()

    class Meta:
        app_label = "samples"
        ordering = ["-started_at", "-pk"]

    def __str__(self) -> str:
        return f"{self.kit} {self.started_at:%Y-%m-%d}"


class KitRun(models.Model):
    """One test of a session: when it was started (its timer), and what was seen."""

    session = models.ForeignKey(KitSession, on_delete=models.CASCADE, related_name="runs")
    test = models.CharField(max_length=30)
    started_at = models.DateTimeField()
    answered_at = models.DateTimeField(null=True, blank=True)
    answer = models.CharField(max_length=200, blank=True)
    late = models.BooleanField(default=False)

    class Meta:
        app_label = "samples"
        ordering = ["started_at", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["session", "test"], name="one_run_each"),
            models.CheckConstraint(condition=Q(answered_at__isnull=True) | Q(answered_at__gte=F("started_at")), name="kit_run_answered_after_start"),
        ]

    def __str__(self) -> str:
        return f"{self.test} {self.answer}"


class ReportLayout(models.Model):
    """How a laboratory writes: folded row name -> [analyte or "" for aside, unit where the report gives none]."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="report_layouts")
    header = models.CharField(max_length=300, blank=True)
    names = models.JSONField(default=dict)

    class Meta:
        app_label = "samples"
        constraints = [models.UniqueConstraint(fields=["workspace", "header"], name="one_layout_each")]

    def __str__(self) -> str:
        return self.header or "without a header"
