"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.customer import Customer, Place, SiteFile

__all__ = ["Customer", "Place", "SiteFile"]
