"""Every command of the score, with its words and keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from ....speech.edits import MARK_KINDS
from ...page import Command
from .correcting import Correcting
from .hearing import Hearing
from .questions import Questions

MARK_TEXTS = {"breath": "Mark breath", "cough": "Mark cough", "laugh": "Mark laugh",
              "hum": "Mark hum", "shut": "Mark “mouth stays shut”"}  # fmt: skip
PAGE = "score"


def command(name: str, text: str, group: str, run: Callable[[], object], keys: str = "") -> Command:
    return Command(name, text, group, run, keys, PAGE)


def hearing_commands(desk: Correcting) -> list[Command]:
    """To hear and to choose, here and over the curves."""
    made = [
        command("play-part", "Play what is chosen", "Hear", desk.play_part, "Return"),
        command("play-around", "Play with a little before and after", "Hear", desk.play_around,
                "Shift+Return"),
        command("loop", "Loop what is chosen", "Hear", desk.loop, "L"),
        command("loop-word", "Loop the word", "Hear", desk.loop_word, "W"),
        command("loop-phrase", "Loop the phrase", "Hear", desk.loop_phrase, "P"),
        command("start", "Go to the start", "Hear", desk.go_to_start, "Home"),
        command("next-doubtful", "Next doubtful word", "Choose", desk.next_doubtful, "D"),
        command("wider", "Choose wider: sound, word, phrase", "Choose", desk.wider, "Alt+Up"),
        command("narrower", "Choose narrower: phrase, word, sound", "Choose", desk.narrower,
                "Alt+Down"),
        command("next", "Choose the next", "Choose", desk.next_part, "]"),
        command("previous", "Choose the one before", "Choose", desk.previous_part, "["),
    ]  # fmt: skip
    return [replace(c, page=f"{PAGE} curves") for c in made]


def edge_commands(desk: Correcting) -> list[Command]:
    """To move and pin edges."""
    made = []
    for keys, end, side in (("ZX", False, "start"), ("CV", True, "end")):
        for key, by, when in ((keys[0], -1, "earlier"), (keys[1], 1, "later")):
            made.append(command(f"{side}-{when}", f"Move the {side} {when} by a frame", "Correct",
                                partial(desk.nudge, frames=by, end=end), key))  # fmt: skip
            made.append(command(f"{side}-{when}-5ms", f"Move the {side} {when} by 5 ms", "Correct",
                                partial(desk.nudge, seconds=0.005 * by, end=end), f"Shift+{key}"))  # fmt: skip
    made += [
        command("part-earlier", "Move it with all in it a frame earlier", "Correct",
                lambda: desk.shift(-1), "Ctrl+Shift+Left"),
        command("part-later", "Move it with all in it a frame later", "Correct",
                lambda: desk.shift(1), "Ctrl+Shift+Right"),
        command("pin", "Pin the edge, or lift its pin", "Correct", desk.toggle_pin, "N"),
        command("pin-part", "Pin both its edges", "Correct", desk.pin_part, "Ctrl+P"),
        command("lift-pins", "Lift the pins in it", "Correct", desk.lift_pins, "Shift+N"),
        command("lift-all-pins", "Lift all pins of the line", "Correct", desk.lift_all_pins),
        command("offered-pins", "Set the pins of the earlier take", "Correct",
                desk.set_offered_pins),
    ]  # fmt: skip
    return made


def reading_commands(desk: Correcting, ask: Questions) -> list[Command]:
    """To correct words and sounds, and to mark."""
    made = [
        command("split", "Split at the playhead", "Correct", desk.split, "S"),
        command("join", "Join with the next", "Correct", desk.join, "J"),
        command("begin-phrase", "Begin a phrase with this word", "Correct", desk.begin_phrase,
                "Shift+S"),
        command("open-pause", "Open a pause before it", "Correct", desk.open_pause, "O"),
        command("change-sound", "Change the sound…", "Correct", ask.change_sound, "E"),
        command("insert-sound", "Insert a sound after it…", "Correct", ask.insert_sound, "Ins"),
        command("delete-sound", "Delete the sound", "Correct", desk.delete_sound, "Del"),
        command("pronunciation", "Choose another pronunciation…", "Correct", ask.pronunciation, "R"),
        command("confirm", "Confirm, or doubt again", "Correct", desk.confirm, "K"),
        command("confirm-line", "Confirm the whole line", "Correct", desk.confirm_line, "Shift+K"),
    ]  # fmt: skip
    for number, kind in enumerate(MARK_KINDS, 1):
        made.append(
            command(f"mark-{kind}", MARK_TEXTS[kind], "Mark", partial(desk.mark, kind), str(number))
        )
    return [*made, command("unmark", "Take marks away", "Mark", desk.unmark, "0")]


def listening_commands(hearing: Hearing, ask: Questions) -> list[Command]:
    """To listen, check and swap."""
    return [
        command("listen", "Listen", "Listen", hearing.listen, "F5"),
        command("listen-unscripted", "Listen without a script", "Listen",
                hearing.listen_unscripted, "Shift+F5"),
        command("listen-sounds", "Listen for sounds only", "Listen",
                lambda: hearing.listen_unscripted(sounds=True), "Ctrl+F5"),
        command("check", "Check the recording…", "Listen", ask.check_recording, "F8"),
        command("script-check", "Check the script against the recording…", "Listen",
                ask.check_script, "F9"),
        command("retake", "Retake: swap the recording…", "Listen", ask.retake, "Ctrl+R"),
        command("import-timing", "Load timing…", "Listen", ask.load_timing, "Ctrl+I"),
        command("lexicon", "Lexicon…", "Listen", ask.lexicon),
        command("language", "Choose another language…", "Listen", ask.language),
        command("usual-language", "Usual language of new lines…", "Listen", ask.usual_language),
    ]  # fmt: skip
