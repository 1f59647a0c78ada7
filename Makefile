# Two commands matter: `make demo` and `make test`. Both set up what they need first.
PY := .venv/bin/python
STAMPS := .setup
# Python and Node are set up beside one another.
MAKEFLAGS += -j2
# The lists are whole, and Python compiles what it needs when it needs it, and keeps it: every process would do it anew.
unexport PYTHONDONTWRITEBYTECODE
INSTALL := $(PY) -m pip install --quiet --disable-pip-version-check --no-deps --no-compile
PORT ?= 8000
# The headless browser on its own takes less than the whole one does without a window.
CHROMIUM := $(shell command -v chromium-headless-shell)

# Run test-scale once before test-faults: it installs the engines.
.PHONY: component-tests quick-tests test-faults bench-load test-scale demo test check setup bench lint lint-python lint-web lock schema chromium models clean

demo: setup
	$(PY) manage.py migrate --verbosity 0
	$(PY) manage.py load_demo
	$(PY) manage.py serve --port $(PORT)

setup: $(STAMPS)/python $(STAMPS)/warm web/dist/index.html

$(STAMPS)/python: requirements/dev.txt pyproject.toml
	@mkdir -p $(STAMPS)
	test -x $(PY) || python3 -m venv .venv
	$(INSTALL) -r requirements/dev.txt
	$(INSTALL) -e .
	@touch $@

# A stand-in for S3 brings half as much again along.
$(STAMPS)/scale: requirements/scale.txt $(STAMPS)/python
	$(INSTALL) -r requirements/scale.txt
	@touch $@

# Compiled code is cached beside its source; this compiles it once, ahead of the first job.
$(STAMPS)/warm: $(STAMPS)/python $(shell grep -rl 'from numba import' quilt_core --include=*.py)
	$(PY) -m quilt_core.warm
	@touch $@

$(STAMPS)/node: web/package-lock.json
	@mkdir -p $(STAMPS)
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

web/dist/index.html: $(STAMPS)/node $(shell find web/src web/index.html web/vite.config.ts -type f)
	cd web && npx vite build --logLevel warn

chromium:
ifeq ($(CHROMIUM),)
	@if [ "$$(id -u)" = 0 ]; then apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium-headless-shell; \
	elif ! command -v chromium >/dev/null; then \
	echo "The browser tests need Chromium: run “sudo apt-get install chromium-headless-shell” and try again." >&2; exit 1; fi
endif

# Open test models that nobody here made; without them the tests of real files are skipped.
models:
ifeq ($(wildcard /usr/share/assimp/models),)
	@if [ "$$(id -u)" = 0 ]; then apt-get update -qq && apt-get install -y -qq --no-install-recommends assimp-testmodels; \
	else echo "The tests of real files need “sudo apt-get install assimp-testmodels”; they are skipped." >&2; fi
endif

lint: lint-python lint-web

lint-python: $(STAMPS)/python
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports --no-cache

lint-web: $(STAMPS)/node
	cd web && npm run --silent lint

component-tests: $(STAMPS)/node
	cd web && npx vitest run

test: setup chromium models component-tests
	$(PY) -m pytest tests/core tests/studio --numprocesses 2
	$(PY) -m pytest tests/browser --numprocesses 2 --dist loadfile

# The same tests, and others, on PostgreSQL, Redis and S3-compatible storage, with several web processes and workers.
test-scale: setup $(STAMPS)/scale chromium
ifeq ($(shell ls /usr/lib/postgresql/*/bin/initdb 2>/dev/null),)
	@if [ "$$(id -u)" = 0 ]; then apt-get update -qq && apt-get install -y -qq --no-install-recommends postgresql redis-server; \
	else echo "This needs PostgreSQL and Redis: run “sudo apt-get install postgresql redis-server” and try again." >&2; exit 1; fi
endif
	$(PY) -m tests.scale.engines -- $(PY) -m pytest tests/studio --numprocesses 2
	$(PY) -m pytest tests/scale

# The faults of that set-up by the hundred: about half an hour.
test-faults: setup
	QUILT_LONG=1 $(PY) -m pytest tests/scale/test_faults.py -s

# Lint, types and the tests that take little time, for daily work.
check: quick-tests component-tests lint

quick-tests: setup
	$(PY) -m pytest tests/core tests/studio --numprocesses 2 -m "not slow"

bench: setup
	$(PY) -m benchmarks

# Fifty people at once, on SQLite and on PostgreSQL.
bench-load: setup
	$(PY) -m benchmarks.load --postgres

docs/command-line.md: setup
	$(PY) -m quilt_cli.reference > $@

schema: setup
	$(PY) -m quilt_core.scene.flags > web/src/editor/flags.generated.ts
	$(PY) manage.py spectacular --file web/openapi.yaml
	cd web && npm run schema

lock: setup
	for name in base dev scale; do .venv/bin/pip-compile --quiet --upgrade --strip-extras --no-header --no-emit-index-url \
		--no-emit-find-links --no-emit-options -o requirements/$$name.txt requirements/$$name.in; done
	cd web && npm update --omit-lockfile-registry-resolved --no-audit --no-fund

clean:
	rm -rf .venv .setup web/node_modules web/dist var
