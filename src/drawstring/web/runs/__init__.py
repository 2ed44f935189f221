"""The runs page."""
