"""Feeds of running renderers: asked, looked at, recorded."""
