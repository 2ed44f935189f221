"""The Alpha knot's pages."""
