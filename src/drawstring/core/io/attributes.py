"""Header attributes whose type plain numbers and text do not tell: kept beside them, and given back exactly.

Headers are kept as plain values, which every reader here takes. What such a value was in the file (a
fraction, whole numbers, a time code's flags, a film's key code) stands beside it as a text, so that a
packed file says it in the same type to the last bit.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
import OpenEXR

_KEY_CODE = ("filmMfcCode", "filmType", "prefix", "count", "perfOffset", "perfsPerFrame", "perfsPerCount")
_TIME_CODE = (
    "hours", "minutes", "seconds", "frame", "dropFrame", "colorFrame", "fieldPhase", "bgf0", "bgf1", "bgf2",
    "userData",
)  # fmt: skip


@dataclass(frozen=True)
class Exact:
    """A header value with what it was in the file it came from."""

    value: Any
    kind: str


def kind_of(value: Any) -> str:
    """Tell what a header value, as the EXR library gives it, is; empty where its plain form tells.

    Examples
    --------
    >>> kind_of(Fraction(24000, 1001)), kind_of(np.int32([1, 2])), kind_of("text")
    ('rational 24000 1001', 'int', '')
    """
    if isinstance(value, Fraction):
        return f"rational {value.numerator} {value.denominator}"
    if isinstance(value, OpenEXR.TimeCode):
        return "timecode " + " ".join(str(int(getattr(value, name))) for name in _TIME_CODE)
    if isinstance(value, OpenEXR.KeyCode):
        return "keycode"
    if isinstance(value, np.ndarray):
        return "int" if value.dtype.kind in "iu" else "double" if value.dtype == np.float64 else ""
    if isinstance(value, tuple) and len(value) == 2 and all(isinstance(one, np.ndarray) for one in value):
        return f"box {kind_of(value[0]) or 'float'}"
    if isinstance(value, list) and value and not isinstance(value[0], str):
        return "floats"
    return ""


def key_code_numbers(code: Any) -> list[int]:
    """Give a film's key code as seven numbers (SMPTE ST 254: maker, film, prefix, count, perforations)."""
    return [int(getattr(code, name)) for name in _KEY_CODE]


def told(metadata: Mapping[str, Any], kinds: Mapping[str, str]) -> dict[str, Any]:
    """Put plain values and what they were together."""
    return {key: Exact(value, kinds[key]) if key in kinds else value for key, value in metadata.items()}


def plain(value: Any) -> Any:
    """Give a value without what it was."""
    return value.value if isinstance(value, Exact) else value


def as_attribute(name: str, value: Any) -> Any:
    """Give a value the form the EXR library wants.

    Parameters
    ----------
    name : str
        `timeCode` and `envmap` have a type of their own in the format.
    value : Exact, text, number, Fraction, or list of numbers or texts
        Without an exact kind, a list of 8 numbers is chromaticities, of 9 or 16 a matrix, of any other count
        a vector.
    """
    kind = value.kind if isinstance(value, Exact) else ""
    value = plain(value)
    word, _, numbers = kind.partition(" ")
    if word == "rational":
        return Fraction(*map(int, numbers.split()))
    if name == "timeCode":
        return _time_code([int(one) for one in numbers.split()] if word == "timecode" else value)
    if word == "keycode":
        code = OpenEXR.KeyCode()
        for field, number in zip(_KEY_CODE, value, strict=True):
            setattr(code, field, int(number))
        return code
    if name == "envmap":
        return OpenEXR.ENVMAP_CUBE if "CUBE" in str(value) else OpenEXR.ENVMAP_LATLONG
    if word == "box":
        corner = np.int32 if numbers == "int" else np.float32
        return tuple(np.asarray(one, corner) for one in value)
    if word in ("int", "double"):
        return np.asarray(value, np.int32 if word == "int" else np.float64)
    if word == "floats":
        return [float(one) for one in value]
    return _by_shape(value)


def _by_shape(value: Any) -> Any:
    if not isinstance(value, list | tuple):
        return value
    if value and isinstance(value[0], str):
        return list(value)
    if len(value) == 8:
        return tuple(float(item) for item in value)  # chromaticities
    array = np.asarray(value, np.float32)
    return array.reshape(4, 4) if array.size == 16 else array.reshape(3, 3) if array.size == 9 else array


def _time_code(numbers: Any) -> Any:
    code = OpenEXR.TimeCode()
    for field, number in zip(_TIME_CODE, numbers, strict=False):
        setattr(code, field, int(number) if field in _TIME_CODE[:4] or field == "userData" else bool(number))
    return code
