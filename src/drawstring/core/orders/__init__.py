"""Orders: what the renderer is asked for, as a document; and what came, held against it."""
