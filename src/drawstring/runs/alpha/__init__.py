"""Alpha in runs: shadow, stack and mattes put together again from the written files."""
