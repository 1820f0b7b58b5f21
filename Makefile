# Everything needs Python 3.11 or later and make; each target sets up what it needs in .venv.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: setup demo test lint types tests bench screenshots clean

setup: $(VENV)/ready

# With what tests take; the demo takes less, and waits a third as long for it.
$(VENV)/ready: WHAT := .[dev]
$(VENV)/runs: WHAT := .
$(VENV)/ready $(VENV)/runs: pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Unvek needs Python 3.11 or later; set PYTHON=...")'
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --editable '$(WHAT)'
	touch $@

demo: $(or $(wildcard $(VENV)/ready),$(VENV)/runs)
	$(BIN)/unvek demo alder-row

test: lint types tests

lint: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

types: setup
	$(BIN)/mypy

# What is compiled beforehand need not be compiled at each of the many starts of the program.
tests: setup
	$(BIN)/python -m compileall -q src tests
	$(BIN)/python -W error -m tests

bench: setup
	$(BIN)/python -m pip install --quiet --editable '.[benchmarks]'
	for file in benchmarks/bench_*.py; do echo; echo "== $$file"; $(BIN)/python $$file || exit 1; done

screenshots: setup
	PATH="$(CURDIR)/$(BIN):$$PATH" tools/make-screenshots

clean:
	rm -rf $(VENV) alder-row build dist .ruff_cache .mypy_cache
