"""Arrivals: what lies in a folder, and what is wrong with it."""

from drawstring.core.arrivals.paths import inside_roots
from drawstring.core.arrivals.report import SequenceReport, sequence_report
from drawstring.core.arrivals.scan import Scan, scan
from drawstring.core.arrivals.settings import ArrivalsSettings
from drawstring.core.arrivals.survey import Survey, survey

__all__ = [
    "ArrivalsSettings",
    "Scan",
    "SequenceReport",
    "Survey",
    "inside_roots",
    "scan",
    "sequence_report",
    "survey",
]
