"""The Eyes knot on the bench."""
