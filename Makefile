# make demo starts everything with the demo data; make test runs every test. Both set up what is missing first.

VENV := .venv
PYTHON ?= python3
BIN := $(VENV)/bin
STAMPS := .setup-stamps
PAGES := src/saltpath/server/pages/index.html
WEB := $(shell find web/src web/public web/index.html web/vite.config.ts web/compressed.ts web/tsconfig.json -type f 2>/dev/null)
PYTHONS := $(shell find src tests bench -name '*.py')

.PHONY: setup demo test check bench lock docs api-types schemas screenshots wheel clean

setup: $(STAMPS)/python $(STAMPS)/compiled $(PAGES)

$(STAMPS)/python: requirements.lock requirements-dev.lock pyproject.toml
	@echo "Setting up Python packages in $(VENV)"
	@mkdir -p $(STAMPS)
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV) || (echo "Python 3.11 with venv is needed: apt-get install python3-venv" && exit 1)
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-virtualenv -r requirements-dev.lock
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

# Where the environment keeps Python from writing bytecode, each of the application's processes would compile its modules anew.
$(STAMPS)/compiled: $(STAMPS)/python $(PYTHONS)
	@$(BIN)/python -m compileall -q src tests bench
	@touch $@

$(STAMPS)/npm: web/package.json web/package-lock.json
	@echo "Setting up front-end packages in web/node_modules"
	@mkdir -p $(STAMPS)
	@# npm ci refuses a lock without the packages of other platforms, which not every registry has; install takes the rest
	@cd web && (npm ci --silent --no-audit --no-fund >/dev/null 2>&1 || npm install --no-save --silent --no-audit --no-fund)
	@touch $@

$(PAGES): $(STAMPS)/npm $(WEB)
	@echo "Building the front end"
	@cd web && npx --no-install vite build --logLevel warn
	@touch $@

demo: setup
	@$(BIN)/saltpath demo

test: setup
	@sh tests/need-chromium
	@sh tests/need-optional /usr/bin/soffice libreoffice-calc-nogui 'LibreOffice Calc'
	@sh tests/need-optional '/usr/lib/postgresql/*/bin/initdb' postgresql PostgreSQL
	@sh tests/need-optional /usr/bin/curl curl curl
	@sh tests/need-public-files $(BIN)/python
	@$(BIN)/python -m tests

check: setup
	@$(BIN)/ruff format --check . && $(BIN)/ruff check . && $(BIN)/mypy
	@cd web && npx --no-install biome check src vite.config.ts && npx --no-install tsc --noEmit
	@cd web && npx --no-install dockerfile-utils lint ../Containerfile

bench: setup
	@$(BIN)/python -m bench

# The following change files that are kept in the repository.

lock:
	$(BIN)/pip-compile --quiet --no-emit-index-url --no-emit-find-links --no-header --strip-extras -o requirements.lock pyproject.toml
	$(BIN)/pip-compile --quiet --no-emit-index-url --no-emit-find-links --no-header --strip-extras --extra dev -o requirements-dev.lock pyproject.toml

schemas: setup
	$(BIN)/python -m saltpath.core.format.schema src/saltpath/schemas

docs: setup
	$(BIN)/python -m saltpath.core.format.tables docs/case-format.md
	$(BIN)/python -m saltpath.server.permissions

api-types: setup
	$(BIN)/python -c "import json; from saltpath.server.app import contract; print(json.dumps(contract()))" > web/openapi.json
	cd web/api-types && npm ci --silent && npm run --silent generate

screenshots: setup
	$(BIN)/python -m tests.browser.screenshots

wheel: setup
	$(BIN)/python -m pip wheel --quiet --no-deps --no-build-isolation -w dist .

clean:
	rm -rf $(VENV) $(STAMPS) web/node_modules dist src/saltpath/server/pages
