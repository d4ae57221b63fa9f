# Two commands carry the rest: `make demo` to use Lazzik, `make test` to check it.
PORT ?= 8460
DATA ?= data
PYTHON ?= python3.11
BIN = .venv/bin

# tests that were read once need not be read again; a machine may say otherwise for all its Pythons
unexport PYTHONDONTWRITEBYTECODE

COVERED = 90

.PHONY: demo setup setup-dev test test-slow busy coverage lint types style fuzz soak bench screenshots lock vendor clean

# the first time the demo's snow is worked out too, so that the first sight of it needs no wait
demo: setup
	@test -e "$(DATA)/lazzik.db" || $(BIN)/lazzik prepare --data "$(DATA)" --demo
	@$(BIN)/lazzik serve --data "$(DATA)" --port "$(PORT)" --demo

setup: .venv/.ready
setup-dev: .venv/.ready-dev

.venv/bin/python:
	@command -v $(PYTHON) >/dev/null || { echo "Lazzik needs Python 3.11 or newer: install it, or say where it is with PYTHON=…"; exit 1; }
	$(PYTHON) -m venv .venv

# the kernels are compiled here, once, so that neither start-up nor a request waits for a compiler
.venv/.ready: .venv/bin/python requirements.txt pyproject.toml $(shell find lazzik/core -name '*.py')
	@cmp -s requirements.txt .venv/.requirements || { $(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements.txt && cp requirements.txt .venv/.requirements; }
	@test -x $(BIN)/lazzik || $(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
	$(BIN)/python -m compileall -q lazzik
	$(BIN)/lazzik prepare
	@touch $@

.venv/.ready-dev: .venv/.ready requirements-dev.txt package-lock.json
	@cmp -s requirements-dev.txt .venv/.requirements-dev || { $(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements-dev.txt && cp requirements-dev.txt .venv/.requirements-dev; }
	@tools/need.sh
	@touch $@

# two processes a core: a page waits for its server, and a server for its page
test: setup-dev
	npm test --silent
	$(BIN)/python -m pytest -n 4 --dist loadfile --no-loadscope-reorder $(ARGS)

# and every property over ten times as many random documents
test-slow: setup-dev
	$(BIN)/python -m pytest -n 2 --dist loadfile --no-loadscope-reorder -m "slow or hypothesis" --hypothesis-profile thorough $(ARGS)

# all tests, RUNS times in a row, with a loop beside it on each core that never rests
RUNS ?= 5
busy: setup-dev
	$(BIN)/python -m tools.busy $(RUNS)

# kernels count by tests/core/test_plain.py, which runs them without the compiler
coverage: setup-dev
	$(BIN)/python -m pytest -n 2 --dist loadfile tests/core tests/test_library.py --cov=lazzik.core --cov-report=term:skip-covered --cov-fail-under=$(COVERED) -m '' $(ARGS)

# types take as long as all else together, on one core
lint: setup-dev
	@$(MAKE) --no-print-directory --jobs 2 types style

types:
	$(BIN)/mypy

style:
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/lint-imports
	$(BIN)/python -m tools.docstrings
	npm run lint --silent

fuzz: setup-dev
	$(BIN)/python -m tools.fuzz

soak: setup-dev
	$(BIN)/python -m tools.soak

bench: setup-dev
	$(BIN)/python -m benchmarks

screenshots: setup-dev
	$(BIN)/python -m tools.screenshots

lock:
	uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-annotate --no-header requirements.in -o requirements.txt
	uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-annotate --no-header requirements-dev.in -o requirements-dev.txt

vendor:
	tools/vendor.sh

clean:
	rm -rf .venv node_modules
