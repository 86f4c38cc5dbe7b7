"""Every command of the Curves page, with its words and keys."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Protocol

from ...page import Command
from .channels import ChannelList
from .desk import CurveDesk
from .paper import CurvesPaper
from .tools import Tools


class Curves(Protocol):
    """What commands need of the page."""

    name: str
    desk: CurveDesk
    channels: ChannelList
    paper: CurvesPaper
    tools_strip: Tools

    def turn(self, by: int) -> None: ...

    def zoom(self, steps: int) -> None: ...

    def find(self) -> None: ...


def curve_commands(page: Curves) -> Sequence[Command]:
    """To shape, to choose and to see."""
    desk = page.desk

    def command(
        name: str, text: str, run: Callable[[], object], keys: str = "", group: str = "Shape"
    ) -> Command:
        return Command(name, text, group, run, keys, page.name)

    return [
        command("curve-up", "Pull up a little at the playhead", partial(desk.nudge, 1)),
        command("curve-down", "Pull down a little at the playhead", partial(desk.nudge, -1)),
        command("curve-scale", "Scale over what is chosen…", partial(page.tools_strip.ask, "scale"), "A"),
        command("curve-lift", "Lift over what is chosen…", partial(page.tools_strip.ask, "lift"), "G"),
        command("curve-smooth", "Smooth", desk.smooth, "S"),
        command("curve-hold", "Hold the value at the playhead", desk.hold, "H"),
        command("curve-ease", "Ease from beginning to end", desk.ease, "E"),
        command("curve-across", "Copy to the other side", desk.across, "X"),
        command("curve-fewer", "Fewer keys", desk.fewer, "F"),
        command("curve-key", "Set a key at the playhead", desk.add_key, "K"),
        command("curve-delete", "Delete the key", desk.delete, "Del"),
        command("curve-clear", "Take touch-ups off", desk.clear, "Shift+Del"),
        command("curve-over-sound", "Pull over a sound", partial(desk.reach, "sound"), "1"),
        command("curve-over-word", "Pull over a word", partial(desk.reach, "word"), "2"),
        command("curve-over-phrase", "Pull over a phrase", partial(desk.reach, "phrase"), "3"),
        command("curve-find", "Find a channel", page.find, "Ctrl+F", "Choose"),
        command("curve-next", "Next channel", partial(page.channels.step, 1), ".", "Choose"),
        command("curve-previous", "Channel before", partial(page.channels.step, -1), ",", "Choose"),
        command("phrase-next", "Next phrase", partial(page.turn, 1), "PgDown", "View"),
        command("phrase-before", "Phrase before", partial(page.turn, -1), "PgUp", "View"),
        command("curves-in", "Closer", partial(page.zoom, 1), "Ctrl++ Ctrl+=", "View"),
        command("curves-out", "Further", partial(page.zoom, -1), "Ctrl+-", "View"),
        command("curves-phrase", "The phrase over the width", partial(page.turn, 0), "Ctrl+0", "View"),
        command("to-curves", "Go to the curves", page.paper.setFocus, "F6", "View"),
    ]  # fmt: skip
