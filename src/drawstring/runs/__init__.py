"""Long work: planned, carried out by workers, proven, and kept in the ledger."""
