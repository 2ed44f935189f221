"""The arrivals page."""
