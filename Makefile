# Upper Wick. `make help` lists what can be made.
SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c
.DEFAULT_GOAL := help
.ONESHELL:

PORT ?= 8000
DATA ?= data
export UPPERWICK_DATA := $(DATA)
# Compiled modules are kept, whatever the machine's habit: without, each command and each test process compiles them anew.
unexport PYTHONDONTWRITEBYTECODE
PY := .venv/bin/python
WEB_SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts -type f 2>/dev/null)

.PHONY: help demo start serve test quick test-slow trials mutate coverage lint lint-python lint-web vitest bench clean docs api check-tools chromium

help: ## these lines
	@awk -F ':.*## ' '/^[a-z-]+:.*## /{printf "  make %-9s %s\n", $$1, $$2}' Makefile

demo: check-tools ## install, build, load the demo market and serve it (PORT=8000, DATA=data)
	@$(MAKE) --no-print-directory -j2 .stamps/python .stamps/web
	@exec .venv/bin/upperwick demo --serve --port "$(PORT)"

start: check-tools ## install, build and begin with your own prices instead of the demo (PORT=8000, DATA=data)
	@$(MAKE) --no-print-directory -j2 .stamps/python .stamps/web
	@exec .venv/bin/upperwick start --port "$(PORT)"

test: check-tools .stamps/dev .stamps/web chromium ## everything that must pass: lint, pytest, Vitest, build
	@$(MAKE) --no-print-directory -j2 -O lint-python lint-web vitest
	@UPPERWICK_DATA=.stamps/test-data .venv/bin/pytest -n 2

quick: check-tools .stamps/dev .stamps/npm ## in a minute: lint, types, and the tests of the modules that have changed
	@UPPERWICK_DATA=.stamps/test-data $(PY) scripts/quick.py

test-slow: check-tools .stamps/dev .stamps/web chromium ## the browser tests, with answers that come late and out of turn
	@CI=1 SLOW_ANSWERS=2 UPPERWICK_DATA=.stamps/test-data .venv/bin/pytest -n 2 tests/browser

trials: check-tools .stamps/dev ## what takes long by its nature: a server killed two hundred times, four thousand random books
	@KILLS=200 UPPERWICK_DATA=.stamps/test-data .venv/bin/pytest -n0 --timeout 7200 tests/server/test_worker.py
	@BOOKS=4000 .venv/bin/pytest -n 2 --timeout 7200 tests/core/test_orders.py tests/core/test_book_slow.py

mutate: check-tools .stamps/dev ## make each entry of the catalogue wrong, and report what no test notices
	@MUTANTS=all .venv/bin/pytest -q -n 2 tests/core/test_mutants.py

lint: check-tools .stamps/dev .stamps/npm ## Ruff, mypy, import-linter, svelte-check, ESLint, Prettier
	@$(MAKE) --no-print-directory -j2 -O lint-python lint-web

lint-python:
	@.venv/bin/ruff check .
	@.venv/bin/ruff format --check .
	@.venv/bin/mypy
	@.venv/bin/lint-imports
	@$(PY) scripts/circles.py
	@UPPERWICK_DATA=.stamps/test-data $(PY) scripts/generate.py --check

lint-web:
	@cd web
	@npm run --silent check
	@npm run --silent lint

vitest:
	@cd web && npm test --silent

bench: check-tools .stamps/dev ## time the core side by side with general-purpose libraries
	@$(PY) benchmarks/run.py
	@$(PY) benchmarks/books.py
	@$(PY) benchmarks/whole.py
	@$(PY) benchmarks/evening_look.py --data .stamps/large
	@$(PY) benchmarks/evening.py --data .stamps/large
	@$(PY) benchmarks/files.py
	@$(PY) benchmarks/beside.py

docs: .stamps/dev ## write the generated parts of docs/ and the API schema anew
	@UPPERWICK_DATA=.stamps/test-data $(PY) scripts/generate.py
	@cd web && npm run --silent api

clean: ## remove what was installed and built; the data folder stays
	@rm -rf .venv .stamps web/node_modules web/dist .mypy_cache .ruff_cache .pytest_cache .hypothesis *.egg-info

check-tools:
	@scripts/check-tools "$(PORT)" "$(MAKECMDGOALS)"

chromium:
	@scripts/ensure-chromium

.stamps/python: requirements.txt pyproject.toml
	@mkdir -p .stamps
	@test -x .venv/bin/python || python3.11 -m venv .venv
	@echo "Installing the Python packages …"
	@.venv/bin/pip install -q --disable-pip-version-check -r requirements.txt
	@.venv/bin/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

.stamps/dev: .stamps/python requirements-dev.txt
	@echo "Installing what the tests need …"
	@.venv/bin/pip install -q --disable-pip-version-check -r requirements-dev.txt
	@touch $@

.stamps/npm: web/package.json web/package-lock.json
	@mkdir -p .stamps
	@echo "Installing the front end's packages …"
	@cd web && npm ci --silent --no-progress
	@cd .. && touch $@

.stamps/web: .stamps/npm $(WEB_SOURCES)
	@echo "Building the front end …"
	@cd web && npm run --silent build -- --logLevel warn
	@cd .. && touch $@

coverage: check-tools .stamps/dev ## which lines of the core its tests reach (compiled kernels are not measured)
	@.venv/bin/pytest -q -n 2 tests/core --cov=wickcore --cov-branch --cov-report=term-missing:skip-covered
