"""A package on its way out: its report, copies of it, and one zip as a stream."""

from drawstring.runs.handoff.copying import copy_package
from drawstring.runs.handoff.report import make_report
from drawstring.runs.handoff.review import make_review
from drawstring.runs.handoff.sending import send_package
from drawstring.runs.handoff.zipping import zip_of

__all__ = ["copy_package", "make_report", "make_review", "send_package", "zip_of"]
