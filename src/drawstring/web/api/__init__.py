"""The JSON interface: everything the pages can do, for programs."""
