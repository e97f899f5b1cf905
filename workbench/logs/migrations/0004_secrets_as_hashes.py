"""Secrets of addresses are kept as hashes, with who made them; addresses that are known go on. A log keeps its visits for calendars."""

import hashlib

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def hash_them(apps, schema_editor):  # noqa: ANN001, ANN201
    """What stands in ``secret_hash`` is the secret still; its maker is the member of the firm of that name."""
    users = apps.get_model("auth", "User").objects
    for name in ("OwnerLink", "CalendarLink"):
        for link in apps.get_model("logs", name).objects.iterator():
            link.secret_hash = hashlib.sha256(link.secret_hash.encode()).hexdigest()
            link.by = users.filter(username=link.by_name).first()
            link.save(update_fields=["secret_hash", "by"])
    members = apps.get_model("accounts", "Membership").objects
    for device in apps.get_model("logs", "Device").objects.select_related("log__job").iterator():
        first = members.filter(workspace=device.log.job.workspace_id, role="designer").order_by("pk").first()
        device.by_id = first.user_id if first is not None else None
        device.save(update_fields=["by"])


def _by():  # noqa: ANN202
    return models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name="+", to=settings.AUTH_USER_MODEL)


class Migration(migrations.Migration):
    dependencies = [("logs", "0003_owner_and_area"), ("accounts", "0001_initial"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]
    operations = [
        migrations.RenameField("ownerlink", "secret", "secret_hash"),
        migrations.RenameField("calendarlink", "secret", "secret_hash"),
        migrations.AddField("ownerlink", "by", _by()),
        migrations.AddField("calendarlink", "by", _by()),
        migrations.AddField("device", "by", _by()),
        migrations.AddField("calendarlink", "last_at", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("calendarlink", "minute", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("calendarlink", "count", models.PositiveIntegerField(default=0)),
        migrations.AddField("joblog", "events", models.TextField(blank=True, default=""), preserve_default=False),
        migrations.RunPython(hash_them, migrations.RunPython.noop),
    ]
