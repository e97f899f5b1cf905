"""The tables of this application are kept with all others, in `workbench.records`."""

from ..records.train import Revision, TrainOption

__all__ = ["Revision", "TrainOption"]
