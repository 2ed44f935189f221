"""A client's inbox, small and made up: takes packages, resumes, refuses, gives receipts, fails on demand."""

from drawstring.standins.client_inbox.service import Faults, create_inbox

__all__ = ["Faults", "create_inbox"]
