# `make demo` and `make test` install what they need; everything else builds on them.
UV := .tools/bin/uv
PY := .venv/bin/python
NPM := npm --prefix console
CONSOLE_FILES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/tsconfig.json
export UV_PROJECT_ENVIRONMENT := .venv
# every process would compile everything anew: seconds for each start
unexport PYTHONDONTWRITEBYTECODE
export UV_COMPILE_BYTECODE := 1

.PHONY: demo test beside lint lint-python lint-console unit vitest pytest bench bench-large soak shots console readings said types dist clean

demo: .stamps/run .stamps/console
	@exec .venv/bin/noctilum demo $(ARGS)

# installed two at a time; what is read, and drawn without the service, is checked while the tests of the service wait for it
test:
	@$(MAKE) --no-print-directory -j2 --output-sync=line .stamps/dev .stamps/console
	@$(MAKE) --no-print-directory -j2 beside pytest

beside: .stamps/dev .stamps/console
	@nice -n 4 $(MAKE) --no-print-directory lint vitest > .stamps/beside.log 2>&1; ended=$$?; echo; cat .stamps/beside.log; exit $$ended

lint: lint-python lint-console

lint-python: .stamps/dev
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy src
	.venv/bin/lint-imports

lint-console: .stamps/node
	cd console && npx oxlint --deny-warnings src tests
	cd console && npx prettier --check --log-level warn src tests vite.config.ts
	cd console && npx tsc --noEmit

unit: vitest pytest

vitest: .stamps/node
	cd console && npx vitest run

pytest: .stamps/dev .stamps/console
	$(PY) -m pytest -q -n 3 -p tests.garbage $(ARGS)

bench: .stamps/run
	$(UV) sync -q --frozen --inexact --extra service --group bench --no-dev
	$(PY) bench/run.py $(ARGS)
	$(PY) bench/overview.py
	$(PY) bench/under_attack.py
	$(PY) bench/reports.py

bench-large: .stamps/run
	$(UV) sync -q --frozen --inexact --extra service --group bench --no-dev
	$(PY) bench/run.py --rows-a-day 40150 --queries 240000 --sides noctilum duckdb --name large --rounds 3 $(ARGS)
	$(PY) bench/import_file.py
	$(PY) bench/readers.py

soak: .stamps/dev
	$(PY) bench/fuzz.py
	$(PY) bench/fortnight.py
	$(PY) bench/soak.py $(ARGS)
	$(PY) -m bench.soak_checks

shots: .stamps/dev .stamps/console
	tools/system-packages shots
	$(PY) tools/shots.py

console: .stamps/console

readings: .stamps/dev
	$(PY) tools/readings.py

said: .stamps/node
	cd console && npx lingui extract --clean && npx lingui compile --strict && rm -f src/said/*.js

types: readings .stamps/node
	$(PY) tools/openapi.py > console/openapi.json
	npm --prefix console/typegen ci
	npx --prefix console/typegen openapi-typescript console/openapi.json -o console/src/mind/api.gen.ts --default-non-nullable false

dist: .stamps/run .stamps/console
	$(UV) build

clean:
	rm -rf .venv .tools .stamps dist console/node_modules console/dist src/noctilum/service/console

.stamps/uv:
	python3 -m venv .tools
	.tools/bin/pip install -q uv==0.13.9
	@mkdir -p .stamps && touch $@

.stamps/run: .stamps/uv pyproject.toml uv.lock
	tools/system-packages run
	$(UV) sync -q --frozen --inexact --no-dev --extra service --extra completion
	@touch $@

.stamps/dev: .stamps/run
	tools/system-packages test
	$(UV) sync -q --frozen --inexact --extra service --extra completion
	@touch $@

.stamps/node: console/package.json console/package-lock.json
	$(NPM) ci --no-audit --no-fund --loglevel=error
	@mkdir -p .stamps && touch $@

.stamps/console: .stamps/node $(CONSOLE_FILES)
	cd console && npx vite build --logLevel warn
	rm -rf src/noctilum/service/console
	cp -r console/dist src/noctilum/service/console
	@touch $@
