"""The inbox pages."""
