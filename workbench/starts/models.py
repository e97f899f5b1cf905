"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.run import StartEvent, StartPhoto, StartRun

__all__ = ["StartEvent", "StartPhoto", "StartRun"]
