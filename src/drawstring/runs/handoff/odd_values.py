"""What a package carries that no picture should hold, said frame by frame."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

WORDS = {"nan": "NaN", "infinite": "infinite", "negative": "negative"}
MOST = 6
"""How many frames are told one by one."""


def odd_lines(frames: Sequence[Mapping[str, Any]]) -> list[str]:
    """Give a line for each pass that carries odd values, with frames and numbers.

    Parameters
    ----------
    frames : sequence of mapping
        As the manifest lists them.

    Examples
    --------
    >>> odd_lines([{"number": 7, "proof": {"odd_values": {"beauty": {"nan": 3}}}}])
    ['beauty: 3 NaN in frame 7']
    """
    by_pass: dict[str, list[str]] = {}
    for frame in frames:
        for name, counts in frame["proof"].get("odd_values", {}).items():
            said = " and ".join(f"{count:,} {WORDS[kind]}" for kind, count in counts.items())
            by_pass.setdefault(name, []).append(f"{said} in frame {frame['number']}")
    lines = []
    for name, told in by_pass.items():
        more = f", and in {len(told) - MOST} more frames" if len(told) > MOST else ""
        lines.append(f"{name}: {', '.join(told[:MOST])}{more}")
    return lines
