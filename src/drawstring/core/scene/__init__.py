"""Scene: cameras, lights, cards and points that stand where the picture's own things stand."""
