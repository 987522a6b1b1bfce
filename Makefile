# Two commands matter: `make demo` starts the application with demo data, `make test` checks everything.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8765
# Kernels compile while the front end is installed and built.
MAKEFLAGS += --jobs=2
export TRASLOCO_DATA ?= $(CURDIR)/data

.PHONY: kernels demo test drill fuzz books held bench setup front types wheel docs screenshots clean

$(VENV)/.ready: requirements.lock pyproject.toml
	@test -d $(VENV) || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps -e .
	@touch $@

# A few minutes, once for each state of the kernels.
kernels: $(VENV)/.ready
	@$(BIN)/python -m trasloco.warm

web/node_modules/.ready: web/package-lock.json
	cd web && npm ci --silent --no-audit --no-fund
	@touch $@

web/dist/index.html: web/node_modules/.ready web/index.html web/vite.config.ts $(shell find web/src -type f)
	cd web && npm run --silent build -- --logLevel error

setup: kernels web/dist/index.html

# The page is there before the kernels and the demo's deliveries are; it says what is still coming.
demo: $(VENV)/.ready web/dist/index.html
	@$(BIN)/python -m server.run --port $(PORT) --demo

# Kernels are compiled beside the checks.
test: $(VENV)/.ready web/dist/index.html
	@CHROMIUM=$$(command -v chromium || true); if [ -z "$$CHROMIUM" ]; then echo "installing chromium"; apt-get update -qq && apt-get install -y -qq chromium >/dev/null; fi
	@$(BIN)/python -m tests.run

fuzz: kernels
	@$(BIN)/python -m fuzzing.run --rounds $${rounds:-30000} --seed $${seed:-1}

drill: kernels
	@$(BIN)/python -m drill.run $(if $(only),--only $(only)) $(if $(moments),--moments $(moments)) $(if $(points),--points $(points)) $(if $(seconds),--seconds $(seconds)) $(if $(examples),--examples $(examples))

books: kernels
	@$(BIN)/python -m bench.books --rounds $${rounds:-5000} --minutes $${minutes:-40}

held: kernels
	@test -f $(TRASLOCO_DATA)/demo/teatrino.glb || $(BIN)/python -c "from pathlib import Path; from demo.build import write; write(Path('$(TRASLOCO_DATA)') / 'demo')"
	@$(BIN)/python -m tests.held $${act:-compare} $(TRASLOCO_DATA)/demo

bench: kernels
	@$(BIN)/python -m bench.run $(if $(only),--only $(only))

wheel: $(VENV)/.ready web/dist/index.html
	@rm -rf build
	@$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps --no-build-isolation --wheel-dir dist .
	@rm -rf build
	@ls dist/*.whl

# A page for every module and public function of the core, from their docstrings.
docs: $(VENV)/.ready
	@rm -rf docs/api
	@$(BIN)/python -m pdoc trasloco --docformat restructuredtext --output-directory docs/api
	@echo docs/api/index.html

types: $(VENV)/.ready web/node_modules/.ready
	$(BIN)/python manage.py export_openapi_schema --api server.moves.api.api --indent 1 > web/src/api/openapi.json
	cd web && npx --no-install openapi-typescript src/api/openapi.json -o src/api/schema.d.ts
	$(BIN)/python -m trasloco.decisions.ranges > web/src/api/ranges.json

screenshots: setup
	$(BIN)/python -m docs.screenshots.take http://127.0.0.1:$(PORT)

clean:
	rm -rf data web/dist demo/out
