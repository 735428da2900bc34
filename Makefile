# Every target sets up from nothing what it needs; a second run starts in seconds.
SHELL := /bin/bash
PORT ?= 8000
UV_VERSION := 0.13.9
UV := .tools/bin/uv
PY := .venv/bin/python
STAMPS := .stamps
export UV_PROJECT_ENVIRONMENT := .venv
export SYNTONOS_CACHE := $(CURDIR)/var/cache
export NPM_CONFIG_UPDATE_NOTIFIER := false
# The matrices are small: threads of the linear algebra only get into each other's way.
export OPENBLAS_NUM_THREADS := 1
# Images of containers often forbid compiled modules to be kept; every process would then compile
# all packages anew, which takes longer than most of what it is started for.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: setup demo test check bench evaluate evaluate-picture hostile mutate soak schema plates clean
.DELETE_ON_ERROR:

setup: $(STAMPS)/python $(STAMPS)/web

$(UV):
	@echo "setup: installing uv into .tools"
	@python3 -m venv .tools || { echo "python3 -m venv failed: on Debian, apt-get install python3-venv"; exit 1; }
	@.tools/bin/python -m pip install --quiet --disable-pip-version-check uv==$(UV_VERSION)

$(STAMPS)/python: uv.lock pyproject.toml | $(UV)
	@echo "setup: Python packages (uv.lock)"
	@$(UV) sync --frozen --quiet --extra demo
	@mkdir -p $(STAMPS) && touch $@

$(STAMPS)/node: web/package.json web/package-lock.json
	@echo "setup: front-end packages (package-lock.json)"
	@cd web && npm ci --no-audit --no-fund --loglevel=error
	@mkdir -p $(STAMPS) && touch $@

WEB_SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts -type f 2>/dev/null)
$(STAMPS)/web: $(STAMPS)/node $(WEB_SOURCES)
	@echo "setup: building the front end"
	@cd web && npx vite build --logLevel warn
	@mkdir -p $(STAMPS) && touch $@

$(STAMPS)/browser:
	@if [ ! -x /usr/bin/chromium ]; then \
	  echo "setup: Debian's Chromium, for the browser tests"; \
	  SUDO=$$([ "$$(id -u)" = 0 ] || echo sudo); \
	  $$SUDO apt-get update -qq && $$SUDO apt-get install -y -qq --no-install-recommends chromium >/dev/null; \
	fi
	@mkdir -p $(STAMPS) && touch $@

demo: setup
	@exec .venv/bin/syntonos demo --port $(PORT)

test: setup $(STAMPS)/browser
	@echo "test: front end (vitest), and kernels compiled once, before the parallel tests"
	@mkdir -p var/test; (cd web && npx vitest run --reporter=dot) > var/test/vitest.log 2>&1 & page=$$!; \
	  $(PY) -m tests.warm; warmed=$$?; \
	  wait $$page || { cat var/test/vitest.log; exit 1; }; \
	  grep -E "Test Files|Tests " var/test/vitest.log; exit $$warmed
	@echo "test: core, server, journeys (pytest)"
	@# The longest files come first (tests/conftest.py), so that no worker waits for one at the end.
	@# Three workers on two cores, since journeys wait for servers and browsers half of their time.
	@$(PY) -m pytest -n 3 --dist loadfile --no-loadscope-reorder -q --durations=15 tests

check: $(STAMPS)/python $(STAMPS)/node
	@echo "check: ruff"
	@.venv/bin/ruff format --check -q . && .venv/bin/ruff check -q .
	@echo "check: mypy"
	@.venv/bin/mypy
	@echo "check: import contracts"
	@.venv/bin/lint-imports
	@echo "check: biome and tsc"
	@cd web && npx biome check . && npx tsc -p .
	@echo "check: migrations, API schema and client are up to date"
	@SYNTONOS_DATA=var/check DJANGO_SETTINGS_MODULE=syntonos.server.config.settings $(PY) -m django makemigrations --check --dry-run
	@mkdir -p var/check && SYNTONOS_DATA=var/check $(PY) -m syntonos.server.api.export_schema var/check/schema.json var/check/decided.ts
	@diff -q var/check/schema.json web/schema.json || { echo "web/schema.json is old: make schema"; exit 1; }
	@diff -q var/check/decided.ts web/src/api/decided.ts || { echo "web/src/api/decided.ts is old: make schema"; exit 1; }
	@cd web && npx openapi-typescript schema.json -o ../var/check/schema.d.ts >/dev/null
	@diff -q var/check/schema.d.ts web/src/api/schema.d.ts || { echo "the client is old: make schema"; exit 1; }

schema: $(STAMPS)/python $(STAMPS)/node
	@SYNTONOS_DATA=var/check $(PY) -m syntonos.server.api.export_schema web/schema.json web/src/api/decided.ts
	@cd web && npx openapi-typescript schema.json -o src/api/schema.d.ts >/dev/null

bench: setup $(STAMPS)/browser
	@$(PY) -m tests.benchmarks.run

# SEEDS=held-back is for a release: what is looked at often is no longer a test.
SEEDS ?= development
evaluate: $(STAMPS)/python
	@echo "evaluate: 300 simulated pairs of cameras; this takes about five minutes"
	@$(PY) -m syntonos.core.evaluate --seeds $(SEEDS) --per-class 20

evaluate-picture: $(STAMPS)/python
	@echo "evaluate-picture: 200 simulated pairs of pictures; this takes about half an hour"
	@$(PY) -m syntonos.core.evaluate.pictures --seeds $(SEEDS) --per-class 50

# What is bad on purpose: files through the command line, requests to the server.
hostile: $(STAMPS)/python
	@$(PY) -m tests.hostile

# One sign or term changed at a time: the nearest tests have to notice.
mutate: setup
	@$(PY) -m tests.warm && $(PY) -m tests.mutate $(ONLY)

# What takes longer than CI may: properties on many examples, then the evaluation.
soak: $(STAMPS)/python
	@$(PY) -m pytest -n 2 -q --hypothesis-profile=soak tests/core
	@$(PY) -m tests.hostile --count 8000 --requests 20000 --seed 0
	@$(MAKE) mutate
	@$(MAKE) evaluate

plates: $(STAMPS)/python
	@echo "plates: rendering the foundry anew; this takes the better part of an hour"
	@$(PY) -m syntonos.core.simulate.foundry.plates

clean:
	rm -rf .venv .tools .stamps var web/node_modules web/dist
