"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.run import StartEvent, StartPhoto, StartRecord, StartRun

__all__ = ["StartEvent", "StartPhoto", "StartRecord", "StartRun"]
