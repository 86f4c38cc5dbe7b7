"""Files that other programs change: of the line that is shown, or of whatever else is made from files."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, Signal

from ...files import GONE, State, file_state
from ...production.kinds import LEXICON
from ...speech.captioned import script_beside
from .current import Current
from .document import Document


class Watched(QObject):
    """Files that are looked at; says when one of them was changed, taken away or brought back by others."""

    changed = Signal(str)  # its path

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._look)
        self._watcher.directoryChanged.connect(self._look_around)
        self._states: dict[str, State] = {}

    def follow(self, files: Iterable[str]) -> None:
        """Look at these from now on, there or not; what they are just now is known."""
        wanted = set(files)
        self._states = {p: s for p, s in self._states.items() if p in wanted}
        for path in wanted - self._states.keys():
            self._states[path] = file_state(Path(path))
        self._attend()

    def _attend(self) -> None:
        """Files that are there are watched themselves; of those that are not, the folder that they would come into."""
        here = {p for p, s in self._states.items() if s != GONE}
        around = {str(Path(p).parent) for p in self._states.keys() - here}
        wanted = here | {f for f in around if Path(f).is_dir()}
        watched = {*self._watcher.files(), *self._watcher.directories()}
        if watched - wanted:
            self._watcher.removePaths(list(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(list(wanted - watched))

    def _look(self, path: str) -> None:
        state = file_state(Path(path))
        if path in self._states and state != self._states[path]:
            self._states[path] = state
            self._attend()
            self.changed.emit(path)
        elif state != GONE:
            self._watcher.addPath(path)  # a file that was replaced is no longer watched

    def _look_around(self, folder: str) -> None:
        for path in [p for p, s in self._states.items() if s == GONE]:
            if str(Path(path).parent) == folder:
                self._look(path)


class Watch(QObject):
    """Watches the files of the line that is shown; says which was changed by others."""

    changed = Signal(str, object)  # recording, script or lexicon, and its path

    def __init__(self, document: Document, current: Current) -> None:
        super().__init__()
        self._document, self._current = document, current
        self._watched = Watched(self)
        self._watched.changed.connect(self._changed)
        current.line_changed.connect(self.follow)

    def files(self) -> dict[str, str]:
        """Files that matter now, and what each is; the recording, even if it is not there."""
        line, production = self._current.line, self._document.production
        if line is None:
            return {}
        audio = production.audio_path(line)
        found = {str(audio): "recording", str(production.folder / LEXICON.place): "lexicon"}
        if (beside := script_beside(audio)) is not None:
            found[str(beside)] = "script"
        return {p: k for p, k in found.items() if k == "recording" or Path(p).is_file()}

    def follow(self) -> None:
        """Watch the files of the line that is shown now."""
        self._watched.follow(self.files())

    def _changed(self, path: str) -> None:
        kind = self.files().get(path)
        if kind is not None:
            self.changed.emit(kind, Path(path))
