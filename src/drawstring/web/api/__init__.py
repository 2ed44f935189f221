"""The JSON interface under /api/v1: what the pages can do, for programs."""

from drawstring.web.api import orders, runs, shots
from drawstring.web.api.entry import bp

__all__ = ["bp", "orders", "runs", "shots"]
