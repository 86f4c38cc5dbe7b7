"""What hands do to the scene that is shown, each as a named step; what is dragged is shown and not kept."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from ....errors import EditError
from ....production.documents import slugify
from ....production.kinds import scene_key
from ....scene import editing
from ....scene.camera import camera_of
from ....scene.documents import Move, Scene, Shot
from ....scene.editing import Where
from ....scene.made import placed
from ....stage.views import Camera
from ...drawing.words import counted
from .choosing import Choosing

NEAR = 8.0  # pixels within which something snaps
BED_GAIN = -18.0  # dB of a sound that is laid under


class SceneDesk(Choosing):
    """Works on what is kept, never on what is just shown under a hand."""

    # ---- in time ------------------------------------------------------------------------------

    def _snapped(self, times: Sequence[float], by: float, but: Sequence[Where]) -> float:
        if self.free:
            return by
        scene = self.need()
        if not self.snap:
            return editing.snapped(scene, times, by, 0.0, fps=self.fps, beats=False)
        points = [*editing.edges(scene, self.whole, but), self._c.transport.position(), 0.0]
        return editing.snapped(
            scene, times, by, NEAR / self.per_second, fps=self.fps, points=points
        )

    def move(self, by: float, done: bool = True) -> None:
        """The chosen clips, by seconds; what comes later goes with them if it is to ripple."""
        scene, own = self.need(), self.the_clips()
        clips = [editing.clip_at(scene, w) for w in own]
        times = [c.start for c in clips] + [editing.end_of(c, self.whole) for c in clips]
        by = self._snapped(times, by, own)
        self.put(f"Move {self.name_of(own)}", self._moved(scene, own, by), done)

    def _moved(self, scene: Scene, own: Sequence[Where], by: float) -> Scene:
        work = editing.moved_with_all if self.ripple else editing.moved
        return work(scene, own, by, self.whole)

    def nudge(self, frames: int) -> None:
        """The chosen clips by frames, or the playhead where none is chosen."""
        if not self.chosen:
            at = round(self._c.transport.position() * self.fps) + frames
            self._c.transport.seek(max(0.0, at / self.fps))
            return
        made = self._moved(self.need(), self.chosen, frames / self.fps)
        self.keep(f"Nudge {self.name_of(self.chosen)}", made, merge=True)

    def put_at(self, seconds: float) -> None:
        """The chosen clip begins at an exact time."""
        scene, own = self.need(), self.the_clips()
        by = seconds - editing.clip_at(scene, own[0]).start
        self.keep(f"Move {self.name_of(own)}", self._moved(scene, own, by), merge=True)

    def trim(self, where: Where, side: str, at: float, done: bool = True) -> None:
        """An end of a clip at a time of the scene."""
        scene = self.need()
        at += self._snapped([at], 0.0, [where])
        made = editing.trimmed(scene, where, side, at, self.whole, ripple=self.ripple and done)
        self.put(f"Trim {self.name_of([where])}", made, done)

    def trim_to(self, where: Where, at: float) -> None:
        """A clip ends at an exact time."""
        made = editing.trimmed(self.need(), where, "end", at, self.whole, ripple=self.ripple)
        self.keep(f"Trim {self.name_of([where])}", made, merge=True)

    def trim_here(self, side: str) -> None:
        """An end of the chosen clip at the playhead."""
        where = self.the_clips()[0]
        made = editing.trimmed(
            self.need(), where, side, self._c.transport.position(), self.whole, ripple=self.ripple
        )
        self.keep(f"Trim {self.name_of([where])}", made)

    def untrim(self) -> None:
        """All that there is of the chosen clips, where there is room."""
        scene, own = self.need(), self.the_clips()
        for where in own:
            for side, at in (("start", -1e6), ("end", 1e6)):
                scene = editing.trimmed(scene, where, side, at, self.whole)
        self.keep(f"Show all of {self.name_of(own)}", scene)

    def split(self) -> None:
        where = self.the_clips()[0]
        made = editing.split(self.need(), where, self._c.transport.position(), self.whole)
        self.keep(f"Cut {self.name_of([where])} in two", made)

    def delete(self) -> None:
        """The chosen clips, or the chosen shot, go; what comes later closes up if it is to ripple."""
        scene = self.need()
        if self.shot is not None:
            self.keep("Delete a shot", editing.without_shot(scene, scene.shots[self.shot]))
            return
        own = self.the_clips()
        name = f"Take {self.name_of(own)} out"
        made = scene
        if self.ripple:
            first = min(editing.clip_at(scene, w).start for w in own)
            last = max(editing.end_of(editing.clip_at(scene, w), self.whole) for w in own)
            made = editing.rippled(made, last - 1e-3, first - last, but=own)
        made = editing.without(made, own)
        self.take((), None)
        self.keep(name, made)

    def order(self, order: Sequence[Where]) -> None:
        """Lines are said in another order, gaps stay where they are."""
        self.keep("Put lines in another order", editing.in_order(self.need(), order, self.whole))

    # ---- sound --------------------------------------------------------------------------------

    def sound(self, done: bool = True, **values: float) -> None:
        """Gain (dB) or fades (s) of the chosen clips."""
        scene = self.need()
        for where in self.the_clips():
            scene = editing.with_sound(scene, where, self.whole, **values)
        self.put(f"Level of {self.name_of(self.chosen)}", scene, done, merge=True)

    def lane(self, number: int, done: bool = True, **values: object) -> None:
        """A lane that is mute, solo, locked, louder."""
        scene = self.need()
        name = scene.lanes[number].name
        words = {"mute": "Mute", "solo": "Solo", "lock": "Lock"}
        what = next(iter(values))
        verb = words.get(what, "Level of")
        if what in words and not values[what]:
            verb = f"End {what} of"
        self.put(f"{verb} {name}", editing.with_lane(scene, number, **values), done, merge=what == "gain")  # fmt: skip

    def flip(self, what: str) -> None:
        """Mute, solo or lock of the lane of the chosen clip."""
        scene, where = self.need(), self.the_clips()[0]
        self.lane(where[0], **{what: not getattr(scene.lanes[where[0]], what)})

    # ---- lines and sounds -----------------------------------------------------------------------

    def new(self, slugs: Sequence[str], name: str) -> None:
        """A scene of lines in their order, with natural gaps."""
        from ....handoff.filming import scene_from

        production = self._c.document.production
        lines = [x for x in production.lines if x.slug in slugs]
        slug = slugify(name, {s.slug for s in production.scenes})
        made = scene_from(lines, slug=slug, name=name) if lines else Scene(slug, name)
        self._c.document.change(f"Make the scene {name}", {scene_key(slug): made})
        self._c.scenery.show(slug)

    def add(self, slugs: Sequence[str], at: float | None = None) -> None:
        """Lines come in: at a time, or after all that is said."""
        from ....handoff.filming import placeable

        production = self._c.document.production
        lines = [placeable(production.line(s)) for s in production.slugs if s in slugs]
        if not lines:
            raise EditError("Choose lines in the list first.")
        scene = self.need()
        made = editing.with_lines(scene, lines, self.whole, at)
        before = {(a, b) for a, b in editing.places(scene)}
        self.keep(f"Add {counted(len(lines), 'line')}", made)
        fresh = [w for w in editing.places(made) if w not in before] if len(made.lanes) == len(scene.lanes) else []  # fmt: skip
        self.take(tuple(fresh), None)

    def add_bed(self, path: Path) -> None:
        """Another sound lies under the scene, from the playhead on; copied into the production, which may
        take a while: it comes into the scene as that is by then."""
        from ....production.scenes import bed_brought_in

        slug, folder, at = self.need().slug, self._c.document.folder, self._c.transport.position()

        def apply(audio: str) -> None:
            scene: Scene | None = self._c.document.production.values.get(scene_key(slug))
            if scene is not None:
                made = editing.with_bed(scene, path.stem, audio, at, BED_GAIN)
                self.keep(f"Lay {path.name} under it", made)

        self._c.jobs.submit(
            f"Bringing {path.name} in", lambda _: bed_brought_in(folder, path), apply, name=f"bed {path}",
            unused=lambda audio: (folder / audio).unlink(missing_ok=True),
        )  # fmt: skip

    def add_motion(self, lane: int, path: Path) -> None:
        """A recorded head motion on a speaker, from the playhead on; copied into the production."""
        from ....production.scenes import motion_brought_in

        scene = self.need()
        at = round(self._c.transport.position(), 6)
        move = Move(motion_brought_in(self._c.document.folder, path), at)
        moves = (*scene.lanes[lane].moves, move)
        self.keep(f"Move {scene.lanes[lane].name} by {path.name}", editing.with_lane(scene, lane, moves=moves))  # fmt: skip

    def change_motion(self, lane: int, number: int, **values: object) -> None:
        """A recorded motion that is looped, weaker, added or in place of the head's own."""
        scene = self.need()
        moves = list(scene.lanes[lane].moves)
        moves[number] = msgspec.structs.replace(moves[number], **values)
        self.keep("Change a head motion", editing.with_lane(scene, lane, moves=tuple(moves)))

    def drop_motion(self, lane: int, number: int) -> None:
        scene = self.need()
        moves = [m for k, m in enumerate(scene.lanes[lane].moves) if k != number]
        self.keep("Take a head motion away", editing.with_lane(scene, lane, moves=tuple(moves)))

    def rename(self, name: str) -> None:
        self.keep("Name the scene", msgspec.structs.replace(self.need(), name=name))

    def remove(self) -> None:
        """The scene goes; undo brings it back."""
        scene = self.need()
        self._c.document.change(f"Delete the scene {scene.name}", {scene_key(scene.slug): None})

    def settings(self, name: str, **values: object) -> None:
        """Tempo, tail, background."""
        self.keep(name, msgspec.structs.replace(self.need(), **values), merge=True)

    # ---- who stands where, and what is seen -------------------------------------------------------

    def stand(self) -> None:
        """Everybody faces each other: one, two, half a circle."""
        scene = self.need()
        self.keep("Face each other", msgspec.structs.replace(scene, places=placed(scene.speakers)))

    def place(self, speaker: str, **values: object) -> None:
        """Where a speaker stands, and whom they look at."""
        scene = self.need()
        made = msgspec.structs.replace(scene.place(speaker), **values)
        others = [p for p in scene.places if p.speaker != speaker]
        self.keep(
            f"Place {speaker}", msgspec.structs.replace(scene, places=(*others, made)), merge=True
        )

    def add_shot(self, at: float | None = None) -> None:
        """A shot from the playhead on: of who speaks there."""
        scene = self.need()
        at = self._c.transport.position() if at is None else at
        at = round(round(at * self.fps) / self.fps, 6)
        who = [
            x.name for x in scene.lanes if x.speaks
            for c in x.clips if c.start - 0.3 <= at < editing.end_of(c, self.whole)
        ]  # fmt: skip
        made = editing.with_shot(scene, Shot(at, "front", tuple(dict.fromkeys(who))[:1]))
        self.keep("Add a shot", made)
        self.choose_shot(next(k for k, s in enumerate(made.shots) if abs(s.start - at) < 1e-3))

    def the_shot(self) -> tuple[int, Shot]:
        """The chosen shot, else what is seen at the playhead."""
        scene = self.need()
        if self.shot is not None:
            return self.shot, scene.shots[self.shot]
        shot = scene.shot_at(self._c.transport.position())
        return (scene.shots.index(shot), shot) if shot in scene.shots else (-1, shot)

    def change_shot(self, name: str, done: bool = True, **values: object) -> None:
        """What is seen in the chosen shot, or in that of the playhead."""
        number, shot = self.the_shot()
        self._change(number, shot, name, done, **values)

    def _change(self, number: int, shot: Shot, name: str, done: bool, **values: object) -> None:
        scene = self.need()
        made = msgspec.structs.replace(shot, **values)
        shots = list(scene.shots)
        if number < 0:
            shots.insert(0, made)
        else:
            shots[number] = made
        self.put(name, msgspec.structs.replace(scene, shots=tuple(shots)), done, merge=True)

    def move_shot(self, number: int, at: float, done: bool = True) -> None:
        scene = self.need()
        at += self._snapped([at], 0.0, [])
        order = editing.shot_moved(scene, scene.shots[number], at)
        self.put("Move a cut", order, done)

    def turn_camera(self, right: float, up: float, nearer: float, done: bool) -> None:
        """The camera of the shot goes round whoever is seen, or nearer."""
        scene = self.need()
        shot = scene.shot_at(
            self._c.transport.position()
        )  # the one that is seen, whichever is chosen
        number = scene.shots.index(shot) if shot in scene.shots else -1
        camera = camera_of(shot).orbited(right, up).zoomed(nearer)
        self._change(number, shot, "Turn the camera", done, camera=_numbers(camera))


def _numbers(camera: Camera) -> tuple[float, ...]:
    seen = (camera.azimuth, camera.elevation, camera.near, camera.lift, camera.back)
    return tuple(round(x, 4) for x in seen)
