"""Plan in the store: what is known of a shot, and what its orders say of what came."""
