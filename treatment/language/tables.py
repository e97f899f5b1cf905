"""Reads the knowledge tables in ``data/``; each file once, on first use."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path
from typing import Any

DATA = Path(__file__).resolve().parents[1] / "data"


@cache
def table(name: str) -> dict[str, Any]:
    """The table ``data/<name>.toml`` as plain dictionaries."""
    with (DATA / f"{name}.toml").open("rb") as file:
        return tomllib.load(file)
