"""A package on its way out: its report, copies of it, one zip as a stream, what is sent to inboxes."""

from drawstring.runs.handoff.copying import copy_package
from drawstring.runs.handoff.looking import make_review
from drawstring.runs.handoff.report import make_report
from drawstring.runs.handoff.reviewer import Reviewer
from drawstring.runs.handoff.sender import Sender, carry_out_sending
from drawstring.runs.handoff.sending import send_package
from drawstring.runs.handoff.sheets import sheet_of_packages
from drawstring.runs.handoff.zipping import zip_of

__all__ = [
    "Reviewer", "Sender", "carry_out_sending", "copy_package", "make_report", "make_review", "send_package",
    "sheet_of_packages", "zip_of",
]  # fmt: skip
