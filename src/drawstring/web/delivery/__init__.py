"""The delivery pages."""
