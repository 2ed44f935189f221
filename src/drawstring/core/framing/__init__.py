"""Framing: what size a picture goes out in, what lies outside its frame, how its lens bends it."""
