# Everything there is to do with Open Latch, by name. On a fresh machine, `make demo` and `make test` do all the rest.

VENV := .venv
BIN := $(VENV)/bin
CONSOLE := src/openlatch/web/console/index.html
AIO := src/openlatch/client/aio.py
SITE := src/openlatch/web/help/index.html
SITE_SOURCES := $(shell find docs -name screenshots -prune -o -name man -prune -o -type f -print)
CONSOLE_SOURCES := $(shell find console -path console/node_modules -prune -o -type f -print) docs/reference/openapi.json

# Without compiled modules every start would compile all libraries anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: help demo tour test check shuffled nightly mutants lint setup console site types bench crash drill faults screenshots journeys audit lock clean

help: ## show this
	@sed -n 's/^\([a-z]*\):.*## /  make \1\t/p' $(MAKEFILE_LIST) | expand -t 20

demo: setup console site ## run the demo until Ctrl-C
	@$(BIN)/openlatch demo

tour: setup console site ## play the whole loop once, on a private copy of the demo
	@$(BIN)/openlatch tour

test: test-packages setup console site ## run all tests, side by side on two processes; says what took longest
	@cd console && npm test --silent
	@$(BIN)/pytest -n 2 --durations=12

check: setup site console ## run the tests that need neither browser nor stack, those of `TESTS=tests/…` only if given
	@$(BIN)/pytest -n 2 $(or $(TESTS),tests/core tests/client tests/web tests/store tests/test_guards.py tests/test_habits.py)

shuffled: test-packages setup console site ## run all tests in three random orders
	@for seed in 1 2 3; do $(BIN)/pytest -n 2 -p randomly --randomly-seed=$$seed || exit 1; done

nightly: test-packages setup console site ## run all tests with many more made-up inputs
	@OPENLATCH_FUZZ=20 $(BIN)/pytest -n 2 --hypothesis-profile nightly

mutants: setup ## change the heart of the core a little, thousands of times (`OF=openlatch.core.taking_back.proof*`), and say what no test sees
	@$(BIN)/mutmut run $(OF)
	@$(BIN)/mutmut results

lint: setup console/node_modules/.made ## check style, types and layers
	@$(BIN)/ruff format --check src tests bench docs tools
	@$(BIN)/ruff check src tests bench docs tools
	@$(BIN)/mypy
	@$(BIN)/lint-imports
	@cd console && npm run --silent types >/dev/null && npm run --silent check && npm run --silent lint

setup: $(VENV)/.made $(AIO) ## make .venv from the lock

console: $(CONSOLE) ## build the console

site: $(SITE) ## make the pages of the documentation, which the service answers below /help

dist: setup console site ## make the packages that others install, with console and help in them
	@$(BIN)/python -m hatchling build

bench: setup ## measure; one JSON line for each benchmark
	@$(BIN)/python -m bench

crash: setup ## kill worker, service, provider and database over hundreds of orders, and count what is lost or done twice
	@$(BIN)/python -m bench crash

drill: drill-packages setup ## restart, kill and promote two web processes, four workers and a standby behind a proxy, and count what fails
	@$(BIN)/python -m bench drill

faults: setup ## fill the database's disk, hold a provider's answers, let a crowd ask, run two zones, and count (needs root)
	@$(BIN)/python -m bench faults

screenshots: picture-packages setup console site ## take the pictures of docs/screenshots anew, from a fresh demo
	@$(BIN)/python docs/screenshots/take.py

journeys: picture-packages setup console site ## play the fifteen journeys on a fresh demo, and write docs/journeys.md
	@$(BIN)/python docs/site/journeys.py

audit: setup console/node_modules/.made ## write the bill of materials, and ask for known weaknesses where a registry answers
	@$(BIN)/python tools/bill.py > bill.json && echo "bill.json: $$(grep -c '"purl"' bill.json) packages"
	@cd console && (npm audit --omit=dev || echo "npm audit: no registry answered, or see above")
	@command -v pip-audit >/dev/null && pip-audit --require-hashes -r requirements.lock \
		|| echo "pip-audit: not installed, no registry answered, or see above"

lock: ## work out requirements.lock anew (needs uv)
	@uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-header --no-annotate \
		--extra service --extra dev pyproject.toml -o requirements.lock

clean: ## delete everything that was built, and the demo's data
	@rm -rf $(VENV) console/node_modules $(dir $(CONSOLE)) $(dir $(SITE)) .demo

.PHONY: packages test-packages picture-packages drill-packages
packages:
	@tools/packages demo
test-packages:
	@tools/packages test
picture-packages:
	@tools/packages pictures
drill-packages:
	@tools/packages drill

# The stamps are written last, so that a step that was broken off is done again.
$(VENV)/.made: requirements.lock pyproject.toml | packages
	@echo "making $(VENV)"
	@rm -rf $(VENV)
	@python3 -m venv $(VENV)
	@$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --require-hashes -r requirements.lock
	@$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

$(AIO): $(VENV)/.made tools/aio.py $(filter-out $(AIO),$(wildcard src/openlatch/client/*.py))
	@$(BIN)/python tools/aio.py
	@touch $@

console/node_modules/.made: console/package-lock.json | packages
	@echo "fetching what the console is built with"
	@cd console && npm ci --silent --no-progress
	@touch $@

$(CONSOLE): console/node_modules/.made $(CONSOLE_SOURCES)
	@echo "building the console"
	@cd console && npm run --silent types >/dev/null && npm run --silent check >/dev/null && npx vite build --logLevel warn
	@touch $@

$(SITE): $(VENV)/.made console/node_modules/.made $(SITE_SOURCES)
	@echo "making the pages of the documentation"
	@$(BIN)/python docs/site/make.py $(dir $(SITE))
	@touch $@
