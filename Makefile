# The two commands: `make demo` and `make test`. Everything else is a part of them.
PY := .venv/bin/python
export PATH := $(CURDIR)/.venv/bin:$(PATH)
# Every server, worker and command would compile all sources anew before it starts.
unexport PYTHONDONTWRITEBYTECODE
# The tests of a file on one worker, which starts its server, its browser or its PostgreSQL once; the files that take
# longest first, however few tests they have.
TOGETHER := -n 3 --dist loadfile --no-loadscope-reorder

.PHONY: setup demo demo-reset test static check test-core lint types test-python test-web coverage bench screenshots format

setup:
	@scripts/setup.sh

demo: setup
	@exec $(PY) -m demo

demo-reset: setup
	@$(PY) -m demo --reset

test: setup
	@$(MAKE) --no-print-directory --jobs 2 --output-sync=target static test-python

static: lint types test-web

lint:
	ruff check .
	ruff format --check .
	lint-imports
	cd web && npm run --silent lint

types:
	mypy
	$(PY) -m scripts.api_types --check
	$(PY) -m scripts.reference --check
	cd web && npm run --silent types

test-web:
	cd web && npm run --silent test

test-python:
	$(PY) -m pytest $(TOGETHER)

# What tells within a minute or so whether a change is sound: no database, no browser, no processes.
check: setup
	@$(MAKE) --no-print-directory --jobs 2 --output-sync=target static test-core

test-core:
	$(PY) -m pytest -n 2 --dist worksteal tests/core tests/sites/test_description.py tests/sites/test_addresses.py

# Which lines no test runs, in the servers and workers that tests start too.
coverage: setup
	coverage erase
	coverage run -m pytest $(TOGETHER)
	coverage combine -q
	coverage report
	cd web && npm run --silent test -- --coverage

bench: setup
	$(PY) -m bench

screenshots: setup
	$(PY) -m scripts.screenshots

format:
	ruff check --fix . && ruff format .
	cd web && npm run --silent format
