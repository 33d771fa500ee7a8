# Every target does its own set-up in .venv; only Python 3.11 or newer with venv is needed.
PYTHON ?= python3
BIN = .venv/bin
# What is run once more under the rules and on the volumes of other systems; placing in full, which takes a while, by those
# that differ most.
ON_GROUNDS = tests/core/test_survey.py tests/core/test_run.py

.PHONY: demo test lint soak docs clean

demo: .venv/ready
	@rm -rf build/demo
	@$(BIN)/gribble demo build/demo

test: .venv/ready
	PYTHONWARNDEFAULTENCODING=1 $(BIN)/pytest
	$(BIN)/pytest --ground windows tests/cli/test_placing.py
	for ground in windows mac card; do $(BIN)/pytest --ground $$ground $(ON_GROUNDS) || exit 1; done

soak: .venv/ready
	GRIBBLE_SOAK=1 $(BIN)/pytest

docs: .venv/ready
	$(BIN)/python docs/make.py

lint: .venv/ready
	$(BIN)/ruff check
	$(BIN)/ruff format --check
	$(BIN)/mypy
	$(BIN)/mypy --platform win32 src docs
	$(BIN)/mypy --platform darwin src docs

.venv/ready: pyproject.toml
	@echo "Setting Gribble up in .venv: once, and less than a minute."
	@$(PYTHON) -m venv .venv
	@$(BIN)/pip install --quiet --quiet --disable-pip-version-check --editable '.[dev]'
	@touch .venv/ready

clean:
	rm -rf .venv build
