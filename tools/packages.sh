#!/bin/sh
# Install packages into an environment: packages.sh ENVIRONMENT ARGUMENTS-OF-PIP-INSTALL...
# uv does it in a tenth of pip's time; where it cannot be had, or does not find what pip is told to look for, pip does.
set -eu
BIN="$1/bin"
shift
pip_install() { "$BIN/python" -m pip install --quiet --disable-pip-version-check --no-compile "$@"; }
[ -x "$BIN/uv" ] || pip_install uv==0.13.9 >/dev/null 2>&1 || true
"$BIN/uv" pip install --quiet --python "$BIN/python" "$@" 2>/dev/null || pip_install "$@"
