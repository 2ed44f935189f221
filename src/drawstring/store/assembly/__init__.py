"""Assembly in the store: whether the parts add up, from what was counted."""
