# Each target sets itself up: the virtual environment is made when it is missing or out of date.
VENV ?= .venv
PYTHON ?= python3
BIN := $(VENV)/bin
PIP = $(BIN)/python -m pip install -qq --disable-pip-version-check

.PHONY: mutants demo test lowest update test-browser test-spreadsheet bench coverage fuzz hostile format schema messages clean

$(VENV)/.ready: pyproject.toml constraints.txt
	@echo "Setting up in $(VENV): this takes a minute."
	@$(PYTHON) -m venv $(VENV)
	@$(PIP) --constraint constraints.txt --editable '.[dev]'
	@touch $@

demo: $(VENV)/.ready
	@$(BIN)/flatledger demo

# what is compiled once need not be by each of the processes that tests start
test: $(VENV)/.ready
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	@$(BIN)/python -m compileall -q src tests
	$(BIN)/pytest -n 3 --dist worksteal

# the newest versions of all packages; they are noted once the tests pass with them
update:
	@$(PYTHON) -m venv --clear $(VENV)
	@$(PIP) --upgrade --editable '.[dev]'
	@touch $(VENV)/.ready
	@$(MAKE) test
	@head -1 constraints.txt > constraints.new
	@$(BIN)/python -m pip freeze --disable-pip-version-check --exclude-editable >> constraints.new
	@mv constraints.new constraints.txt
	@touch $(VENV)/.ready

# the lowest versions that pyproject.toml allows, in an environment of their own
LOWEST ?= .venv-lowest
lowest:
	@$(PYTHON) -m venv --clear $(LOWEST)
	@$(LOWEST)/bin/python -m pip install -qq --disable-pip-version-check uv
	@$(LOWEST)/bin/uv pip install -q --python $(LOWEST)/bin/python --resolution lowest-direct --editable '.[dev]'
	$(LOWEST)/bin/pytest -n 3 --dist worksteal

# the web page in a real browser: Debian's chromium, or another one that BROWSER names
BROWSER ?= chromium
test-browser: $(VENV)/.ready
	FLATLEDGER_BROWSER=$(BROWSER) $(BIN)/pytest tests/test_browser.py

# what a spreadsheet program calculates is guarded; its own Python has the module `uno` (on Debian:
# libreoffice-calc and python3-uno)
SPREADSHEET ?= soffice
SPREADSHEET_PYTHON ?= /usr/bin/python3
test-spreadsheet: $(VENV)/.ready
	FLATLEDGER_SPREADSHEET=$(SPREADSHEET) FLATLEDGER_SPREADSHEET_PYTHON=$(SPREADSHEET_PYTHON) \
		$(BIN)/pytest tests/test_spreadsheet.py

bench: $(VENV)/.ready
	$(BIN)/python bench/run.py

# material that is hostile by what it repeats: what takes longer than in proportion, or fills the
# memory; all of it takes hours, a part of it less (HOSTILE='--part 1/100 --largest 64')
HOSTILE ?= --part 1/100
hostile: $(VENV)/.ready
	$(BIN)/python -W ignore -m tests.test_memory
	$(BIN)/python -W ignore -m fuzz.hostile --best-of 5 $(HOSTILE)

fuzz: $(VENV)/.ready
	$(BIN)/python -W ignore -m fuzz.run

# breaks places of the program one by one, and lists those that no test sees: about an hour
mutants: $(VENV)/.ready
	$(BIN)/python -m tests.mutants

schema: $(VENV)/.ready
	$(BIN)/flatledger schema > src/flatledger/layout/reading/layout.schema.json

# what is read off the code: messages, keys of a layout, commands
messages: $(VENV)/.ready
	$(BIN)/python docs/list_messages.py
	$(BIN)/python docs/list_keys.py
	$(BIN)/python docs/list_commands.py

# what the tests run of the code, in the processes that they start too
coverage: $(VENV)/.ready
	rm -rf .coverage_data && mkdir .coverage_data
	$(BIN)/python -m coverage run --rcfile=pyproject.toml -m pytest -n 2
	$(BIN)/python -m coverage combine --rcfile=pyproject.toml -q
	$(BIN)/python -m coverage report --rcfile=pyproject.toml

format: $(VENV)/.ready
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .

clean:
	rm -rf $(VENV) .mypy_cache .pytest_cache .ruff_cache .hypothesis
