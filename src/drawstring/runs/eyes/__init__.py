"""Eyes in runs: forms of a pair, written beside the shot's own file."""
