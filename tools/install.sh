#!/bin/sh
# tools/install.sh PYTHON WHAT…: installs packages in the environment of a Python. Uses uv, which takes a tenth of the time,
# and pip if uv does not install or cannot find a package. Bytecode is written at the first import, not here.
python=$1
shift
pip="$python -m pip install --quiet --disable-pip-version-check --no-compile"
$python -c "import uv" 2>/dev/null || $pip uv 2>/dev/null
$python -m uv pip install --quiet --python "$python" "$@" 2>/dev/null || $pip "$@"
