"""Passes: which picture quantities a file holds, what each is taken for, and why."""

from drawstring.core.passes.dictionary import Entry, EntryKind, entry, look_up, read_entries
from drawstring.core.passes.recognition import (
    LOOK_BELOW,
    UNKNOWN_BELOW,
    Pass,
    recognise,
    suffixes_for,
    with_names,
)
from drawstring.core.passes.roles import COLOUR_ROLES, EXACT_ROLES, HASHED_ROLES, LIT_ROLES, Role
from drawstring.core.passes.statistics import (
    PassStatistics,
    alpha_kind,
    joined,
    pass_statistics,
    statistics_from_dict,
)

__all__ = [
    "COLOUR_ROLES",
    "EXACT_ROLES",
    "HASHED_ROLES",
    "LIT_ROLES",
    "LOOK_BELOW",
    "UNKNOWN_BELOW",
    "Entry",
    "EntryKind",
    "Pass",
    "PassStatistics",
    "Role",
    "alpha_kind",
    "entry",
    "look_up",
    "joined",
    "pass_statistics",
    "read_entries",
    "recognise",
    "statistics_from_dict",
    "suffixes_for",
    "with_names",
]
