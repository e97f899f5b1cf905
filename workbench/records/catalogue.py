"""A firm's catalogues. Every change is a version of its own; jobs follow the newest."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from .history import kept


class Catalogue(models.Model):
    """What a firm sells. number: of its newest version; retired: no longer offered, kept by the jobs that use it."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="catalogues")
    name = models.CharField(max_length=120)
    number = models.PositiveIntegerField(default=1)
    retired = models.BooleanField(default=False)

    class Meta:
        app_label = "catalogues"
        ordering = ["name", "pk"]
        constraints = [models.CheckConstraint(condition=~models.Q(name=""), name="catalogue_named")]

    def __str__(self) -> str:
        return self.name


@kept("catalogue", "number", "summary")
class CatalogueVersion(models.Model):
    """A catalogue as it was at one time: its items as ``cairn-catalogue/1`` writes them."""

    catalogue = models.ForeignKey(Catalogue, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    currency = models.CharField(max_length=8)
    items = models.JSONField(default=list)
    summary = models.CharField(max_length=200, blank=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        app_label = "catalogues"
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["catalogue", "number"], name="catalogue_version_once")]

    def __str__(self) -> str:
        return f"{self.catalogue}, version {self.number}"


class CatalogueSheet(models.Model):
    """A table that somebody sent, before its columns are confirmed. catalogue: whose items it replaces; none for a new one."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="+")
    catalogue = models.ForeignKey(Catalogue, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=120)
    currency = models.CharField(max_length=8)
    rows = models.JSONField(default=list)
    heading = models.PositiveIntegerField(default=0)
    #: what each column says, by its place, and the unit its heading names
    roles = models.JSONField(default=list)
    #: kind of rows that name none
    kind = models.CharField(max_length=20, blank=True)
    sent_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        app_label = "catalogues"

    def __str__(self) -> str:
        return f"table for {self.name}"
