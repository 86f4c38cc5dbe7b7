"""Files that other programs change: the recording, its text, the lexicon. Reloading is offered."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, Signal

from ..errors import GlyphosError
from ..production.production import LEXICON, read_lexicon
from ..speech.script import read_script_file
from .session import Session


class Watch(QObject):
    """Watches the files of the current line; says what changed and how to take it over."""

    offered = Signal(str, str, object)  # a sentence, the word on the button, what it does

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(self._changed)
        self._stamps: dict[str, tuple[int, int]] = {}
        session.line_changed.connect(self.follow)
        session.production_changed.connect(self.follow)

    def files(self) -> dict[str, str]:
        """Files that matter now, and what each is."""
        line, production = self.session.line, self.session.production
        if line is None:
            return {}
        audio = production.audio_path(line)
        found = {str(audio): "recording", str(audio.with_suffix(".txt")): "script",
                 str(production.folder / LEXICON): "lexicon"}  # fmt: skip
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
                self._stamps[path] = _stamp(path)

    def stop(self) -> None:
        if self._watcher.files():
            self._watcher.removePaths(self._watcher.files())

    def _changed(self, path: str) -> None:
        kind = self.files().get(path)
        self._watcher.addPath(path)  # a file that was replaced is no longer watched
        if kind is None or _stamp(path) == self._stamps.get(path):
            return
        self._stamps[path] = _stamp(path)
        name = Path(path).name
        if kind == "recording":
            self.offered.emit(f"The recording {name} was changed by another program.", "Load it again",
                              lambda: self.session.hearing.retake(Path(path)))  # fmt: skip
        elif kind == "script":
            self.offered.emit(f"The script {name} was changed by another program.", "Take it over",
                              lambda: self._take_script(Path(path)))  # fmt: skip
        elif self._lexicon_differs():
            self.offered.emit(
                "The lexicon was changed by another program.", "Load it again", self._take_lexicon
            )

    def _take_script(self, path: Path) -> None:
        try:
            text = read_script_file(path).strip()
        except GlyphosError as error:
            self.session.failed.emit(str(error))
            return
        self.session.change_line("Take over script", script=text)

    def _lexicon_differs(self) -> bool:
        try:
            return (
                read_lexicon(self.session.production.folder).entries != self.session.lexicon.entries
            )
        except GlyphosError:
            return True

    def _take_lexicon(self) -> None:
        try:
            self.session.lexicon = read_lexicon(self.session.production.folder)
            self.session.said.emit("The lexicon was loaded again.")
        except GlyphosError as error:
            self.session.failed.emit(str(error))


def _stamp(path: str) -> tuple[int, int]:
    try:
        stat = Path(path).stat()
    except OSError:
        return 0, 0
    return stat.st_mtime_ns, stat.st_size
