"""The board page."""
