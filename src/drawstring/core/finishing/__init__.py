"""Finishing: grain, glow, zoom blur, lens reflections, softening; arrays in, arrays out."""
