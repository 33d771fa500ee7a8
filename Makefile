# Every target does its own set-up in .venv; only Python 3.11 or newer with venv is needed, and a network once.
PYTHON ?= python3
BIN = .venv/bin
# What is run once more under the rules and on the volumes of other systems; placing in full, which takes a while, by those
# that differ most.
ON_GROUNDS = tests/core/test_survey.py tests/core/test_run.py
PLATFORMS = linux win32 darwin
# What is run once more with the oldest versions that pyproject.toml promises: where the program meets its libraries.
ON_OLDEST = $(patsubst %,tests/core/test_%.py,settings parsers steps fit importing) \
  $(patsubst %,tests/cli/test_%.py,demo servers)

.PHONY: demo test oldest coverage lint soak soak-large mutants bench docs clean

demo: .venv/installed
	@rm -rf build/demo
	@$(BIN)/gribble demo build/demo

test: .venv/ready
	@test -d tests/__pycache__ || $(BIN)/pytest -n 0 --collect-only > /dev/null || true  # compiled once for all workers
	PYTHONWARNDEFAULTENCODING=1 $(BIN)/pytest
	$(MAKE) --jobs 2 ground-windows ground-mac ground-card

ground-windows:
	$(BIN)/pytest -n 4 --ground windows tests/cli/test_placing.py $(ON_GROUNDS)

ground-%:
	$(BIN)/pytest -n 1 --ground $* $(ON_GROUNDS)

oldest: .venv/oldest/ready
	.venv/oldest/bin/pytest $(ON_OLDEST)

# Which lines and branches of the core the tests reach, and the ten modules that they reach least.
coverage: .venv/ready
	$(BIN)/pytest --cov --cov-report=
	$(BIN)/coverage report --sort=cover --skip-covered | awk 'NR < 13 || /^TOTAL/'

# Small wrong changes, each of which has to fail a test: some minutes.
mutants: .venv/ready
	$(BIN)/python tests/mutants.py

soak: .venv/ready
	GRIBBLE_SOAK=1 $(BIN)/pytest

# Every command on a collection at full scale, once by hand: the figures are in docs/performance.md.
soak-large: .venv/ready
	cd benchmarks && ../$(BIN)/python soak.py $(SHARE)

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

# The program with what it needs; for work on it, below, also what tests and checks need.
.venv/installed: pyproject.toml
	@echo "Setting Gribble up in .venv, once: some 30 MB of Python packages are fetched, which takes up to a minute."
	@$(PYTHON) -m venv .venv
	@$(BIN)/pip install --quiet --quiet --disable-pip-version-check --editable .
	@touch .venv/installed

.venv/ready: .venv/installed
	@echo "Fetching what the tests and checks need, once."
	@$(BIN)/pip install --quiet --quiet --disable-pip-version-check --editable '.[dev]'
	@touch .venv/ready

# Gribble itself is only pointed to: to install it would write beside tests that may be running.
.venv/oldest/ready: pyproject.toml tests/oldest.txt .venv/installed
	@echo "Fetching the oldest versions that are promised, once."
	@$(PYTHON) -m venv --without-pip .venv/oldest
	@.venv/oldest/bin/python -c 'import site, pathlib; \
	  pathlib.Path(site.getsitepackages()[0], "gribble.pth").write_text(str(pathlib.Path("src").resolve()))'
	@.venv/oldest/bin/python -c 'import tomllib, pathlib; \
	  print(*tomllib.loads(pathlib.Path("pyproject.toml").read_text("utf-8"))["project"]["dependencies"], sep="\n")' \
	  > .venv/oldest/needs.txt
	@$(BIN)/pip --python .venv/oldest/bin/python install --no-compile --quiet --quiet --disable-pip-version-check \
	  --constraint tests/oldest.txt --requirement .venv/oldest/needs.txt $$(sed '1,/^# of the tests/d; s/=.*//' tests/oldest.txt)
	@touch .venv/oldest/ready

clean:
	rm -rf .venv build
