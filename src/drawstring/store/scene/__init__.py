"""Scene in the store: what it finds, and scenes that are taken over."""
