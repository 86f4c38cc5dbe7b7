PYTHON ?= python3
BIN := .venv/bin
export QT_QPA_PLATFORM ?= $(if $(DISPLAY)$(WAYLAND_DISPLAY),,offscreen)

.PHONY: setup demo test lint bench screenshots
setup: .venv/ready

.venv/ready: requirements.lock pyproject.toml tools/setup.sh
	PYTHON=$(PYTHON) sh tools/setup.sh

demo: setup
	$(BIN)/glyphos demo

test: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m unittest discover -s tests -t .

lint: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/bench.py

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/shot.py docs/screenshots
