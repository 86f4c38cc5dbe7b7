"""Files of the window: opening, adding, saving and the questions that go with them."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from ..errors import GlyphosError, ScriptError
from ..production.adding import SOUND_ENDINGS, find_recording
from ..production.store import save_copy
from . import settings

if TYPE_CHECKING:
    from .window import Window

SOUNDS = "Recordings (" + " ".join(f"*{e}" for e in sorted(SOUND_ENDINGS)) + ")"
TIMING = (
    "Captions with words, WebVTT (*.vtt);;Captions, SRT (*.srt);;Table, a row a sound (*.csv);;"
    "Interval text (*.TextGrid);;Reading (*.json)"
)


class Files:
    """Asks for files and hands them to the session."""

    def __init__(self, window: Window) -> None:
        self.w = window

    # ---- productions ------------------------------------------------------------------------

    def new(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self.w, "New production", "my-show.glyphos")
        if not name:
            return
        folder = Path(name)
        if folder.suffix != ".glyphos":
            folder = folder.with_name(folder.name + ".glyphos")
        self.w.session.new_production(folder, folder.stem, self.w.session.production.header.fps)
        self._remember()

    def open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.w,
            "Open a recording or a table",
            "",
            f"{SOUNDS};;Tables (*.csv *.tsv);;All files (*)",
        )
        if name:
            self.w.session.open(Path(name))

    def open_production(self) -> None:
        name = QFileDialog.getExistingDirectory(self.w, "Open a production")
        if name:
            self.w.session.open_production(Path(name))
            self._remember()

    def _remember(self) -> None:
        if self.w.session.store is not None:
            settings.remember(str(self.w.session.store.folder))

    def fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        for name in settings.recent():
            menu.addAction(name, partial(self._open_recent, name))
        menu.setEnabled(bool(settings.recent()))

    def _open_recent(self, name: str) -> None:
        try:
            self.w.session.open_production(Path(name))
        except GlyphosError as error:
            self.w.tell(str(error))

    def save_copy(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.w,
            "Save a copy of the production",
            f"{self.w.session.production.header.name}.glyphos",
        )
        if name:
            production = self.w.session.production
            target = Path(name)

            def done(_: object) -> None:
                self.w.session.open_production(target)
                self._remember()
                self.w.say(f"Saved as {target.name}, which is open now")

            self.w.session.hearing.run(
                "Saving a copy", lambda progress: save_copy(production, target), done
            )

    # ---- lines ------------------------------------------------------------------------------

    def add(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self.w, "Add lines", "", f"{SOUNDS};;Tables of lines (*.csv *.tsv);;All files (*)"
        )
        if names:
            self.w.session.add([Path(n) for n in names])

    def add_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self.w, "Add a folder of lines")
        if name:
            self.w.session.add([Path(name)])

    def retake(self) -> None:
        if self.w.session.line is None:
            raise ScriptError("Open a line first; then its recording can be swapped.")
        name, _ = QFileDialog.getOpenFileName(self.w, "Another take of this line", "", SOUNDS)
        if name:
            self.w.session.hearing.retake(Path(name))

    def find_recording(self) -> None:
        """Look for the recordings that are not where they were, under a folder."""
        session = self.w.session
        missing = [
            x for x in session.production.lines if not session.production.audio_path(x).exists()
        ]
        if not missing:
            self.w.say("Every recording is where it should be.")
            return
        name = QFileDialog.getExistingDirectory(self.w, f"Look for {len(missing)} recordings in")
        if name:
            self.find_in(Path(name))

    def find_in(self, folder: Path) -> None:
        """Take up every missing recording that lies somewhere under a folder."""
        import msgspec

        session = self.w.session
        production, found = session.production, 0
        for line in production.lines:
            if not production.audio_path(line).exists():
                path = find_recording(line, folder)
                if path is not None:
                    found += 1
                    production = production.with_line(
                        msgspec.structs.replace(line, audio=str(path.resolve()), problem="")
                    )
        if found:
            session.do("Find recordings", production)
            if session.line is None or session.opened is None:
                session.show_line(session.slug or production.lines[0].slug)
        self.w.say(f"{found} recordings found in {folder.name}")

    def cut(self) -> None:
        """Cut a long line into several."""
        from ..production.cutting import cut_line

        session = self.w.session
        line = session.line
        if line is None:
            raise ScriptError("Open a line first; then it can be cut.")
        ways = ["at the script's paragraphs and speakers", "at long pauses"]
        way, agreed = QInputDialog.getItem(self.w, "Cut into lines", "Where:", ways, 0, False)
        if not agreed:
            return
        production, by_pauses = session.production, way == ways[1]

        def done(made) -> None:  # type: ignore[no-untyped-def]
            session.do(f"Cut into {len(made.slugs)} lines", made.production, slug=made.slugs[0])
            self.w.say(f"{len(made.slugs)} lines made")

        session.hearing.run("Cutting", lambda progress: cut_line(production, line, pauses=by_pauses,
                                                         progress=progress), done)  # fmt: skip

    # ---- curves and timing ------------------------------------------------------------------

    def save_curves(self) -> None:
        from .window import RATES

        session = self.w.session
        if session.line is None or session.reading is None:
            raise ScriptError("Listen to the line first; there is no motion to save yet.")
        name, kind = QFileDialog.getSaveFileName(
            self.w, "Save curves", f"{session.line.slug}.csv",
            "Table, a row a frame (*.csv);;JSON (*.json)",
        )  # fmt: skip
        if not name:
            return
        path = Path(name)
        if not path.suffix:
            path = path.with_suffix(".json" if "json" in kind else ".csv")
        current = session.production.header.fps
        rates = list(RATES) if current in RATES else [current, *RATES]
        fps, agreed = QInputDialog.getItem(
            self.w, "Save curves", "Frames a second:", rates, rates.index(current), True
        )
        if agreed:
            self.w.save_to(path, fps)

    def export_timing(self) -> None:
        session = self.w.session
        if session.line is None or session.reading is None:
            raise ScriptError("Listen to the line first; there is no timing to save yet.")
        name, kind = QFileDialog.getSaveFileName(
            self.w, "Save timing", f"{session.line.slug}.vtt", TIMING
        )
        if name:
            from ..handoff import timing

            path = Path(name)
            if not path.suffix:
                path = path.with_suffix(kind.rsplit("*", 1)[-1].rstrip(")"))
            timing.save(session.reading, path)
            self.w.say(f"Timing saved as {path.name}")

    def import_timing(self) -> None:
        session = self.w.session
        if session.line is None or session.opened is None:
            raise ScriptError("Open a recording first; then timing can be loaded for it.")
        name, _ = QFileDialog.getOpenFileName(
            self.w, "Load timing", "", "Timing (*.vtt *.srt *.csv *.TextGrid *.json)"
        )
        if name:
            self.load_timing(Path(name))

    def load_timing(self, path: Path) -> None:
        """Take timing from a file for the current line."""
        from ..handoff import timing

        session = self.w.session
        assert session.line is not None
        reading = timing.load(path, session._silence().audio, language=session.line.language)
        session.change_line("Load timing", reading=reading, script=reading.text)
        self.w.say(f"Timing loaded from {path.name}")
