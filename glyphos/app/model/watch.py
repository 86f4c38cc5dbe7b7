"""Files that other programs change: the recording, its text, the lexicon."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, Signal

from ...files import State, file_state
from ...production.kinds import LEXICON
from .current import Current
from .document import Document


class Watch(QObject):
    """Watches the files of the line that is shown; says which was changed by others."""

    changed = Signal(str, object)  # recording, script or lexicon, and its path

    def __init__(self, document: Document, current: Current) -> None:
        super().__init__()
        self._document, self._current = document, current
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._changed)
        self._stamps: dict[str, State] = {}
        current.line_changed.connect(self.follow)

    def files(self) -> dict[str, str]:
        """Files that matter now, and what each is."""
        line, production = self._current.line, self._document.production
        if line is None:
            return {}
        audio = production.audio_path(line)
        found = {str(audio): "recording", str(audio.with_suffix(".txt")): "script",
                 str(production.folder / LEXICON.place): "lexicon"}  # fmt: skip
        return {path: kind for path, kind in found.items() if Path(path).is_file()}

    def follow(self) -> None:
        """Watch the files of the line that is shown now."""
        wanted = set(self.files())
        watched = set(self._watcher.files())
        if watched - wanted:
            self._watcher.removePaths(list(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(list(wanted - watched))
            for path in wanted - watched:
                self._stamps[path] = file_state(Path(path))

    def _changed(self, path: str) -> None:
        kind = self.files().get(path)
        self._watcher.addPath(path)  # a file that was replaced is no longer watched
        state = file_state(Path(path))
        if kind is None or state == self._stamps.get(path):
            return
        self._stamps[path] = state
        self.changed.emit(kind, Path(path))
