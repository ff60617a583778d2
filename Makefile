# Every target sets up what it needs: `make demo` or `make test` may be the first command on a fresh machine.
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test test-slow lint bench shots clean
demo: $(READY)
	@$(BIN)/inertian demo

test: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n 2 -m "not slow"

test-slow: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n 2 --dist loadgroup -m "slow" -rP

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/python benchmarks/startup.py

shots: $(READY)
	QT_QPA_PLATFORM=offscreen $(BIN)/inertian shots docs/screenshots

clean:
	rm -rf $(VENV)

$(READY): pyproject.toml constraints.txt scripts/setup.sh scripts/reference_data.sh
	@bash scripts/setup.sh $(VENV)
	@touch $@
