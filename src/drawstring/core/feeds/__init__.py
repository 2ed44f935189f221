"""The feed of a running renderer: the protocol's documents, and what a client may believe of an answer."""
