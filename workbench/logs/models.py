"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.log import CauseNote, JobLog, LogEntry, LogPhoto, Sender

__all__ = ["CauseNote", "JobLog", "LogEntry", "LogPhoto", "Sender"]
