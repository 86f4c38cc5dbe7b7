#!/bin/sh
# Prepare a checkout: system libraries (by apt where allowed), a virtual environment, the package.
set -eu
PYTHON="${PYTHON:-python3}"
NEEDED="libegl1 libgl1 libgl1-mesa-dri libxkbcommon0 libdbus-1-3 libfontconfig1 libglib2.0-0 libxcb-cursor0 libxkbcommon-x11-0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libportaudio2"
if ! "$PYTHON" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    echo "Glyphos needs Python 3.11 or newer: install it, or say PYTHON=/path/to/python3 make setup" >&2
    exit 1
fi
MISSING=""
if command -v dpkg-query >/dev/null 2>&1; then
    "$PYTHON" -c 'import ensurepip' 2>/dev/null || NEEDED="$NEEDED python3-venv"
    for package in $NEEDED; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "install ok installed" ||
            MISSING="$MISSING $package"
    done
fi

system_packages() {
    apt-get update -qq || true
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $MISSING
}
# Reads compressed models; it is built here, so it needs a compiler and may be missing
compressed_models() {
    sh tools/packages.sh .venv --no-deps meshoptimizer==0.2.30a0 >/dev/null 2>&1 ||
        echo "Without a C++ compiler, compressed models (EXT_meshopt_compression) cannot be read; all else works."
}
# For one test, where Node is there: the validator of the Khronos Group
validator() {
    command -v npm >/dev/null 2>&1 || return 0
    (cd tools && npm install --silent --no-audit --no-fund --no-package-lock >/dev/null 2>&1) || true
}

SYSTEM=""
if [ -n "$MISSING" ]; then
    if [ "$(id -u)" != 0 ]; then
        echo "Some system packages are missing. Install them, then run make again:" >&2
        echo "    sudo apt-get install$MISSING" >&2
        exit 1
    fi
    # What waits for files goes on beside what needs a processor
    system_packages &
    SYSTEM=$!
    case "$MISSING" in *python3-venv*) wait "$SYSTEM"; SYSTEM="" ;; esac
fi
validator &
[ -x .venv/bin/python ] || "$PYTHON" -m venv .venv
sh tools/packages.sh .venv -r requirements.lock
sh tools/packages.sh .venv --no-deps --editable .
compressed_models &
.venv/bin/python -c 'import sys; from glyphos.motion import compiled; sys.exit(not compiled.there_is())' ||
    echo "Without a C compiler, motion is computed by NumPy: it takes twice as long; all else is the same."
# Compiled here, on all processors, the first start is as quick as the next, also where Python may write nothing
.venv/bin/python -m compileall -qq -j 0 -x '/tests/|/deploy_lib/' glyphos .venv/lib || true
[ -z "$SYSTEM" ] || wait "$SYSTEM"
wait
touch .venv/ready
