# Papiermappe: `make demo` to see it, `make test` to check it.
.PHONY: demo demo-reset run test check lock bench

demo:
	@./scripts/setup runtime
	@exec .venv/bin/papiermappe demo

demo-reset:
	@./scripts/setup runtime
	@exec .venv/bin/papiermappe demo --reset

run:
	@./scripts/setup runtime
	@exec .venv/bin/papiermappe run

check:
	@./scripts/setup dev
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports
	.venv/bin/oxlint --deny-warnings src/papiermappe/web/static/js

test: check
	OPENBLAS_NUM_THREADS=1 .venv/bin/python -m pytest --numprocesses auto --maxprocesses 4 --dist worksteal --durations 30

bench:
	@./scripts/setup dev
	.venv/bin/python -m benchmarks.whole_way
	.venv/bin/python -m benchmarks.desk

lock:
	@./scripts/lock
