"""The table that counts of guesses and log-ins are held in, for all processes together."""

from typing import Any

from django.core.management import call_command
from django.db import migrations


def make(apps: Any, schema_editor: Any) -> None:
    call_command("createcachetable", verbosity=0, database=schema_editor.connection.alias)


class Migration(migrations.Migration):
    dependencies = [("accounts", "0008_history")]
    operations = [migrations.RunPython(make, migrations.RunPython.noop)]
