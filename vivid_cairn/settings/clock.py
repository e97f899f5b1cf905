"""Whose time of day the pages speak: the place where the server stands, unless CAIRN_TIME_ZONE names another."""

from __future__ import annotations

import os
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError


def time_zone(link: Path = Path("/etc/localtime")) -> str:
    """A zone such as ``Europe/Dublin``: CAIRN_TIME_ZONE, else the machine's own, else UTC. An unknown name counts as none."""
    wanted = os.environ.get("CAIRN_TIME_ZONE", "")
    own = str(link.resolve()).partition("zoneinfo/")[2]
    return next((name for name in (wanted, own) if _known(name)), "UTC")


def _known(name: str) -> bool:
    try:
        return bool(name) and ZoneInfo(name) is not None
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False
