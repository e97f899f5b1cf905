"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.issue import Issue, IssueEvent, IssueLink, IssuePaper, LinkOpening

__all__ = ["Issue", "IssueEvent", "IssueLink", "IssuePaper", "LinkOpening"]
