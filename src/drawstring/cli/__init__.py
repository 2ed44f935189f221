"""Drawstring from a shell: the same services as the pages, in plain text or JSON."""

from drawstring.cli.common import EXIT_CODES, main

__all__ = ["EXIT_CODES", "main"]
