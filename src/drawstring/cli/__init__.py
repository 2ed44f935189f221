"""Drawstring from a shell: the same services as the pages, in plain text or JSON."""

from drawstring.cli import arrivals, demo, handing, sharing, shots, work
from drawstring.cli.common import EXIT_CODES, main

__all__ = ["EXIT_CODES", "arrivals", "demo", "handing", "main", "sharing", "shots", "work"]
