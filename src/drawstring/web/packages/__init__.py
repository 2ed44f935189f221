"""The packages page."""
