"""A catalogue as a job's document carries it."""

from __future__ import annotations

import copy
from functools import lru_cache
from typing import Any

from treatment.job.catalogue import FORMAT

from ..outcome import Refused
from ..records.catalogue import Catalogue, CatalogueVersion
from ..records.firm import Workspace


def document_of(catalogue: Catalogue) -> dict[str, Any]:
    """The newest version as ``cairn-catalogue/1`` writes it; whoever changes it changes a copy."""
    return copy.copy(_document(catalogue.pk, catalogue.number, catalogue.name))


@lru_cache(32)
def _document(pk: int, number: int, name: str) -> dict[str, Any]:
    version = CatalogueVersion.objects.get(catalogue=pk, number=number)
    return {"format": FORMAT, "name": name, "version": str(number), "currency": version.currency, "items": version.items}


def same_currency(workspace: Workspace, currency: str) -> None:
    """Raises Refused where the company's prices are in another currency than a catalogue."""
    own = workspace.currency.strip()
    if own and own != currency:
        raise Refused(f"Your company's currency is {own}. A catalog in {currency} cannot be used beside its prices.", "currency")


def in_another(workspace: Workspace, currency: str) -> list[Catalogue]:
    """The catalogues of a company that are kept in another currency, and are in use or on offer."""
    found = Catalogue.objects.filter(workspace=workspace, retired=False) | Catalogue.objects.filter(workspace=workspace, jobs__isnull=False)
    return [each for each in found.distinct() if document_of(each)["currency"] != currency]
