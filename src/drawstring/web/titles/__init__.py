"""The title frames page."""
