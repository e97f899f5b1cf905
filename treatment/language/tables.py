"""Reads the knowledge tables in ``data/``; each file once, on first use."""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from functools import cache
from pathlib import Path
from typing import Any

DATA = Path(__file__).resolve().parents[1] / "data"


@cache
def table(name: str) -> dict[str, Any]:
    """The table ``data/<name>.toml`` as plain dictionaries."""
    with (DATA / f"{name}.toml").open("rb") as file:
        return tomllib.load(file)


class Rows(Mapping[str, Any]):
    """A part of a table by its path, read when something of it is first asked for: nothing is read where a module is imported.

    >>> Rows("planning", "price")["stage"]
    10.0
    """

    def __init__(self, name: str, *path: str):
        self._name, self._path = name, path
        self._held: dict[str, Any] | None = None

    @property
    def held(self) -> dict[str, Any]:
        """The part itself."""
        if self._held is None:
            found = table(self._name)
            for step in self._path:
                found = found[step]
            self._held = found
        return self._held

    def __getitem__(self, name: str) -> Any:
        return self.held[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self.held)

    def __len__(self) -> int:
        return len(self.held)
