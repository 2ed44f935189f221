"""One picture that came in tiles: recognised, looked at along its seams, joined by bands."""
