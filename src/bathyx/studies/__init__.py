"""Slow searches in processes of their own: progress, stop, and results kept by the content of their inputs. No Qt."""

from bathyx.studies.kept import keep, recall
from bathyx.studies.kinds import KINDS, DesignInputs, Kind, NestInputs
from bathyx.studies.running import Running

__all__ = ["KINDS", "DesignInputs", "Kind", "NestInputs", "Running", "keep", "recall"]
