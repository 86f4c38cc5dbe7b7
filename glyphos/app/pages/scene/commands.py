"""Every command of the Scene page, with its words and keys."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Protocol

from ...page import Command
from .desk import SceneDesk
from .making import Making
from .paper import ScenePaper


class Staged(Protocol):
    """What commands need of the page."""

    name: str
    desk: SceneDesk
    making: Making
    paper: ScenePaper

    def zoom(self, steps: int) -> None: ...
    def one_row(self) -> None: ...
    def loop(self) -> None: ...
    def open_line(self) -> None: ...
    def flip_snap(self) -> None: ...
    def flip_ripple(self) -> None: ...
    def flip_lines(self) -> None: ...
    def move_in_script(self, by: int) -> None: ...
    def go_to(self, end: bool) -> None: ...


def scene_commands(page: Staged) -> Sequence[Command]:
    """To make, to place, to hear and to see."""
    desk, making = page.desk, page.making

    def command(name: str, text: str, run: Callable[[], object], keys: str = "", group: str = "Scene") -> Command:  # fmt: skip
        return Command(f"scene-{name}", text, group, run, keys, page.name)

    return [
        command("new", "New scene of the selected lines", making.new, "Ctrl+Shift+N"),
        command("choose", "Show another scene…", making.choose),
        command("rename", "Name the scene…", making.rename),
        command("delete-scene", "Delete the scene", desk.remove),
        command("add", "Add the selected lines", making.add, "Ctrl+Return"),
        command("bed", "Lay a sound under it…", making.bed, "Ctrl+B"),
        command("motion", "Lay a recorded head motion (BVH) on the speaker…", making.motion),
        command("movie", "Make a movie…", making.movie, "Ctrl+M"),
        command("export", "Hand the scene over…", making.export, "Ctrl+E"),
        command("import", "Bring a timeline or a table in…", making.bring),
        command("left", "Nudge a frame earlier", partial(desk.nudge, -1), group="Place"),
        command("right", "Nudge a frame later", partial(desk.nudge, 1), group="Place"),
        command("next", "Next clip", partial(desk.step, 1), group="Place"),
        command("previous", "Clip before", partial(desk.step, -1), group="Place"),
        command("all", "Choose all clips", desk.choose_all, "Ctrl+A", "Place"),
        command("trim-start", "Begin at the playhead", partial(desk.trim_here, "start"), "I", "Place"),
        command("trim-end", "End at the playhead", partial(desk.trim_here, "end"), "O", "Place"),
        command("untrim", "Show all of it again", desk.untrim, "U", "Place"),
        command("split", "Cut in two at the playhead", desk.split, "X", "Place"),
        command("delete", "Take out", desk.delete, "Del", "Place"),
        command("earlier", "Earlier in the script", partial(page.move_in_script, -1), "Alt+Up", "Place"),
        command("later", "Later in the script", partial(page.move_in_script, 1), "Alt+Down", "Place"),
        command("snap", "Snap to edges, beats and frames", page.flip_snap, "N", "Place"),
        command("ripple", "What comes later moves along", page.flip_ripple, "R", "Place"),
        command("mute", "Mute the lane", partial(desk.flip, "mute"), "M", "Hear"),
        command("solo", "The lane alone", partial(desk.flip, "solo"), "S", "Hear"),
        command("lock", "Lock the lane", partial(desk.flip, "lock"), "K", "Hear"),
        command("louder", "Louder by 1 dB", partial(making.louder, 1.0), "+ =", "Hear"),
        command("quieter", "Quieter by 1 dB", partial(making.louder, -1.0), "-", "Hear"),
        command("loop", "Loop what is chosen", page.loop, "L", "Hear"),
        command("start", "To the beginning", partial(page.go_to, False), "Home", "Hear"),
        command("end", "To the end", partial(page.go_to, True), "End", "Hear"),
        command("shot", "Add a shot at the playhead", desk.add_shot, "C", "Show"),
        command("next-shot", "Next shot", partial(desk.step_shot, 1), ".", "Show"),
        command("shot-before", "Shot before", partial(desk.step_shot, -1), ",", "Show"),
        command("stand", "Everybody faces each other", desk.stand, group="Show"),
        command("open", "Open the line on the Score page", page.open_line, group="Show"),
        command("in", "Closer", partial(page.zoom, 1), "Ctrl++ Ctrl+=", "View"),
        command("out", "Further", partial(page.zoom, -1), "Ctrl+-", "View"),
        command("fit", "As wide as words need", partial(page.zoom, 0), "Ctrl+0", "View"),
        command("row", "One long row", page.one_row, "W", "View"),
        command("lines", "The list of lines beside it", page.flip_lines, "V", "View"),
        command("to-score", "Go to the score", page.paper.setFocus, "F6", "View"),
    ]  # fmt: skip
