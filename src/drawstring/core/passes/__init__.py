"""Passes and their roles."""

from drawstring.core.passes.recognition import Pass, recognise
from drawstring.core.passes.roles import Role

__all__ = ["Pass", "Role", "recognise"]
