"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.sample import FirmKit, KitRun, KitSession, Reading, ReportFile, ReportLayout, ReportPage, Sample

__all__ = ["FirmKit", "KitRun", "KitSession", "Reading", "ReportFile", "ReportLayout", "ReportPage", "Sample"]
