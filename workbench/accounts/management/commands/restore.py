"""./cairn restore FILE"""

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from vivid_cairn.keeping import NotKept, restore


class Command(BaseCommand):
    help = "Put a backup back into an empty database, and bring it to this version."
    requires_migrations_checks = False

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            about = restore(options["file"].absolute())
        except NotKept as error:
            raise CommandError(f"Not restored, nothing was changed: {error}.") from None
        call_command("migrate", verbosity=0)
        self.stdout.write(f"Restored what was kept at {about['made_at']} by version {about['engine']}.")
