"""Whose time of day the pages speak."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from vivid_cairn.settings.clock import time_zone


class WhoseTime(TestCase):
    def test_the_zone_named_else_the_machines_else_utc(self) -> None:
        """A zone that does not exist counts as none."""
        with tempfile.TemporaryDirectory() as folder:
            link = Path(folder, "localtime")
            link.symlink_to("/usr/share/zoneinfo/Europe/Dublin")
            for named, zone in (("Pacific/Auckland", "Pacific/Auckland"), ("", "Europe/Dublin"), ("Nowhere/AtAll", "Europe/Dublin")):
                with mock.patch.dict(os.environ, {"CAIRN_TIME_ZONE": named}):
                    self.assertEqual(time_zone(link), zone)
            with mock.patch.dict(os.environ, {"CAIRN_TIME_ZONE": ""}):
                self.assertEqual(time_zone(Path(folder, "none")), "UTC")
