"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.catalogue import Catalogue, CatalogueSheet, CatalogueVersion

__all__ = ["Catalogue", "CatalogueSheet", "CatalogueVersion"]
