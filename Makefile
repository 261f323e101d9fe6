.PHONY: demo demo-reset test coverage test-core test-server test-browser test-long hold lint setup dev database

PYTEST = .venv/bin/python -m pytest

demo: setup
	@.venv/bin/python scripts/demo.py

demo-reset: setup
	@.venv/bin/python scripts/demo.py --reset

setup:
	@scripts/setup.sh

dev:
	@test -n "$(READY)" || scripts/setup.sh --dev

lint: dev
	.venv/bin/ruff check kardo benchmarks tests scripts
	.venv/bin/mypy
	.venv/bin/lint-imports --no-cache
	.venv/bin/python scripts/docstrings.py
	.venv/bin/python -m scripts.drift
	cd web && npm run --silent lint && npm run --silent test

# One after another, each told with its time: what fails says which step it was.
STEPS = lint test-core test-server test-browser
test: dev
	@for step in $(STEPS); do \
		echo "== $$step"; begun=$$(date +%s); \
		$(MAKE) --no-print-directory READY=1 $$step || { echo "== $$step FAILED"; exit 1; }; \
		echo "== $$step: $$(( $$(date +%s) - begun )) s"; \
	done

# How much of the core and the formats their own tests reach: told, not held.
coverage: dev
	$(PYTEST) tests/core tests/formats tests/standins -n 2 --cov=kardo.core --cov=kardo.formats --cov-report=term:skip-covered

# Two workers on two cores: threads of their own would only wait for each other.
test-core test-server test-browser test-long coverage: export OPENBLAS_NUM_THREADS = 1
test-core test-server test-browser test-long coverage: export NUMBA_NUM_THREADS = 1

test-core: dev
	$(PYTEST) tests/core tests/formats tests/standins kardo/core kardo/formats --doctest-modules -n 2

# What follows runs on a cluster of its own, and copies its databases from one that holds the tables already.
test-server test-browser hold: export KARDO_CLUSTER = tests
ON_COPY = KARDO_TEMPLATE=$$(.venv/bin/python scripts/cluster.py template)

database:
	@.venv/bin/python scripts/cluster.py start

test-server: dev database
	.venv/bin/python manage.py makemigrations --check --dry-run
	$(ON_COPY) $(PYTEST) tests/hosts tests/server --create-db -n 2 --dist loadfile

test-browser: dev database
	$(ON_COPY) $(PYTEST) tests/browser --create-db -n 2 --dist worksteal

# Other examples and other files every time, for as long as it takes.
test-long: dev
	$(PYTEST) tests/core tests/formats -n 2 --hypothesis-profile free
	.venv/bin/python -m tests.formats.fuzz 600

hold: dev database
	.venv/bin/python -m benchmarks.hold
