"""What every change that came too late is."""

from __future__ import annotations


class Stale(Exception):
    """Somebody else changed it since it was shown; nothing was written."""
