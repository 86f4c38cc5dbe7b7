"""What is chosen in a scene, and how it is kept: what hands work on."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, Signal

from ....errors import DocumentError, EditError
from ....production.kinds import scene_key
from ....scene import editing
from ....scene.documents import Clip, Scene, check_length, check_scene
from ....scene.editing import Where
from ...drawing.words import counted
from ...model.context import Context


class Choosing(QObject):
    """Knows what is chosen, what is kept and what is just shown under a hand."""

    chosen_changed = Signal()

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._c = context
        self.chosen: tuple[Where, ...] = ()
        self.shot: int | None = None
        self.snap, self.ripple = True, False
        self.free = False  # nothing snaps while a key is held
        self.per_second = 100.0  # of what is seen, for how near is near
        context.scenery.changed.connect(self._prune)

    # ---- asking -------------------------------------------------------------------------------

    def need(self) -> Scene:
        """The scene as it is kept; EditError where there is none."""
        scene: Scene | None = self._c.document.production.values.get(
            scene_key(self._c.scenery.slug)
        )
        if scene is None:
            raise EditError("There is no scene yet; make one of lines first (Ctrl+Shift+N).")
        return scene

    @property
    def whole(self) -> Callable[[Clip], float]:
        return self._c.scenery.whole

    @property
    def fps(self) -> float:
        return float(self._c.scenery.fps)

    def the_clips(self) -> tuple[Where, ...]:
        """What is chosen; EditError where nothing is."""
        if not self.chosen:
            raise EditError("Choose a clip first: click it, or go to it with ↑ and ↓.")
        return self.chosen

    def name_of(self, wheres: Sequence[Where]) -> str:
        """`Osric`, `3 clips`."""
        if len(wheres) == 1:
            return self.need().lanes[wheres[0][0]].name or "a clip"
        return counted(len(wheres), "clip")

    # ---- choosing -----------------------------------------------------------------------------

    def choose(self, where: Where | None, how: str = "") -> None:
        """Choose a clip, one more (or one less), or nothing."""
        if where is None:
            chosen: tuple[Where, ...] = ()
        elif how == "more":
            chosen = (
                tuple(w for w in self.chosen if w != where)
                if where in self.chosen
                else (*self.chosen, where)
            )
        else:
            chosen = (where,)
        self.take(chosen, None)

    def choose_shot(self, number: int | None) -> None:
        self.take((), number if number is not None and number >= 0 else None)

    def choose_all(self) -> None:
        self.take(tuple(editing.places(self.need())), None)

    def step(self, by: int) -> None:
        """The clip after the chosen one, or before, in time; from the playhead where none is."""
        scene = self.need()
        order = editing.places(scene)
        if not order:
            return
        if self.chosen and self.chosen[-1] in order:
            k = min(max(order.index(self.chosen[-1]) + by, 0), len(order) - 1)
        else:
            at = self._c.transport.position()
            later = [k for k, w in enumerate(order) if editing.clip_at(scene, w).start >= at - 1e-6]
            k = (later[0] if later else len(order) - 1) if by > 0 else max(0, (later[0] if later else len(order)) - 1)  # fmt: skip
        self.choose(order[k])
        self._c.transport.seek(editing.clip_at(scene, order[k]).start)

    def step_shot(self, by: int) -> None:
        """The shot after the chosen one, or before; from the playhead where none is chosen."""
        shots = self.need().shots
        order = sorted(range(len(shots)), key=lambda k: shots[k].start)
        if not order:
            raise EditError("The scene has no shots yet; C begins one at the playhead.")
        if self.shot is not None:
            k = min(max(order.index(self.shot) + by, 0), len(order) - 1)
        else:
            at = self._c.transport.position()
            before = sum(shots[n].start <= at + 1e-6 for n in order)
            k = min(max(before if by > 0 else before - 1, 0), len(order) - 1)
        self.choose_shot(order[k])
        self._c.transport.seek(shots[order[k]].start)

    def take(self, chosen: tuple[Where, ...], shot: int | None) -> None:
        if (chosen, shot) != (self.chosen, self.shot):
            self.chosen, self.shot = chosen, shot
            self.chosen_changed.emit()

    def _prune(self) -> None:
        """What is gone is not chosen any more."""
        scene = self._c.scenery.scene
        chosen = tuple(w for w in self.chosen if scene is not None and editing.there(scene, w))
        shot = self.shot if scene is not None and self.shot is not None and self.shot < len(scene.shots) else None  # fmt: skip
        self.take(chosen, shot)

    # ---- keeping ------------------------------------------------------------------------------

    def keep(self, name: str, scene: Scene, *, merge: bool = False) -> None:
        """Another state of the scene, as a step. EditError for one that cannot be kept."""
        try:
            check_scene(scene)
        except DocumentError as error:
            self.give_up()
            check_length(scene)
            raise EditError(f"The scene stays as it is: {error}.") from None
        self._c.document.change(name, {scene_key(scene.slug): scene}, merge=merge)

    def show(self, scene: Scene) -> None:
        """Another state under a hand."""
        self._c.document.preview(scene_key(scene.slug), scene)

    def give_up(self) -> None:
        self._c.document.drop_preview()

    def put(self, name: str, scene: Scene, done: bool, *, merge: bool = False) -> None:
        if done:
            self.keep(name, scene, merge=merge)
        else:
            self.show(scene)
