"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.job import Job, JobFigures, KeptPaper, Presence, PressureReading, SupplyRun, Survey
from ..records.result import Result

__all__ = ["Job", "JobFigures", "KeptPaper", "Presence", "PressureReading", "Result", "SupplyRun", "Survey"]
