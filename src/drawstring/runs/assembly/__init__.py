"""Assembly in runs: the beauty rebuilt from the parts that were written."""
