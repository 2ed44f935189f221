"""Pixels, thumbnails, views and readings for the browser."""
