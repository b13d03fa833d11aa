# Two commands: `make demo` opens the window, `make test` checks everything. Both set up first.
.PHONY: setup demo test lint bench shots lock schema tables

setup:
	@tools/setup.sh dev

demo:
	@tools/setup.sh app
	@tools/demo.sh

lint: setup
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/lint-imports
	.venv/bin/mypy

test: lint
	.venv/bin/pytest

bench: setup
	QT_QPA_PLATFORM=offscreen .venv/bin/pytest bench --benchmark-only -p no:cacheprovider -n 0

shots: setup
	.venv/bin/python tools/shots.py

schema: setup
	.venv/bin/python tools/write_schema.py

# The tables that come with the program, written anew where the optics behind them change.
tables: setup
	.venv/bin/python tools/write_tables.py

# The locks are written anew only on purpose: `make lock` needs uv on the PATH.
lock:
	for set in app dev; do uv pip compile --python-version 3.11 --generate-hashes --no-header --no-emit-index-url --no-annotate requirements/$$set.in -o requirements/$$set.lock; done
