"""Arrivals: what lies in a folder, what it means, and what is wrong with it."""

from drawstring.core.arrivals.candidates import Candidate, gather
from drawstring.core.arrivals.differences import DeliveryFacts, delivery_differences
from drawstring.core.arrivals.paths import inside_roots
from drawstring.core.arrivals.patterns import Meaning, check_pattern, read_path, suggest
from drawstring.core.arrivals.report import SequenceReport, sequence_report
from drawstring.core.arrivals.same_camera import SameCamera, camera_differences, camera_words, compare
from drawstring.core.arrivals.scan import Scan, scan
from drawstring.core.arrivals.settings import ArrivalsSettings
from drawstring.core.arrivals.survey import Survey, survey

__all__ = [
    "ArrivalsSettings",
    "Candidate",
    "DeliveryFacts",
    "Meaning",
    "SameCamera",
    "Scan",
    "SequenceReport",
    "Survey",
    "camera_differences",
    "camera_words",
    "check_pattern",
    "compare",
    "delivery_differences",
    "gather",
    "inside_roots",
    "read_path",
    "scan",
    "sequence_report",
    "suggest",
    "survey",
]
