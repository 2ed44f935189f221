"""Scene on the pages."""
