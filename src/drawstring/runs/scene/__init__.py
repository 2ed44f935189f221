"""Scene in runs: the cameras and lights as used go along with the package."""
