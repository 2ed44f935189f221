"""Plan: what to ask the renderer for, worked out before a night is spent on it."""
