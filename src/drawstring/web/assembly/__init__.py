"""Assembly in the pages: the sum, its terms, their shares of a pixel."""
