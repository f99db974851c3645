# make demo [PORT=8000] [ROOM=1]   set up everything, build the demo world, serve it (to the room)
# make test               set up everything, Chromium included, run all checks and tests
# make check              what needs no waiting: format, lint, types, layers, core, pages by client
# make bench              measure speed (ratios and counts); writes docs/measured.md
# make bench-quick        each benchmark so short that it only shows that it works
# make chaos              kill, cut, fill and unplug on purpose; writes docs/chaos.md
# make fuzz [SECONDS=60]   junk for all that reads what others wrote; writes docs/fuzz.md
# make screenshots        take docs/screenshots anew from the demo world
# make format             format the code
# make changelog          put the notes of changelog.d into CHANGELOG.md
PORT ?= 8000
PYTHON := .venv/bin/python
SCRIPTS := "galena/*/static/**/*.{js,css}" "tests/js/*.{js,ts}" "*.{js,json}"
export PIP_DISABLE_PIP_VERSION_CHECK = 1
export GALENA_DATA ?= $(CURDIR)/.work/data
# Rigs, workers and servers start in half the time where what was compiled is kept.
unexport PYTHONDONTWRITEBYTECODE
export PYTHONPYCACHEPREFIX := $(CURDIR)/.work/pycache

# Tests that wait for instruments, servers and browsers leave a third of two cores idle.
AT_ONCE ?= 4

.PHONY: demo test check lint bench bench-quick chaos fuzz screenshots format changelog lock

demo: .work/ready
	@$(PYTHON) -m galena demo --port $(PORT) $(if $(ROOM),--room)

test: lint
	$(PYTHON) -m pytest -n $(AT_ONCE) --dist loadfile --no-loadscope-reorder --durations 10

check: lint
	$(PYTHON) -m pytest -n 2 --dist worksteal -m "not slow and not many" --hypothesis-profile quick --nomigrations --ignore tests/browser --ignore tests/benchmarks

lint: .work/ready-for-tests
	$(PYTHON) -m ruff format --check .
	$(PYTHON) -m ruff check .
	scripts/node --tool prettier --check --cache --cache-location .work/prettier --log-level warn $(SCRIPTS)
	scripts/node --tool eslint --cache --cache-location .work/eslint .
	scripts/node --tool tsc --project .
	scripts/node --import ./tests/js/resolve.js --test --test-reporter dot "tests/js/*.test.js"
	.venv/bin/djlint --lint --quiet galena
	$(PYTHON) -m mypy
	.venv/bin/lint-imports --no-cache > .work/layers.txt || { cat .work/layers.txt; exit 1; }

chaos: .work/ready-for-tests
	$(PYTHON) -m benchmarks.chaos

fuzz: .work/ready-for-tests
	$(PYTHON) -m benchmarks.fuzz $(SECONDS)

bench: .work/ready-for-tests
	$(PYTHON) -m benchmarks

bench-quick: .work/ready-for-tests
	$(PYTHON) -m benchmarks --small

screenshots: .work/ready-for-tests
	$(PYTHON) -m scripts.screenshots

format: .work/ready-for-tests
	$(PYTHON) -m ruff format .
	$(PYTHON) -m ruff check --fix .
	scripts/node --tool prettier --write --log-level warn $(SCRIPTS)

changelog: .work/ready-for-tests
	.venv/bin/towncrier build --yes --version $$($(PYTHON) -c "import galena; print(galena.__version__)")

.work/ready: requirements.lock scripts/setup
	scripts/setup run
	@mkdir -p .work && touch $@

.work/ready-for-tests: requirements-test.lock package-lock.json scripts/setup
	scripts/setup test
	@mkdir -p .work && touch .work/ready $@

# Take newer versions into the lock files, within what pyproject.toml allows.
lock: .work/ready-for-tests
	$(PYTHON) -m pip install --quiet pip-tools
	$(PYTHON) -m piptools compile --quiet --generate-hashes --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-emit-options -o requirements.lock pyproject.toml
	$(PYTHON) -m piptools compile --quiet --generate-hashes --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-emit-options --allow-unsafe --extra test -c requirements.lock -o requirements-test.lock pyproject.toml
