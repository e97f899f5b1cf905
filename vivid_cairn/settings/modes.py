"""Which mode this is. What is not said is refused: no installation falls back to the demonstration's secret and hosts."""

from __future__ import annotations

from collections.abc import Mapping

from django.core.exceptions import ImproperlyConfigured

MODES = ("demo", "test", "production")
#: the least that a secret key has: characters, and different ones among them
KEY_LENGTH, KEY_LETTERS = 50, 15
LOOPBACK = ("127.0.0.1", "localhost", "[::1]", "testserver")


def mode_of(environment: Mapping[str, str]) -> str:
    """The mode the environment names. Raises ImproperlyConfigured where it names none, or debugging beside production."""
    mode = environment.get("CAIRN_MODE", "")
    if mode not in MODES:
        raise ImproperlyConfigured(f"CAIRN_MODE is {mode!r}; it must be one of {', '.join(MODES)}. ./cairn sets it for its own commands.")
    if mode == "production":
        if environment.get("CAIRN_DEBUG") == "1":
            raise ImproperlyConfigured("CAIRN_DEBUG is on beside production; pages would show what is inside. Turn it off.")
        for name in ("CAIRN_SECRET_KEY", "CAIRN_HOSTS"):
            if not environment.get(name, "").strip(" ,"):
                raise ImproperlyConfigured(f"{name} is not set; production needs it.")
        key = environment["CAIRN_SECRET_KEY"]
        if len(key) < KEY_LENGTH or len(set(key)) < KEY_LETTERS:
            raise ImproperlyConfigured(
                f"CAIRN_SECRET_KEY is weak: at least {KEY_LENGTH} characters, {KEY_LETTERS} of them different. One is made by: "
                "python3 -c 'import secrets; print(secrets.token_urlsafe(60))'"
            )
    return mode


def hosts_of(environment: Mapping[str, str]) -> list[str]:
    """The hosts that are answered: those named in production, else this machine alone. Demonstration and tests are not for real use."""
    if environment.get("CAIRN_MODE") != "production":
        return list(LOOPBACK)
    return [host.strip() for host in environment.get("CAIRN_HOSTS", "").split(",") if host.strip()]


def proxies_of(environment: Mapping[str, str]) -> int:
    """How many proxies stand before the application, CAIRN_PROXIES; none where it is not set. Raises ImproperlyConfigured for no number."""
    said = environment.get("CAIRN_PROXIES", "").strip() or "0"
    if not said.isdecimal() or int(said) > 9:
        raise ImproperlyConfigured(f"CAIRN_PROXIES is {said!r}; it must be a number from 0 to 9.")
    return int(said)
