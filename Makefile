# make demo: the main job on the demo frames.  make quick: the tests of a minute.  make test: everything the tests need,
# then the tests. All make their own environment in .venv; nothing has to be done before them.

PYTHON ?= python3
VENV := .venv
QUICK := .venv-quick
LOWEST := .venv-lowest
BIN := $(VENV)/bin
WHEEL := build/wheel
INSTALL := tools/install.sh $(BIN)/python
# One worker more than processors, because some wait for a disk or a browser. Idle workers take tests from others.
PYTEST = pytest -n $(shell $(PYTHON) -c 'import os; print(os.cpu_count() + 1)') --dist worksteal
SOURCES := $(shell find src -type f -not -name '*.pyc')
DEBIAN_TOOLS := pngcheck imagemagick chromium ffmpeg gcc libc6-dev lua5.4 luajit libegl1 libgles2 libgl1-mesa-dri godot3 xvfb

# Always write bytecode: the tests start thousands of programs, and each would compile every module again.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: demo quick test test-lowest trust audit lock environments lint bench bench-survey screenshots docs frames system-tools clean

demo: $(VENV)/.installed
	@$(BIN)/agile-crate demo build/otter-post

test: $(VENV)/.with-tests system-tools build/node/.installed
	@echo "running the tests on all processors; each dot is a test"
	@$(BIN)/$(PYTEST)

# The short tests: under a minute, with no browser, no other program and no build.
quick: $(QUICK)/.installed
	@$(QUICK)/bin/$(PYTEST) tests/core tests/settings tests/crate_files tests/format tests/pipeline tests/cli/test_pack.py tests/test_plan.py

$(QUICK)/.installed: pyproject.toml
	@echo "making an environment in $(QUICK), of the checkout itself"
	@$(PYTHON) -m venv $(QUICK)
	@AGILE_CRATE_PLAIN=1 tools/install.sh $(QUICK)/bin/python --editable '.[test]'
	@touch $@

NOT_LOWEST := $(foreach file,core/arrange/test_blocks core/arrange/test_stay core/arrange/test_tight storage/test_staging sources/test_vector sources/test_rendered,--ignore tests/$(file).py)

# A system on which file names are ASCII.
ASCII := LC_ALL=C PYTHONUTF8=0 PYTHONCOERCECLOCALE=0 PYTHONIOENCODING=utf-8

# What needs no browser and no game engine, with the lowest versions of all dependencies that pyproject.toml allows, with
# nothing compiled, and with file names in ASCII; without what takes long then and hardly uses any of them: the search
# for small sheets, and kills.
test-lowest: $(LOWEST)/.installed system-tools
	@echo "running the short tests with the lowest versions of all dependencies, and file names in ASCII"
	@$(ASCII) $(LOWEST)/bin/$(PYTEST) $(NOT_LOWEST) tests/core tests/settings tests/crate_files tests/format tests/sources tests/pipeline tests/exports tests/views \
	  tests/cli/test_write.py

# What is tried at random, at length; at last guided by what of the program is reached, where atheris installs.
trust: $(VENV)/.with-tests system-tools
	AGILE_CRATE_TRUST=$(or $(TIMES),1) $(BIN)/$(PYTEST) tests/trust tests/cluster
	AGILE_CRATE_TRUST=1 $(ASCII) $(BIN)/$(PYTEST) tests/core tests/settings tests/crate_files tests/format tests/sources tests/pipeline tests/exports tests/views tests/cli tests/commands
	@if $(INSTALL) atheris 2>/dev/null; then $(BIN)/python tools/fuzz.py; else echo "atheris does not install here: inputs are not tried guided"; fi

# Known faults of all that development installs, where the index tells any.
audit: build/tools/.installed
	@build/tools/bin/python tools/audit.py

# Writes requirements-dev.txt anew: the newest of everything, each file with its digest, for every Python and system.
lock: build/tools/.installed
	build/tools/bin/uv pip compile --upgrade --universal --generate-hashes --no-emit-index-url --no-header --python-version 3.11 \
	  --extra dev pyproject.toml --output-file requirements-dev.txt --quiet

build/tools/.installed:
	@$(PYTHON) -m venv build/tools
	@tools/install.sh build/tools/bin/python pip-audit uv
	@touch $@

# All that the tests need, side by side with make -j.
environments: $(VENV)/.with-tests $(LOWEST)/.installed system-tools build/node/.installed build/tools/.installed

lint: $(VENV)/.with-tests
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(VENV)/.with-tests
	$(BIN)/python bench/run.py
	$(BIN)/python bench/write.py
	$(BIN)/python bench/show.py
	$(BIN)/python bench/page.py
	$(BIN)/python bench/watch.py
	$(BIN)/python bench/arrange.py
	$(BIN)/python bench/rebuild.py
	$(BIN)/python bench/touching.py

# How well the survey judges, on any folder of real frames: make bench-survey FOLDER=frames
bench-survey: $(VENV)/.with-tests
	$(BIN)/python bench/survey.py $(FOLDER)

screenshots: $(VENV)/.with-tests
	@if [ "$$(id -u)" = 0 ] && ! command -v xterm >/dev/null; then tools/install_debian.sh xvfb xterm imagemagick fonts-dejavu-core chromium; fi
	$(BIN)/python tools/screenshots.py
	$(BIN)/python tools/step_pictures.py

docs: $(VENV)/.installed
	$(BIN)/python tools/settings_reference.py > docs/settings.md
	$(BIN)/python tools/command_reference.py > docs/programmers/commands.md
	$(BIN)/python tools/settings_keywords.py > src/agile_crate/settings/keywords.pyi

frames: $(VENV)/.installed
	$(BIN)/python tools/otter_post/draw.py

$(VENV)/bin/python:
	@echo "making an environment in $(VENV)"
	@$(PYTHON) -m venv $(VENV)

# Built by the tools of this environment: one for the build alone would be fetched anew each time.
$(VENV)/.installed: $(VENV)/bin/python pyproject.toml README.md tools/compiled.py $(SOURCES)
	@echo "building agile-crate"
	@$(INSTALL) $$($(PYTHON) -c 'import tomllib; print(*tomllib.load(open("pyproject.toml", "rb"))["build-system"]["requires"])')
	@rm -rf $(WHEEL)
	@$(BIN)/pip wheel --quiet --disable-pip-version-check --no-build-isolation --no-deps --wheel-dir $(WHEEL) .
	@echo "installing agile-crate and what it needs"
	@$(INSTALL) --force-reinstall --no-deps $(WHEEL)/*.whl
	@$(INSTALL) $(WHEEL)/*.whl
	@touch $@

# The very files that requirements-dev.txt names, by their digests.
$(VENV)/.with-tests: $(VENV)/.installed requirements-dev.txt
	@echo "installing what the tests need"
	@$(INSTALL) --require-hashes -r requirements-dev.txt
	@touch $@

$(LOWEST)/.installed: pyproject.toml tools/lowest.py tools/compiled.py $(SOURCES)
	@echo "installing agile-crate with the lowest versions of what it needs in $(LOWEST)"
	@$(PYTHON) -m venv $(LOWEST)
	@AGILE_CRATE_PLAIN=1 tools/install.sh $(LOWEST)/bin/python $$($(PYTHON) tools/lowest.py) '.[test]'
	@touch $@

# What the tests look at pages and at types with.
build/node/.installed:
	@echo "installing axe-core and the TypeScript compiler in build/node"
	@mkdir -p build/node
	@npm install --silent --no-fund --no-audit --prefix build/node axe-core@4 typescript@5 >/dev/null
	@touch $@

# The programs that the tests compare our pictures with. Installed only as root on Debian; elsewhere those tests say
# which program they miss.
system-tools:
	@if [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && \
	  ! (command -v pngcheck && command -v chromium && command -v lua5.4 && command -v luajit && command -v gcc && command -v ffprobe && command -v godot3 && command -v Xvfb && \
	    test -x /usr/bin/convert && ldconfig -p | grep -q libEGL.so) >/dev/null; then \
	  echo "installing the programs that the tests compare with: $(DEBIAN_TOOLS)"; \
	  tools/install_debian.sh $(DEBIAN_TOOLS); fi

clean:
	rm -rf $(VENV) $(QUICK) $(LOWEST) build
