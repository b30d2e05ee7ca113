# Each target makes its own virtual environment when there is none.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PIP := $(BIN)/python -m pip --quiet --disable-pip-version-check

.PHONY: demo test lint bench clean

demo: $(VENV)/.cli
	@$(BIN)/dutiful demo

test: lint
	$(BIN)/python -m pytest

lint: $(VENV)/.dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(VENV)/.dev
	$(BIN)/python benchmarks/run.py

clean:
	rm -rf $(VENV) .mypy_cache .pytest_cache .ruff_cache .hypothesis dist

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
