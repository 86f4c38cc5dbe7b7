"""Names of kinds of files, as file dialogs want them."""

from __future__ import annotations

from ...speech.recording import SOUND_ENDINGS

SOUNDS = "Recordings (" + " ".join(f"*{e}" for e in sorted(SOUND_ENDINGS)) + ")"
LINES = f"{SOUNDS};;Tables of lines (*.csv *.tsv);;All files (*)"
