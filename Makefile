# make demo [PORT=8000]   set up everything, build the demo world, serve it
# make test               set up everything, Chromium included, run all checks and tests
# make bench              measure speed (ratios and counts; never part of the tests)
# make screenshots        take docs/screenshots anew from the demo world
# make format             format the code
PORT ?= 8000
PYTHON := .venv/bin/python
export PIP_DISABLE_PIP_VERSION_CHECK = 1

.PHONY: demo test bench screenshots format lock

demo: .work/ready
	@$(PYTHON) -m galena demo --port $(PORT)

test: .work/ready-for-tests
	$(PYTHON) -m ruff format --check .
	$(PYTHON) -m ruff check .
	$(PYTHON) -m mypy
	.venv/bin/lint-imports
	$(PYTHON) -m galena manage makemigrations --check --dry-run
	$(PYTHON) -m pytest -n 2 --dist loadfile --no-loadscope-reorder

bench: .work/ready-for-tests
	$(PYTHON) -m benchmarks.live_path
	$(PYTHON) -m benchmarks.formulas
	$(PYTHON) -m benchmarks.findings
	$(PYTHON) -m benchmarks.desk_window
	$(PYTHON) -m benchmarks.desk_stack
	$(PYTHON) -m benchmarks.full_bench
	$(PYTHON) -m benchmarks.long_class
	$(PYTHON) -m benchmarks.armed_pair
	$(PYTHON) -m benchmarks.hour_on_desk

screenshots: .work/ready-for-tests
	$(PYTHON) -m scripts.screenshots

format: .work/ready-for-tests
	$(PYTHON) -m ruff format .
	$(PYTHON) -m ruff check --fix .

.work/ready: requirements.lock scripts/setup
	scripts/setup run
	@mkdir -p .work && touch $@

.work/ready-for-tests: requirements-test.lock scripts/setup
	scripts/setup test
	@mkdir -p .work && touch .work/ready $@

# Take newer versions into the lock files, within what pyproject.toml allows.
lock: .work/ready-for-tests
	$(PYTHON) -m pip install --quiet pip-tools
	$(PYTHON) -m piptools compile --quiet --generate-hashes --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-emit-options -o requirements.lock pyproject.toml
	$(PYTHON) -m piptools compile --quiet --generate-hashes --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-emit-options --extra test -c requirements.lock -o requirements-test.lock pyproject.toml
