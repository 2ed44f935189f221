"""`python -m drawstring.cli`."""

from drawstring.cli import main

main()
