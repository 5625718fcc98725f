# make demo: the main job on the demo frames.  make test: everything the tests need, then the tests.
# Both make their own environment in .venv; nothing has to be done before them.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
SOURCES := $(shell find src -type f -not -name '*.pyc')
DEBIAN_TOOLS := pngcheck imagemagick chromium ffmpeg gcc libc6-dev lua5.4 libegl1 libgles2 libgl1-mesa-dri

.PHONY: demo test lint bench screenshots docs frames system-tools clean

demo: $(VENV)/.installed
	$(BIN)/agile-crate demo build/otter-post

test: $(VENV)/.with-tests system-tools build/node/node_modules/axe-core/axe.min.js
	$(BIN)/pytest -n auto

lint: $(VENV)/.with-tests
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(VENV)/.with-tests
	$(BIN)/python bench/run.py
	$(BIN)/python bench/write.py
	$(BIN)/python bench/show.py
	$(BIN)/python bench/arrange.py

screenshots: $(VENV)/.with-tests
	@if [ "$$(id -u)" = 0 ] && ! command -v xterm >/dev/null; then apt-get update -qq; apt-get install -y -qq --no-install-recommends xvfb xterm imagemagick fonts-dejavu-core chromium; fi
	$(BIN)/python tools/screenshots.py
	$(BIN)/python tools/step_pictures.py

docs: $(VENV)/.installed
	$(BIN)/python tools/settings_reference.py > docs/settings.md

frames: $(VENV)/.installed
	$(BIN)/python tools/otter_post/draw.py

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/.installed: $(VENV)/bin/python pyproject.toml README.md $(SOURCES)
	$(BIN)/pip install --quiet --disable-pip-version-check .
	@touch $@

$(VENV)/.with-tests: $(VENV)/.installed
	$(BIN)/pip install --quiet --disable-pip-version-check '.[dev]'
	@touch $@

# What the tests look at the player page with.
build/node/node_modules/axe-core/axe.min.js:
	@mkdir -p build/node
	@npm install --silent --no-fund --no-audit --prefix build/node axe-core@4 >/dev/null

# The programs that the tests compare our pictures with. Installed only as root on Debian; elsewhere those tests say
# which program they miss.
system-tools:
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && \
	  ! (command -v pngcheck && command -v chromium && command -v lua5.4 && command -v gcc && command -v ffprobe && \
	    test -x /usr/bin/convert && ldconfig -p | grep -q libEGL.so) >/dev/null; then \
	  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $(DEBIAN_TOOLS) >/dev/null; fi

clean:
	rm -rf $(VENV) build
