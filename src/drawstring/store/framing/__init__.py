"""What the store knows of Framing."""
