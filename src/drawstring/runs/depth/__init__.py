"""Depth in runs: normalised depth held against what was asked for."""
