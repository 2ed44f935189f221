"""Depth in the store: what is found, from what was counted and what is settled."""
