"""The bench page."""
