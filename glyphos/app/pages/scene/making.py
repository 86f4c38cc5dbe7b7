"""Making scenes, bringing lines and sounds in, and what leaves of a scene."""

from __future__ import annotations

from pathlib import Path

import msgspec

from ....errors import EditError
from ....production.documents import slugify
from ....production.kinds import scene_key
from ....scene import editing
from ...dialogs.movie import ask_for_movie
from ...drawing.words import counted
from ...model.context import Context
from ...model.jobs import Told
from .desk import SceneDesk

SOUNDS = "Sounds (*.wav *.flac *.ogg *.opus *.mp3 *.m4a *.aac *.aif *.aiff *.mp4 *.mov *.mkv *.webm);;All files (*)"
TIMELINES = "Timelines and tables (*.otio *.csv *.tsv *.txt)"
MOTIONS = "Motions (*.bvh)"


class Making:
    """Asks what is needed, and lets the desk do it."""

    def __init__(self, context: Context, desk: SceneDesk) -> None:
        self._c, self._desk = context, desk

    # ---- scenes -------------------------------------------------------------------------------

    def _slugs(self) -> tuple[str, ...]:
        """Lines for a scene: those that are selected, else all."""
        chosen = self._c.selection.slugs
        return chosen if len(chosen) > 1 else self._c.document.production.slugs

    def new(self) -> None:
        """A scene of the selected lines, or of all, in one step."""
        production = self._c.document.production
        heard = [s for s in self._slugs() if production.line(s).heard]
        if not heard:
            raise EditError("None of the lines has been listened to; listen to them first (F7).")
        name = free_name("Scene", [s.name for s in production.scenes])
        self._desk.new(heard, name)
        left = len(self._slugs()) - len(heard)
        if left:
            self._c.talk.say(f"{counted(left, 'line')} {'was' if left == 1 else 'were'} left out: not listened to yet.")  # fmt: skip

    def choose(self) -> None:
        scenes = self._c.document.production.scenes
        if not scenes:
            raise EditError("There is no scene yet; make one of lines first (Ctrl+Shift+N).")
        names = [s.name or s.slug for s in scenes]
        now = next((k for k, s in enumerate(scenes) if s.slug == self._c.scenery.slug), 0)
        name = self._c.ask.choose("Scene", "Show:", names, now=now)
        if name is not None:
            self._c.scenery.show(scenes[names.index(name)].slug)

    def rename(self) -> None:
        name = self._c.ask.text("Scene", "Its name:", now=self._desk.need().name)
        if name and name.strip():
            self._desk.rename(name.strip())

    # ---- lines and sounds ---------------------------------------------------------------------

    def add(self) -> None:
        """The selected lines come in, after all that is said."""
        if self._c.scenery.scene is None:
            self.new()
        else:
            self._desk.add(self._c.selection.slugs)

    def bed(self) -> None:
        self._desk.need()
        for path in self._c.ask.open_files("A sound to lie under the scene", SOUNDS, several=True):
            self._desk.add_bed(path)

    def motion(self) -> None:
        where = self._desk.the_clips()[0]
        lane = self._desk.need().lanes[where[0]]
        if not lane.speaks:
            raise EditError("Choose a line of the speaker whose head it is to move.")
        for path in self._c.ask.open_files(f"A head motion for {lane.name}", MOTIONS):
            self._desk.add_motion(where[0], path)

    def louder(self, by: float) -> None:
        """The chosen clips, by dB."""
        scene = self._desk.need()
        gain = editing.clip_at(scene, self._desk.the_clips()[0]).gain
        self._desk.sound(gain=gain + by)

    # ---- out and in ---------------------------------------------------------------------------

    def movie(self) -> None:
        scene = self._desk.need()
        ask_for_movie(self._c, scene, scene.name or scene.slug)

    def export(self) -> None:
        """Mix, stems, captions, curves, timeline, heads: all of it, into a folder."""
        from ....handoff.filming import Filming, Look
        from ....handoff.scenes import EXPORTS, export_scene

        scene = self._desk.need()
        chosen = self._c.ask.choose("Hand the scene over", "What:", ["everything", *EXPORTS])
        if chosen is None:
            return
        folder = self._c.ask.folder("Into which folder")
        if folder is None:
            return
        what = EXPORTS if chosen == "everything" else (chosen,)
        filming = Filming(
            scene, self._c.document.production, Look(self._c.scenery.fps), self._c.scenery.kept
        )

        left: list[str] = []

        def work(told: Told) -> list[Path]:
            return export_scene(filming, folder, what, progress=told, said=left)

        def done(made: list[Path]) -> None:
            more = f" {' '.join(dict.fromkeys(left))}" if left else ""
            self._c.talk.say(f"{counted(len(made), 'file')} written to {folder}.{more}")

        self._c.jobs.submit(f"Handing {scene.name} over", work, done, name="scene out")

    def bring(self, paths: list[Path] | None = None) -> None:
        """A timeline of an editing program, or a table of files, speakers and beginnings, as a scene."""
        for path in paths or self._c.ask.open_files("A timeline or a table", TIMELINES):
            self._bring(path)

    def _bring(self, path: Path) -> None:
        from ....handoff.bringing import scene_brought
        from ....handoff.brought import Brought

        production = self._c.document.production
        name = free_name(path.stem, [s.name for s in production.scenes])

        def work(_: Told) -> Brought:
            return scene_brought(path, production, name=name)

        def apply(brought: Brought) -> None:
            now = self._c.document.production
            slug = slugify(name, {s.slug for s in now.scenes})
            scene = msgspec.structs.replace(brought.scene, slug=slug)
            self._c.document.change(f"Bring {name} in", {scene_key(slug): scene})
            self._c.scenery.show(slug)
            if brought.said:
                more = f" (and {len(brought.said) - 1} more)" if len(brought.said) > 1 else ""
                self._c.talk.say(f"{brought.said[0]}{more}")

        def unused(brought: Brought) -> None:
            from ....production.scenes import files_of

            for sound in files_of([brought.scene]):  # all were copied in for it
                (production.folder / sound).unlink(missing_ok=True)

        self._c.jobs.submit(
            f"Reading {path.name}", work, apply, name=f"scene in {path}",
            inputs=lambda: self._c.document.production.slugs, unused=unused,
        )  # fmt: skip


def free_name(wanted: str, taken: list[str]) -> str:
    """A name that no other has: itself, or with a number."""
    name, number = wanted, 1
    while name in taken:
        number += 1
        name = f"{wanted} {number}"
    return name
