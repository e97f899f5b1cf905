"""./cairn backup FILE"""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from vivid_cairn.keeping import NotKept, backup


class Command(BaseCommand):
    help = "Write everything that the database holds to one file, with its checksum."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            about = backup(options["file"].absolute())
        except NotKept as error:
            raise CommandError(f"Not backed up: {error}.") from None
        self.stdout.write(f"{options['file']}: {about['bytes']} bytes of the database {about['database']}, sha256 {about['sha256']}")
