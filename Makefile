.PHONY: start stop database test lint bench screenshots

# Brings everything up with demo data and prints the address. Asks nothing; may be run again at any time.
start:
	@ops/prepare start
	@.venv/bin/python ops/house.py start

# Starts the house's own database alone, for a restore.
database:
	@ops/prepare start
	@.venv/bin/python ops/house.py database

# Ends what start began.
stop:
	@if [ -x .venv/bin/python ]; then .venv/bin/python ops/house.py stop; else echo "Nothing was started here."; fi

# Sets up for tests, looks the code over, and runs them all, browser included.
test:
	@ops/prepare test
	@.venv/bin/python ops/suite.py

lint:
	@.venv/bin/ruff check .
	@.venv/bin/ruff format --check --quiet .
	@.venv/bin/mypy
	@.venv/bin/lint-imports --no-cache

bench:
	@ops/prepare start
	@.venv/bin/python bench/table.py

screenshots:
	@ops/prepare test
	@.venv/bin/python ops/screenshots.py
