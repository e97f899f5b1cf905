"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.customer import Customer, Place

__all__ = ["Customer", "Place"]
