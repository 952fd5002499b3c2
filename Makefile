# Verbs: demo, test, lint, fuzz, prove, mutate, bench, shots, meshes, dist. Each sets up what it needs, once.
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready
WARM := $(VENV)/.warm
COMPILE := $(BIN)/python -m wideberth.core.handover.compiling
SCREEN := xvfb-run -a -s "-screen 0 1400x900x24"

.PHONY: demo test lint fuzz prove mutate bench shots meshes dist setup
.DEFAULT_GOAL := help

help:
	@grep -E '^# Verbs' Makefile

setup: $(READY)

$(READY): requirements.lock pyproject.toml tools/setup.sh
	@sh tools/setup.sh $(VENV)
	@touch $(READY)

$(WARM): $(READY)
	@echo "wide-berth: compiling its loops, once (a minute or two)"
	@$(COMPILE)
	@touch $(WARM)

demo: $(READY) $(WARM)
	@$(BIN)/wide-berth window

lint: $(READY)
	@$(BIN)/ruff check src tests benchmarks proofs
	@$(BIN)/ruff format --check -q src tests benchmarks proofs
	@$(BIN)/python tools/docstrings.py
	@$(BIN)/mypy
	@$(BIN)/lint-imports | tail -n 3

test: $(READY)
	@$(COMPILE) & $(MAKE) --no-print-directory lint && wait && $(BIN)/pytest tests -n 2 --dist worksteal

fuzz: $(READY) $(WARM)
	@$(BIN)/pytest tests/core/test_any_input.py --hypothesis-profile=fuzz -q -s -n 0

prove: $(READY) $(WARM)
	@$(BIN)/pytest tests -o addopts="" -m prove --benchmark-disable -q -n 2
	@$(BIN)/pytest proofs -o addopts="" -o pythonpath=tests -q -s -n 0

mutate: $(READY)
	@$(BIN)/python tools/mutate.py $(only)

bench: $(READY) $(WARM)
	@$(BIN)/pytest benchmarks -o addopts="" --benchmark-columns=median,min,rounds -s

shots: $(READY) $(WARM)
	@$(SCREEN) $(BIN)/python -m wideberth.desktop.shots docs/screenshots

meshes: $(READY)
	@$(BIN)/python -m wideberth.demo.make_meshes
	@$(BIN)/python -m wideberth.demo.make_job

dist: $(READY)
	@$(BIN)/pip -q install build && $(BIN)/python -m build
