"""A job: one site, and what was found out about it. Quantities stand in canonical units."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from treatment.job.facts import STANDARDS
from treatment.language.messages import LANGUAGES

from .history import kept

#: where a job stands in a firm's work; set by what happens, or by hand
STATES = ("asked", "tested", "designed", "offered", "accepted", "installed", "kept", "closed")


def advance(job: Job, to: str) -> None:
    """Move a job on to a state; never back, whatever happens again."""
    before = STATES[: STATES.index(to)]
    Job.everything.filter(pk=job.pk, state__in=before).update(state=to)


class Standing(models.Manager["Job"]):
    """Jobs that are not in the bin: what every page, door and calendar sees."""

    def get_queryset(self) -> models.QuerySet[Job]:
        return super().get_queryset().filter(binned_at=None)


@kept("name", "standard", "units", "option", "state", "language", "customer", "place", "catalogue", "archived_at", "binned_at")
class Job(models.Model):
    """A site to be treated. ``version`` counts saves: a stale save is refused.

    archived_at: set where it is done with, and no longer in the list that opens first; binned_at: in the bin, where it stays for a while.
    """

    objects = Standing()
    everything: models.Manager[Job] = models.Manager()

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="jobs")
    name = models.CharField(max_length=120)
    standard = models.CharField(max_length=8, default="us")
    units = models.CharField(max_length=8, default="us")
    #: the train option that the job follows
    option = models.CharField(max_length=1, default="A")
    state = models.CharField(max_length=10, default="asked")
    #: what the owner reads: of their papers and pages
    language = models.CharField(max_length=5, default="en")
    customer = models.ForeignKey("customers.Customer", null=True, blank=True, on_delete=models.SET_NULL, related_name="jobs")
    place = models.ForeignKey("customers.Place", null=True, blank=True, on_delete=models.SET_NULL, related_name="jobs")
    #: the firm's catalogue that its equipment is chosen from; none for generic sizes
    catalogue = models.ForeignKey("catalogues.Catalogue", null=True, blank=True, on_delete=models.RESTRICT, related_name="jobs")
    version = models.PositiveIntegerField(default=1)
    created_at = models.DateTimeField(auto_now_add=True)
    updated_at = models.DateTimeField(auto_now=True)
    updated_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")
    archived_at = models.DateTimeField(null=True, blank=True)
    binned_at = models.DateTimeField(null=True, blank=True)

    #: whether it is looked at by somebody who sees prices and costs
    sees_money = True

    class Meta:
        app_label = "jobs"
        ordering = ["-updated_at", "pk"]
        constraints = [
            models.CheckConstraint(condition=Q(standard__in=STANDARDS), name="job_standard_known"),
            models.CheckConstraint(condition=Q(state__in=STATES), name="job_state_known"),
            models.CheckConstraint(condition=Q(units__in=["us", "metric"]), name="job_units_known"),
            models.CheckConstraint(condition=~Q(name=""), name="job_named"),
            models.CheckConstraint(condition=Q(option__in=["A", "B", "C"]), name="job_option_known"),
            models.CheckConstraint(condition=Q(language__in=list(LANGUAGES)), name="job_language_known"),
        ]
        indexes = [
            models.Index(fields=["workspace", "-updated_at", "id"], name="job_list_order"),
            models.Index(fields=["workspace", "name", "id"], name="job_list_names"),
        ]

    def __str__(self) -> str:
        return self.name


class KeptPaper(models.Model):
    """A paper that was printed, good for as long as its page reads the same: ``key`` is that of what is on it."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="papers")
    name = models.CharField(max_length=40)
    key = models.CharField(max_length=64)
    content = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        app_label = "jobs"
        constraints = [models.UniqueConstraint(fields=["job", "key"], name="paper_once")]

    def __str__(self) -> str:
        return self.name


class Presence(models.Model):
    """Who has a job open, and at which step; good for a minute or so after ``at``."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="present")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    step = models.CharField(max_length=20)
    at = models.DateTimeField()

    class Meta:
        app_label = "jobs"
        constraints = [models.UniqueConstraint(fields=["job", "user"], name="present_once")]

    def __str__(self) -> str:
        return f"{self.user} at {self.step}"


class JobFigures(models.Model):
    """What the list of jobs shows of a job; good while ``key`` is that of its facts, the week and the rules."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, primary_key=True, related_name="figures")
    key = models.CharField(max_length=64)
    #: name and silhouette of each stage, in the order the water takes
    stages = models.JSONField(default=list)
    #: severity and how many findings, the gravest first
    tally = models.JSONField(default=list)
    #: how grave the findings are, to sort by: a danger outweighs any number of faults
    gravity = models.PositiveIntegerField(default=0)
    #: False where the stored train can no longer be read
    readable = models.BooleanField(default=True)

    class Meta:
        app_label = "jobs"

    def __str__(self) -> str:
        return f"figures of {self.job}"


def positive(*names: str) -> list[models.CheckConstraint]:
    return [
        models.CheckConstraint(condition=Q(**{f"{name}__isnull": True}) | Q(**{f"{name}__gt": 0}), name=f"survey_{name}_positive") for name in names
    ]


#: what is kept of a survey: all of it
SURVEYED = (
    "job", "source_kind", "disinfectant", "last_event", "observations", "people", "use_per_person_l", "bathrooms", "fixtures",
    "top_fixture_height_m", "extra_daily_use_l", "flow_l_min", "drawdown_drawn_l", "drawdown_recovery_min", "pressure_low_kpa", "pressure_high_kpa",
    "night_pressure_kpa", "temperature_c", "coldest_c", "pipe_material", "pipe_size_m", "pipe_length_m", "soft_water", "soften_above_mg_l",
    "safe_to_drink", "low_sodium", "no_salt", "no_power", "spare_outdoor_taps", "target_ph", "peak_flow_school", "iron_school", "prefilter_school",
    "regeneration_school", "typed", "rest",
)  # fmt: skip


@kept(*SURVEYED)
class Survey(models.Model):
    """What was seen and measured on site. Columns are canonical; ``typed`` keeps each value as it was written.

    ``rest`` holds the parts of a job document that have no column yet, so that importing loses nothing.
    """

    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="survey")
    source_kind = models.CharField(max_length=16, blank=True)
    disinfectant = models.CharField(max_length=16, blank=True)
    last_event = models.CharField(max_length=16, blank=True)
    observations = models.JSONField(default=list, blank=True)

    people = models.FloatField(null=True, blank=True)
    use_per_person_l = models.FloatField(null=True, blank=True)
    bathrooms = models.FloatField(null=True, blank=True)
    fixtures = models.JSONField(default=dict, blank=True)
    top_fixture_height_m = models.FloatField(null=True, blank=True)
    extra_daily_use_l = models.FloatField(null=True, blank=True)

    flow_l_min = models.FloatField(null=True, blank=True)
    drawdown_drawn_l = models.FloatField(null=True, blank=True)
    drawdown_recovery_min = models.FloatField(null=True, blank=True)
    pressure_low_kpa = models.FloatField(null=True, blank=True)
    pressure_high_kpa = models.FloatField(null=True, blank=True)
    night_pressure_kpa = models.FloatField(null=True, blank=True)
    temperature_c = models.FloatField(null=True, blank=True)
    coldest_c = models.FloatField(null=True, blank=True)
    pipe_material = models.CharField(max_length=16, blank=True)
    pipe_size_m = models.FloatField(null=True, blank=True)
    pipe_length_m = models.FloatField(null=True, blank=True)

    soft_water = models.BooleanField(null=True, blank=True)
    soften_above_mg_l = models.FloatField(null=True, blank=True)
    safe_to_drink = models.BooleanField(null=True, blank=True)
    low_sodium = models.BooleanField(default=False)
    no_salt = models.BooleanField(default=False)
    no_power = models.BooleanField(default=False)
    spare_outdoor_taps = models.BooleanField(default=True)
    target_ph = models.FloatField(null=True, blank=True)

    peak_flow_school = models.CharField(max_length=16, blank=True)
    iron_school = models.CharField(max_length=8, blank=True)
    prefilter_school = models.CharField(max_length=16, blank=True)
    regeneration_school = models.CharField(max_length=8, blank=True)

    typed = models.JSONField(default=dict, blank=True)
    rest = models.JSONField(default=dict, blank=True)

    class Meta:
        app_label = "jobs"
        constraints = [
            *positive("use_per_person_l", "flow_l_min", "drawdown_drawn_l", "drawdown_recovery_min", "pipe_size_m"),
            models.CheckConstraint(condition=Q(people__isnull=True) | Q(people__gte=0, people__lte=5000), name="survey_people_plausible"),
            models.CheckConstraint(condition=Q(pressure_low_kpa__isnull=True) | Q(pressure_low_kpa__gte=0), name="survey_pressure_low_not_negative"),
            models.CheckConstraint(
                condition=Q(pressure_low_kpa__isnull=True)
                | Q(pressure_high_kpa__isnull=True)
                | Q(pressure_high_kpa__gte=models.F("pressure_low_kpa")),
                name="survey_pressures_in_order",
            ),
        ]

    def __str__(self) -> str:
        return f"survey of {self.job}"


class PressureReading(models.Model):
    """A gauge read at the supply [kPa]: when, whether by day or at night, and as typed."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="pressure_readings")
    taken_at = models.DateTimeField()
    night = models.BooleanField()
    value_kpa = models.FloatField()
    typed = models.CharField(max_length=40)

    class Meta:
        app_label = "jobs"
        ordering = ["pk"]
        constraints = [models.CheckConstraint(condition=Q(value_kpa__gt=0), name="pressure_reading_positive")]

    def __str__(self) -> str:
        return f"{self.typed} at {self.job}"


class SupplyRun(models.Model):
    """A run of a bucket or drawdown test: the moments of its taps (ISO 8601, in order), the volume as typed and in litres."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="supply_runs")
    kind = models.CharField(max_length=8, choices=[("bucket", "bucket"), ("drawdown", "drawdown")])
    marks = models.JSONField(default=list)
    volume_l = models.FloatField(null=True, blank=True)
    typed = models.CharField(max_length=40, blank=True)

    class Meta:
        app_label = "jobs"
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(condition=Q(kind__in=["bucket", "drawdown"]), name="supply_run_kind_known"),
            models.CheckConstraint(condition=Q(volume_l__isnull=True) | Q(volume_l__gt=0), name="supply_run_volume_positive"),
        ]

    def __str__(self) -> str:
        return f"{self.kind} test of {self.job}"
