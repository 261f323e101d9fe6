.PHONY: demo demo-reset test lint setup dev

demo: setup
	@.venv/bin/python scripts/demo.py

demo-reset: setup
	@.venv/bin/python scripts/demo.py --reset

setup:
	@scripts/setup.sh

dev:
	@scripts/setup.sh --dev

lint: dev
	.venv/bin/ruff check kardo benchmarks tests scripts
	.venv/bin/mypy
	.venv/bin/lint-imports --no-cache
	.venv/bin/python scripts/docstrings.py
	cd web && npm run --silent lint && npm run --silent test

test: lint
	@.venv/bin/python scripts/cluster.py start
	.venv/bin/python manage.py makemigrations --check --dry-run
	.venv/bin/python -m pytest tests/core tests/formats tests/standins kardo/core kardo/formats --doctest-modules -n 2
	.venv/bin/python -m pytest tests/server --create-db -n 2 --dist loadfile
	.venv/bin/python -m pytest tests/hosts tests/browser --create-db
