"""A catalogue as a job's document carries it."""

from __future__ import annotations

import copy
from functools import lru_cache
from typing import Any

from treatment.job.catalogue import FORMAT

from .models import Catalogue, CatalogueVersion


def document_of(catalogue: Catalogue) -> dict[str, Any]:
    """The newest version as ``cairn-catalogue/1`` writes it; whoever changes it changes a copy."""
    return copy.copy(_document(catalogue.pk, catalogue.number, catalogue.name))


@lru_cache(32)
def _document(pk: int, number: int, name: str) -> dict[str, Any]:
    version = CatalogueVersion.objects.get(catalogue=pk, number=number)
    return {"format": FORMAT, "name": name, "version": str(number), "currency": version.currency, "items": version.items}
