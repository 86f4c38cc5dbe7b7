"""Work that ends as nobody wants its result any more leaves nothing behind."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from pathlib import Path

from tests.app.harness import WindowCase
from tests.faults import late
from tests.labels import DATA

ADD, CUT, COPY = (
    f"glyphos.production.{name}"
    for name in ("adding.add_lines", "cutting.cut_line", "copying.save_copy")
)


def files(folder: Path) -> set[Path]:
    return {p for p in folder.rglob("*") if p.is_file()}


class Unused(WindowCase):
    def stopped(self, target: str, begin: Callable[[], None], folder: Path) -> None:
        """Begin something and stop it when its work has ended; then all is as it was in a folder."""
        before = files(folder)
        with late(target, done=True) as gate:
            begin()
            self.wait(gate.reached.is_set)
            self.assertNotEqual(files(folder), before)
            self.jobs.cancel_shown()
            gate.open()
            self.wait(lambda: files(folder) == before)

    def test_recordings_that_were_copied(self) -> None:
        self.stopped(
            ADD, lambda: self.window.productions.add([DATA / "slt_hts-001.flac"]), self.production
        )

    def test_a_production_that_nobody_has_seen(self) -> None:
        self.assertEqual(self.document.close(), "")
        unsaved = self.folder / "unsaved"
        unsaved.mkdir(exist_ok=True)
        self.stopped(ADD, lambda: self.window.productions.add([DATA / "slt_hts-001.flac"]), unsaved)
        self.assertFalse(self.document.is_open)

    def test_pieces_of_a_line(self) -> None:
        self.answers.given = ["at long pauses"]
        self.stopped(CUT, lambda: self.do("cut"), self.production)

    def test_a_sound_under_a_scene_and_the_sounds_of_one_that_is_brought_in(self) -> None:
        self.window.show_page("scene")
        self.selection.choose(("03-pip-wind", "05-mabel-hush"))
        self.do("scene-new")
        self.idle()
        self.assertEqual(self.document.flush(), "")
        page = self.window.pages["scene"]
        table = self.folder / "play.csv"
        table.write_text(f"file;speaker;start\n{DATA / 'slt_hts-001.flac'};X;2\n")
        bed, brought = (
            "glyphos.production.scenes.bed_brought_in",
            "glyphos.handoff.bringing.scene_brought",
        )
        self.stopped(bed, lambda: page.desk.add_bed(DATA / "slt_hts-001.flac"), self.production)
        self.stopped(brought, lambda: page.making.bring([table]), self.production)

    def test_a_recorded_layer(self) -> None:
        table = self.folder / "brows.csv"
        table.write_text("seconds,brow_inner_raise\n0,0\n1,1\n")
        self.answers.given = [[table]]
        self.stopped(
            "glyphos.app.panels.recorded.panel.brought_in",
            self.page.recorded.add,
            self.production,
        )

    def test_a_copy(self) -> None:
        copies = self.folder / "copies"
        copies.mkdir()
        self.stopped(COPY, lambda: self.window.productions.copy_to(copies / "copy"), copies)

    def test_a_change_while_it_is_copied_is_in_the_one_copy_that_is_left(self) -> None:
        with late("glyphos.production.copying.save_copy", done=True) as gate:
            self.window.productions.copy_to(self.folder / "copy")
            self.wait(gate.reached.is_set)
            self.change_line("Name speaker", speaker="Maude")
            gate.open()
            self.idle()
        self.assertEqual(self.document.folder, self.folder / "copy.glyphos")
        self.assertEqual(self.line.speaker, "Maude")
        self.assertFalse((self.folder / "copy-2.glyphos").exists())


if __name__ == "__main__":
    unittest.main()
