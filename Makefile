# Two commands do all the set-up: `make demo` and `make test`.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test lint bench screenshots clean

demo: .venv/run
	@$(BIN)/scrub demo demo/kestrel-ridge
	@echo "(In this folder, scrub is: $(BIN)/scrub)"

test: .venv/dev
	@$(BIN)/python -m pytest

lint: .venv/dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: .venv/dev
	$(BIN)/python bench/bench.py

screenshots: .venv/dev
	$(BIN)/python tools/take_screenshots.py

.venv/run: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e .
	@touch $@

.venv/dev: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e ".[dev]"
	@touch .venv/run $@

clean:
	rm -rf .venv demo bench/data
