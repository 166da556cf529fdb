# Brick Seat. `make demo` and `make test` are the whole set-up; each installs what it needs.
SHELL := /bin/bash
PYTHON ?= $(shell command -v python3.11 || command -v python3)
VENV := .venv
BIN := $(VENV)/bin
STAMPS := .stamps
UV := 0.13.9
WEB_SOURCES := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/package-lock.json web/vite.config.ts web/tsconfig.json
KERNEL_SOURCES := $(shell find core -name '*.py')
TEST_DATA := $(CURDIR)/.stamps/test-data
BROWSER_ARGS ?=
TEST_PROCESSES ?= 2

.PHONY: demo test setup check fmt bench stress shots browser clean

demo: setup
	$(BIN)/brickseat demo

setup: $(STAMPS)/python $(STAMPS)/web $(STAMPS)/kernels

test: setup browser
	cd web && npm run --silent test
	BRICKSEAT_DATA=$(TEST_DATA) $(BIN)/pytest -n $(TEST_PROCESSES) --dist worksteal
	BRICKSEAT_DATA=$(TEST_DATA) $(BIN)/pytest -c tests/browser/pytest.ini -n $(TEST_PROCESSES) --dist loadfile tests/browser $(BROWSER_ARGS)

check: setup
	$(BIN)/ruff format --check core server tests benchmarks
	$(BIN)/ruff check core server tests benchmarks
	BRICKSEAT_DATA=$(TEST_DATA) $(BIN)/mypy
	$(BIN)/lint-imports
	BRICKSEAT_DATA=$(TEST_DATA) $(BIN)/python -m brickseat.schema_file $(STAMPS)/openapi.json $(STAMPS)/limits.json
	diff -u server/openapi.json $(STAMPS)/openapi.json
	diff -u web/src/api/limits.json $(STAMPS)/limits.json
	cd web && npx openapi-typescript $(CURDIR)/$(STAMPS)/openapi.json --default-non-nullable=false -o $(CURDIR)/$(STAMPS)/schema.d.ts > /dev/null
	diff -u web/src/api/schema.d.ts $(STAMPS)/schema.d.ts
	cd web && npm run --silent check

fmt: $(STAMPS)/python $(STAMPS)/modules
	$(BIN)/ruff format core server tests benchmarks
	$(BIN)/ruff check --fix core server tests benchmarks
	cd web && npm run --silent fmt

schema: $(STAMPS)/python $(STAMPS)/modules
	BRICKSEAT_DATA=$(TEST_DATA) $(BIN)/python -m brickseat.schema_file server/openapi.json web/src/api/limits.json
	cd web && npm run --silent types

# Another engine to measure against, which nothing else here needs.
$(STAMPS)/bench: $(STAMPS)/python benchmarks/packages.txt
	$(BIN)/uv pip install --quiet --no-deps --target $@ -r benchmarks/packages.txt
	@touch $@

bench: setup browser $(STAMPS)/bench
	PYTHONPATH=$(STAMPS)/bench BRICKSEAT_DATA=$(TEST_DATA) $(BIN)/python benchmarks/run.py
	$(BIN)/python benchmarks/against.py $(BEFORE)

# Meshes out of public packages, unpacked beside the build and nowhere else.
$(STAMPS)/stress: $(STAMPS)/python tests/stress/packages.txt
	$(BIN)/uv pip install --quiet --no-deps --target $@ -r tests/stress/packages.txt
	@touch $@

stress: setup $(STAMPS)/stress
	PYTHONPATH=benchmarks $(BIN)/python tests/stress/run.py $(STAMPS)/stress
	PYTHONPATH=benchmarks $(BIN)/python tests/stress/many.py $(STAMPS)/stress
	$(BIN)/python tests/stress/kills.py
	$(BIN)/python tests/stress/day.py

shots: setup browser
	$(BIN)/python tests/browser/shots.py docs/screenshots

browser:
	@scripts/install-browser

clean:
	rm -rf $(VENV) $(STAMPS) web/node_modules server/brickseat/web

$(STAMPS)/python: pyproject.toml requirements.lock
	@mkdir -p $(STAMPS)
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' || (echo "Brick Seat needs Python 3.11; name it with make PYTHON=/path/to/python3.11" && false)
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check uv==$(UV)
	$(BIN)/uv pip install --quiet --python $(BIN)/python --compile-bytecode --require-hashes -r requirements.lock
	$(BIN)/uv pip install --quiet --python $(BIN)/python --no-deps -e .
	@touch $@

$(STAMPS)/modules: web/package-lock.json web/package.json
	@mkdir -p $(STAMPS)
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

$(STAMPS)/web: $(STAMPS)/modules $(WEB_SOURCES)
	cd web && npm run --silent build
	@touch $@

$(STAMPS)/kernels: $(STAMPS)/python $(KERNEL_SOURCES)
	$(BIN)/brickseat warm
	@touch $@
