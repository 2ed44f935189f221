"""The pack page."""
