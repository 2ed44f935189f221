"""Framing on the pages."""
