"""Stand-ins for the outside world: a small renderer, and the demo show made with it."""
