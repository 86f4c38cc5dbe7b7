#!/bin/sh
# Install Glyphos for one user, or take it away again: install.sh install|uninstall
# An environment of its own under the user's data folder, a launcher on the path, a desktop entry
# with its icon, and “open with” for sound files. Nothing is touched outside the home folder.
set -eu
DATA="${XDG_DATA_HOME:-$HOME/.local/share}"
PLACE="$DATA/glyphos"
LAUNCHER="$HOME/.local/bin/glyphos"
ENTRY="$DATA/applications/glyphos.desktop"
ICON="$DATA/icons/hicolor/scalable/apps/glyphos.svg"
ROOT="$(cd "$(dirname "$0")/.." && pwd)"
PYTHON="${PYTHON:-python3}"

tell_desktop() {
    command -v update-desktop-database >/dev/null 2>&1 && update-desktop-database -q "$DATA/applications" || true
}

case "${1:-install}" in
install)
    mkdir -p "$PLACE" "$(dirname "$LAUNCHER")" "$(dirname "$ENTRY")" "$(dirname "$ICON")"
    [ -x "$PLACE/environment/bin/python" ] || "$PYTHON" -m venv "$PLACE/environment"
    WHEELS="$(mktemp -d)"
    trap 'rm -rf "$WHEELS"' EXIT
    "$PLACE/environment/bin/python" -m pip wheel --quiet --disable-pip-version-check --no-deps --wheel-dir "$WHEELS" "$ROOT"
    packages() { sh "$ROOT/tools/packages.sh" "$PLACE/environment" "$@"; }
    packages --upgrade --constraint "$ROOT/requirements.lock" "$WHEELS"/glyphos-*.whl
    packages --no-deps meshoptimizer==0.2.30a0 >/dev/null 2>&1 ||
        echo "Without a C++ compiler, compressed models (EXT_meshopt_compression) cannot be read; all else works."
    [ -n "${GLYPHOS_TRIAL:-}" ] || # a trial compiles what it starts
        "$PLACE/environment/bin/python" -m compileall -qq -j 0 -x '/tests/|/deploy_lib/' "$PLACE/environment/lib" || true
    ln -sf "$PLACE/environment/bin/glyphos" "$LAUNCHER"
    cp "$ROOT/glyphos/data/glyphos.svg" "$ICON"
    sed "s|^Exec=glyphos|Exec=\"$LAUNCHER\"|" "$ROOT/tools/glyphos.desktop" >"$ENTRY"
    tell_desktop
    echo "Glyphos is installed; start it from the desktop's menu, or with: glyphos"
    case ":$PATH:" in *":$HOME/.local/bin:"*) ;; *)
        echo "(~/.local/bin is not on your path yet: the full name is $LAUNCHER)" ;;
    esac
    ;;
uninstall)
    rm -rf "$PLACE/environment"
    rm -f "$LAUNCHER" "$ENTRY" "$ICON"
    tell_desktop
    if [ -d "$PLACE" ] && ! rmdir "$PLACE" 2>/dev/null; then
        echo "Productions without a name are still in $PLACE; remove them yourself if you do not want them."
    fi
    echo "Glyphos is gone."
    ;;
*)
    echo "install.sh install|uninstall" >&2
    exit 2
    ;;
esac
