"""The depth page."""
