"""The dictionary pages."""
