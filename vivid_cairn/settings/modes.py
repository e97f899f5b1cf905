"""Which mode this is. What is not said is refused: no installation falls back to the demonstration's secret and hosts."""

from __future__ import annotations

from collections.abc import Mapping

from django.core.exceptions import ImproperlyConfigured

MODES = ("demo", "test", "production")
LOOPBACK = ("127.0.0.1", "localhost", "[::1]", "testserver")


def mode_of(environment: Mapping[str, str]) -> str:
    """The mode the environment names. Raises ImproperlyConfigured where it names none, or debugging beside production."""
    mode = environment.get("CAIRN_MODE", "")
    if mode not in MODES:
        raise ImproperlyConfigured(f"CAIRN_MODE is {mode!r}; it must be one of {', '.join(MODES)}. ./cairn sets it for its own commands.")
    if mode == "production":
        if environment.get("CAIRN_DEBUG") == "1":
            raise ImproperlyConfigured("CAIRN_DEBUG is on beside production; pages would show what is inside. Take it off.")
        for name in ("CAIRN_SECRET_KEY", "CAIRN_HOSTS"):
            if not environment.get(name, "").strip(" ,"):
                raise ImproperlyConfigured(f"{name} is not set; production needs it.")
    return mode


def hosts_of(environment: Mapping[str, str]) -> list[str]:
    """The hosts that are answered: those named in production, else this machine alone. Demonstration and tests are not for real use."""
    if environment.get("CAIRN_MODE") != "production":
        return list(LOOPBACK)
    return [host.strip() for host in environment.get("CAIRN_HOSTS", "").split(",") if host.strip()]
