# `make demo` opens Bathyx with the demo shop, `make test` passes the tests; each sets up a fresh machine by itself.
VENV := $(or $(BATHYX_VENV),.venv)
PY := $(VENV)/bin/python

.PHONY: demo desk test bench docs screenshots setup clean

demo: setup
	BATHYX_HOME=$${BATHYX_HOME:-.demo} $(VENV)/bin/bathyx demo

desk: setup
	$(VENV)/bin/bathyx

test: setup
	$(VENV)/bin/ruff check .
	$(VENV)/bin/ruff format --check .
	$(VENV)/bin/lint-imports
	$(VENV)/bin/mypy
	QT_QPA_PLATFORM=offscreen OPENBLAS_NUM_THREADS=1 $(PY) -m pytest -n 2

bench: setup
	$(PY) tools/bench.py

docs: setup
	$(VENV)/bin/bathyx numbers > docs/numbers.md
	$(VENV)/bin/bathyx schema > docs/job.schema.json

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(PY) tools/screenshots.py docs/screenshots

setup:
	@bash tools/setup.sh

clean:
	rm -rf $(VENV) .demo .pytest_cache .mypy_cache .ruff_cache
