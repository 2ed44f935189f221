"""The feed of a running renderer in the pages."""
