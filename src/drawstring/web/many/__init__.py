"""The same for many shots."""
