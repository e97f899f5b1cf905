"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.firm import Invitation, Membership, Workspace

__all__ = ["Invitation", "Membership", "Workspace"]
