"""Who works here: a workspace is a firm, its members share its jobs."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from .history import kept


@kept("name", "standard", "units", "currency", "prices", "rates", "bags", "owner_links")
class Workspace(models.Model):
    """A firm, with what its new jobs start from."""

    name = models.CharField(max_length=120)
    standard = models.CharField(max_length=8, default="us")
    units = models.CharField(max_length=8, default="us")
    #: whether somebody of the firm chose these, or they are only where it began
    chosen = models.BooleanField(default=False)
    #: sign or letters before an amount of money; empty where the firm has not said
    currency = models.CharField(max_length=6, blank=True)
    #: its own prices by key of the price list, in place of the sample ones
    prices = models.JSONField(default=dict, blank=True)
    #: its rates by their key in ``firm`` of a job file (an hour, a visit, a kWh, a liter, margin, tax, years, rate), as typed
    rates = models.JSONField(default=dict, blank=True)
    #: the bags it buys, in canonical units by working value (``packing.media_bag`` [L], ``packing.salt_bag`` [kg]); common ones where it names none
    bags = models.JSONField(default=dict, blank=True)
    #: its mark on papers: a plain SVG, or a PNG as a data address; empty where it has none
    mark = models.TextField(blank=True)
    #: whether owners may have a private address of their house's log
    owner_links = models.BooleanField(default=False)

    class Meta:
        app_label = "accounts"

    def __str__(self) -> str:
        return self.name


ROLES = ("owner", "designer", "installer", "technician", "viewer")


@kept("workspace", "user", "role")
class Membership(models.Model):
    """A person in a workspace, with a role: what it may do stands in one table of the use cases."""

    class Role(models.TextChoices):
        OWNER = "owner"
        DESIGNER = "designer"
        INSTALLER = "installer"
        TECHNICIAN = "technician"
        VIEWER = "viewer"

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.DESIGNER)
    #: what they last chose for a job, for their next one
    last_standard = models.CharField(max_length=8, blank=True)
    last_units = models.CharField(max_length=8, blank=True)
    #: lists of jobs that they look at often: name, and what is asked for
    views = models.JSONField(default=list, blank=True)

    class Meta:
        app_label = "accounts"
        constraints = [
            models.UniqueConstraint(fields=["workspace", "user"], name="one_membership_each"),
            models.CheckConstraint(condition=models.Q(role__in=ROLES), name="membership_role_known"),
        ]

    def __str__(self) -> str:
        return f"{self.user} in {self.workspace}"


@kept("workspace", "role", "taken_at")
class Invitation(models.Model):
    """A place in a firm for somebody who has a link: for one role, once, until it ends. Only a hash of the link is kept."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=10, choices=Membership.Role.choices)
    email = models.EmailField(blank=True)
    digest = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    ends_at = models.DateTimeField()
    taken_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        app_label = "accounts"
        ordering = ["-made_at"]
        constraints = [models.CheckConstraint(condition=models.Q(role__in=ROLES), name="invitation_role_known")]

    def __str__(self) -> str:
        return f"{self.role} of {self.workspace}"
