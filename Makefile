PYTHON ?= python3
BIN := .venv/bin
export QT_QPA_PLATFORM ?= $(if $(DISPLAY)$(WAYLAND_DISPLAY),,offscreen)

.PHONY: setup demo test fuzz lint bench heads screenshots install uninstall try-install
setup: .venv/ready

.venv/ready: requirements.lock pyproject.toml setup.py glyphos/speech/viterbi.c glyphos/motion/smooth.c glyphos/characters/drawings/cheapest.c tools/setup.sh
	PYTHON=$(PYTHON) sh tools/setup.sh

demo: setup
	$(BIN)/glyphos demo

# Compiled once, not by each of the many processes that tests start
test: setup
	$(BIN)/python -m compileall -q glyphos tests
	PYTHONFAULTHANDLER=1 QT_QPA_PLATFORM=offscreen sh tools/suite.sh $(BIN)/unittest-parallel -j $$(( $$(getconf _NPROCESSORS_ONLN) + 1 )) -s tests -t . --level module

# Property tests with other examples at every run, as many of each as one likes: make fuzz RUNS=1000
fuzz: setup
	GLYPHOS_FUZZ=$(or $(RUNS),1000) QT_QPA_PLATFORM=offscreen $(BIN)/python -m unittest \
		$$(grep -rlE '@given|FUZZ' tests --include='*.py' | sed 's/\.py$$//; s|/|.|g')

lint: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/bench.py

# The heads that ship, built anew from their numbers: make heads
heads: setup
	$(BIN)/python -m tools.heads

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/shot.py docs/screenshots

# For one user: an environment of its own, a launcher on the path, a desktop entry with its icon
install:
	PYTHON=$(PYTHON) sh tools/install.sh install

uninstall:
	sh tools/install.sh uninstall

try-install:
	PYTHON=$(PYTHON) sh tools/try_install.sh
