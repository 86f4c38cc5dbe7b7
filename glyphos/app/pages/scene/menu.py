"""What a person is offered at a place of the score: by what is chosen there."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QMenu

from ...model.context import Context
from ...page import Command
from .desk import SceneDesk

OF_CLIPS = "open trim-start trim-end untrim split delete - mute solo lock - motion"
OF_SHOTS = "delete - shot"
OF_NOTHING = "add bed shot - stand loop"


def fill_menu(menu: QMenu, context: Context, desk: SceneDesk, commands: Sequence[Command]) -> None:
    """Commands for what is chosen, and what lies on the lane of a chosen clip."""
    known, do = {c.name: c for c in commands}, context.talk.try_to
    names = OF_CLIPS if desk.chosen else OF_SHOTS if desk.shot is not None else OF_NOTHING
    for name in names.split():
        if name == "-":
            menu.addSeparator()
        else:
            command = known[f"scene-{name}"]
            menu.addAction(command.text, partial(do, command.run))
    scene = context.scenery.scene
    if scene is not None and desk.chosen:
        lane = desk.chosen[0][0]
        for k in range(len(scene.lanes[lane].moves)):
            _offer_motion(menu, context, desk, lane, k)


def _offer_motion(menu: QMenu, context: Context, desk: SceneDesk, lane: int, number: int) -> None:
    """What can be done with a recorded motion."""
    scene = context.scenery.scene
    assert scene is not None
    move = scene.lanes[lane].moves[number]

    def change(name: str, value: object, *_: object) -> None:
        context.talk.try_to(lambda: desk.change_motion(lane, number, **{name: value}))

    inner = menu.addMenu(f"Head motion {move.file.rsplit('/', 1)[-1]}")
    for text, name, on in (
        ("Again and again", "loop", move.loop),
        ("In place of the head's own", "instead", move.instead),
    ):
        action = inner.addAction(text)
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(partial(change, name, not on))
    for share in (1.0, 0.5, 0.25):
        inner.addAction(f"{share:.0%} of it", partial(change, "share", share))
    inner.addAction(
        "Take it away", partial(context.talk.try_to, partial(desk.drop_motion, lane, number))
    )
