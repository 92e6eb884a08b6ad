# Two commands do all the set-up: `make demo` and `make test`.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test lint bench soak screenshots clean

# The demo has a home of its own, so that it leaves your library and history alone; the commands it prints say so.
demo: .venv/run
	@SCRUB_HOME=demo/home $(BIN)/scrub demo demo/kestrel-ridge

test: .venv/dev
	@$(BIN)/python -m pytest

lint: .venv/dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: .venv/dev
	$(BIN)/python bench/bench.py

# Damaged inputs for an hour, from a seed of the moment; what breaks is printed with its number.
soak: .venv/dev
	$(BIN)/python tools/soak.py 60

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
