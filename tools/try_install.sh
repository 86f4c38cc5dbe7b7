#!/bin/sh
# Install into a temporary home, start what was installed there, and take it away again.
set -eu
ROOT="$(cd "$(dirname "$0")/.." && pwd)"
# What was fetched for the checkout is not fetched again
UV_CACHE_DIR="${UV_CACHE_DIR:-${XDG_CACHE_HOME:-$HOME/.cache}/uv}"
HOME="$(mktemp -d)"
export HOME UV_CACHE_DIR QT_QPA_PLATFORM=offscreen GLYPHOS_TRIAL=1
unset PYTHONDONTWRITEBYTECODE XDG_DATA_HOME XDG_CONFIG_HOME VIRTUAL_ENV PYTHONPATH 2>/dev/null || true
trap 'rm -rf "$HOME"' EXIT
fail() { echo "$1" >&2; exit 1; }

cd "$HOME"
sh "$ROOT/tools/install.sh" install
GLYPHOS="$HOME/.local/bin/glyphos"
"$GLYPHOS" --version
"$GLYPHOS" perform "$ROOT/tests/data/slt_hts-001.flac" --text "Bring me the blue map before the dome opens." -o curves.csv
[ "$(wc -l <curves.csv)" -gt 50 ] || fail "the curves are too short"
"$GLYPHOS" new show.glyphos && "$GLYPHOS" add show.glyphos "$ROOT/tests/data/slt_hts-001.flac"
set +e
timeout 6 "$GLYPHOS" demo 2>window.log
code=$?
set -e
[ "$code" = 124 ] || fail "the window ended with $code: $(cat window.log)"
grep -q Traceback window.log && fail "$(cat window.log)"
ENTRY="$HOME/.local/share/applications/glyphos.desktop"
grep -q "^Exec=\"$GLYPHOS\" %f" "$ENTRY" || fail "the desktop entry does not start it"
grep -q "^MimeType=.*audio/flac" "$ENTRY" || fail "the desktop entry opens no sound files"
[ -f "$HOME/.local/share/icons/hicolor/scalable/apps/glyphos.svg" ] || fail "there is no icon"
sh "$ROOT/tools/install.sh" uninstall
left="$(find "$HOME/.local" -type f -o -type l | grep -v '/unsaved/' || true)"
[ -z "$left" ] || fail "this was left behind: $left"
echo "installed, started and taken away again"
