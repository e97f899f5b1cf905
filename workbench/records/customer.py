"""For whom a job is done, and where: apart from the job's name, since people and houses have several jobs."""

from __future__ import annotations

from django.db import models

from .history import kept


class Customer(models.Model):
    """A person or a household that a firm works for."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="customers")
    name = models.CharField(max_length=120)
    phone = models.CharField(max_length=60, blank=True)
    email = models.CharField(max_length=254, blank=True)
    notes = models.CharField(max_length=2000, blank=True)

    class Meta:
        app_label = "customers"
        ordering = ["name", "pk"]
        constraints = [models.CheckConstraint(condition=~models.Q(name=""), name="customer_named")]

    def __str__(self) -> str:
        return self.name


class Place(models.Model):
    """Where a job is: a short name, the address, how to get there and in."""

    workspace = models.ForeignKey("accounts.Workspace", on_delete=models.CASCADE, related_name="places")
    name = models.CharField(max_length=120, blank=True)
    address = models.CharField(max_length=500, blank=True)
    directions = models.CharField(max_length=2000, blank=True)

    class Meta:
        app_label = "customers"
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name or self.address


@kept("job", "name", "kind")
class SiteFile(models.Model):
    """A photo of the place, or a document about it: a plan, an old report. content: of a photo scaled and plain, of a document as it came."""

    PHOTO, DOCUMENT = "photo", "document"

    job = models.ForeignKey("jobs.Job", on_delete=models.CASCADE, related_name="site_files")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=10, choices=[(PHOTO, "photo"), (DOCUMENT, "document")])
    content = models.BinaryField()
    size = models.PositiveIntegerField()
    added_at = models.DateTimeField(auto_now_add=True)
    by_name = models.CharField(max_length=150, blank=True)

    class Meta:
        app_label = "customers"
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def shown(self) -> bool:
        """Whether it is a picture."""
        return self.kind == self.PHOTO
