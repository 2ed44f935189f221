"""Plan in the pages: the sums, drawn to scale; orders; the show list."""
