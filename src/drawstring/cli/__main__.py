"""`python -m drawstring.cli`."""

from drawstring.cli.standing_by import run

run()
