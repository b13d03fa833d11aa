# Two commands: `make demo` opens the window, `make test` checks everything. Both set up first.
.PHONY: setup demo test lint bench shots lock schema

setup:
	@tools/setup.sh

demo: setup
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

# The lock is written anew only on purpose: `make lock` needs uv on the PATH.
lock:
	uv pip compile --python-version 3.11 --generate-hashes --no-header --no-emit-index-url --no-annotate requirements/dev.in -o requirements/dev.lock
