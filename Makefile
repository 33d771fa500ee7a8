# Every target does its own set-up in .venv; only Python 3.11 or newer with venv is needed.
PYTHON ?= python3
BIN = .venv/bin
# What is run once more under the rules and on the volumes of other systems; placing in full, which takes a while, by those
# that differ most.
ON_GROUNDS = tests/core/test_survey.py tests/core/test_run.py
PLATFORMS = linux win32 darwin

.PHONY: demo test lint soak mutants bench docs clean

demo: .venv/ready
	@rm -rf build/demo
	@$(BIN)/gribble demo build/demo

test: .venv/ready
	PYTHONWARNDEFAULTENCODING=1 $(BIN)/pytest
	$(BIN)/pytest --ground windows tests/cli/test_placing.py $(ON_GROUNDS)
	for ground in mac card; do $(BIN)/pytest --ground $$ground $(ON_GROUNDS) || exit 1; done

# Small wrong changes, each of which has to fail a test: some minutes.
mutants: .venv/ready
	$(BIN)/python tests/mutants.py

soak: .venv/ready
	GRIBBLE_SOAK=1 $(BIN)/pytest

# Ratios against general tools, in one run: about ten minutes; QUICK=1, on a tenth of everything, two or three.
bench: .venv/ready
	cd benchmarks && ../$(BIN)/python survey.py $(if $(QUICK),--small --runs 2)
	cd benchmarks && ../$(BIN)/python members.py $(if $(QUICK),--small --runs 3)
	cd benchmarks && ../$(BIN)/python importing.py $(if $(QUICK),4000)
	cd benchmarks && ../$(BIN)/python packing.py $(if $(QUICK),40 100)
	cd benchmarks && ../$(BIN)/python placing.py $(if $(QUICK),200 100)
	cd benchmarks && ../$(BIN)/python network.py $(if $(QUICK),30 30)

docs: .venv/ready
	$(BIN)/python docs/make.py

lint: .venv/ready
	$(BIN)/ruff check
	$(BIN)/ruff format --check
	$(MAKE) --jobs 3 $(PLATFORMS:%=types-%)

types-linux: .venv/ready
	$(BIN)/mypy --platform linux --cache-dir .mypy_cache/linux

types-%: .venv/ready
	$(BIN)/mypy --platform $* --cache-dir .mypy_cache/$* src docs

.venv/ready: pyproject.toml
	@echo "Setting Gribble up in .venv: once, and less than a minute."
	@$(PYTHON) -m venv .venv
	@$(BIN)/pip install --quiet --quiet --disable-pip-version-check --editable '.[dev]'
	@touch .venv/ready

clean:
	rm -rf .venv build
