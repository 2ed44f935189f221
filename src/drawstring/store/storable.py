"""The one door through which facts go into the database: what it has no form for is put into one that it has.

PostgreSQL's JSON (RFC 8259) knows neither NaN nor infinity, and its text no NUL; both occur in files from
outside. A number that is none is left empty (null), which says "not known"; a NUL or half a surrogate
pair becomes U+FFFD, the replacement character.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from enum import Enum
from typing import Any

import numpy as np

_NOT_TEXT = re.compile("[\0\ud800-\udfff]")


def storable(value: Any) -> Any:
    r"""Give plain data without what can't be stored.

    Examples
    --------
    >>> storable({"gain": float("inf"), 7: ["fog\0", (1, float("nan"))]})
    {'gain': None, '7': ['fog\ufffd', [1, None]]}
    """
    if isinstance(value, Enum):
        value = value.value
    if isinstance(value, np.generic):
        value = value.item()
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, str):
        return storable_text(value)
    if isinstance(value, Mapping):
        return {storable_text(str(key)): storable(inner) for key, inner in value.items()}
    if isinstance(value, list | tuple | set | frozenset):
        return [storable(inner) for inner in value]
    return value


def storable_text(text: str) -> str:
    """Give a text without NUL and without halves of surrogate pairs."""
    return _NOT_TEXT.sub("\ufffd", text) if _NOT_TEXT.search(text) else text
