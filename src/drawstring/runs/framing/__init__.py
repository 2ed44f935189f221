"""Framing in runs: all views in one picture, written beside the shot's own file."""
