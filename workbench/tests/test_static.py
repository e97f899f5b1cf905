"""The static files as a server ships them: every name that one of them refers to is there, with its digest."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from django.core.management import call_command
from django.test import SimpleTestCase, override_settings

SHIPPED = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "vivid_cairn.storage.StaticFiles"},
}


class Collected(SimpleTestCase):
    def test_scripts_import_each_other_by_their_digest(self) -> None:
        """Collected, the first script names the others by a digest, so that a changed one is never taken from an old cache."""
        with tempfile.TemporaryDirectory() as folder, override_settings(STATIC_ROOT=folder, STORAGES=SHIPPED):
            call_command("collectstatic", interactive=False, verbosity=0)
            first = next(Path(folder, "js").glob("app.*.js")).read_text()
            imported = re.findall(r'"\./([\w.]+)"', first)
            self.assertGreater(len(imported), 4)
            for name in imported:
                self.assertRegex(name, r"^\w+\.[0-9a-f]{12}\.js$")
                self.assertTrue(Path(folder, "js", name).exists(), name)
