"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.firm import Membership, Workspace

__all__ = ["Membership", "Workspace"]
