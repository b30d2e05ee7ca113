# Each target makes its own virtual environment when there is none.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PIP := $(BIN)/python -m pip --quiet --disable-pip-version-check

.PHONY: demo test test-all native native-fuzz bench-native lint bench bench-refusals bench-web bench-settings bench-deliveries bench-tables bench-startup bench-hostile prove mutate reference docs clean

demo: $(VENV)/.cli
	@$(BIN)/dutiful demo

# `PART=engine` runs what is for one room, a few rows of each table: a look on the way. Then all of it.
ifdef PART
test: $(VENV)/.dev
	PART=$(PART) $(BIN)/python -m pytest -n 2 -q
else
test: lint
	$(BIN)/python tools/native_core.py test
endif

# The native core, where a C compiler is at hand: built strictly, and installed beside the package.
native: $(VENV)/.dev
	$(BIN)/python tools/native_core.py build

# Sanitizers on: its readers of bytes on mutated texts, then all of it beside Python, so many seconds each.
native-fuzz: $(VENV)/.dev
	$(BIN)/python tools/native_core.py fuzz --seconds $(or $(SECONDS),60)

# The native core beside the decoder, careful checks by hand, and the package without it.
bench-native: $(VENV)/.dev
	$(BIN)/python benchmarks/native.py

# On every Python from 3.11 to 3.15 that is found on the machine.
test-all: $(VENV)/.dev
	$(BIN)/python tests/on_every_python.py

lint: $(VENV)/.dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(VENV)/.dev
	$(BIN)/python benchmarks/run.py

# Refusals of three payloads of different make, beside careful and ordinary checks by hand.
bench-refusals: $(VENV)/.dev
	$(BIN)/python benchmarks/refusals.py

# A request through an adapter beside the same handler by hand.
bench-web: $(VENV)/.dev
	$(BIN)/python benchmarks/web_load.py
	$(BIN)/python benchmarks/web.py

# 200 settings from five layers, beside reading the same files and variables without checks.
bench-settings: $(VENV)/.dev
	$(BIN)/python benchmarks/settings.py

bench-deliveries: $(VENV)/.dev
	$(BIN)/python benchmarks/deliveries.py

# A million rows by column, beside row by row and by hand; workers of a cluster. Some minutes.
bench-tables: $(VENV)/.dev
	$(BIN)/python benchmarks/tables.py

# 300 gates made and first used, built beforehand beside built anew.
bench-startup: $(VENV)/.dev
	$(BIN)/python benchmarks/startup.py

# Small inputs and declarations that are made to cost much; exit status 1 when a bound is broken.
bench-hostile: $(VENV)/.dev
	$(BIN)/python benchmarks/hostile.py

# The laws of equivalence over a thousand random declarations and a million instances: some minutes. Fresh each time.
# `SIZE=large` is ten thousand: about an hour.
prove: $(VENV)/.dev
	$(BIN)/python tests/prove_many.py --size $(or $(SIZE),usual)
	FRESH=1 $(BIN)/python -m pytest -n 2 $$(grep -l "^@given" tests/test_*.py)

# Small changes to the code, and whether the tests notice them: hours for 300, `MUTANTS=20` for a look.
mutate: $(VENV)/.dev
	$(BIN)/python tools/mutate.py --mutants $(or $(MUTANTS),300)

# The documentation as a site, in public/docs; it works from a folder, without a server.
docs: $(VENV)/.dev reference
	$(BIN)/python -m mkdocs build --quiet --strict
	@echo "open public/docs/index.html"

# The pages of the docs that are made: from the docstrings, and from the table of types.
reference: $(VENV)/.dev
	$(BIN)/python docs/make_reference.py
	$(BIN)/python docs/make_codes.py
	$(BIN)/python tests/test_types.py

clean:
	rm -rf $(VENV) $(VENV)-3.* .mypy_cache .pytest_cache .ruff_cache .hypothesis dist

$(BIN)/python:
	$(PYTHON) -m venv $(VENV)

# Compiled ahead, so that the first start is as quick as any other.
$(VENV)/.cli: pyproject.toml | $(BIN)/python
	$(PIP) install --editable '.[cli]'
	@$(BIN)/python -m compileall -q src
	@touch $@

$(VENV)/.dev: pyproject.toml | $(BIN)/python
	$(PIP) install --editable '.[dev]'
	@$(BIN)/python -m compileall -q src
	@touch $@ $(VENV)/.cli
