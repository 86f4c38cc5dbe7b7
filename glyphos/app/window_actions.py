"""Commands of the window, its menus and context menus, and the small questions they ask."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QDialog, QInputDialog, QMenu

from ..errors import GlyphosError, RecordingError
from ..speech.edits import MARK_KINDS, units_of
from ..speech.parts import Part
from ..speech.reading import Reading
from .batch import Batch
from .finder import Finder
from .window_files import Files

if TYPE_CHECKING:
    from .window import Window

MARK_TEXTS = {"breath": "Mark breath", "cough": "Mark cough", "laugh": "Mark laugh",
              "hum": "Mark hum", "shut": "Mark “mouth stays shut”"}  # fmt: skip
SOUNDS = (
    "p b t d k ɡ m n ŋ f v θ ð s z ʃ ʒ tʃ dʒ h l ɹ w j i ɪ ɛ æ ɑ ɔ ʊ u ʌ ə ɝ eɪ aɪ ɔɪ aʊ oʊ".split()
)


class Actions:
    """Registers every command with the window and asks what they need to know."""

    def __init__(self, window: Window) -> None:
        self.w = window
        self.files = Files(window)
        self.batch = Batch(window.session)
        self.batch.busy.connect(window.lines.show_busy)
        self.batch.progress.connect(window._show_busy)
        window.cancel_button.clicked.connect(self.batch.cancel)

    def close(self) -> None:
        self.batch.cancel(wait=True)

    def register(self) -> None:
        self._register_hearing()
        self._register_correcting()
        self._register_listening()
        self._register_production()
        self._register_view()
        self._menus()

    def _register_hearing(self) -> None:
        add, w, desk = self.w.commands.add, self.w, self.w.desk
        add("play", "Play or stop", "Hear", w.play_or_stop, "Space")
        add("play-part", "Play what is chosen", "Hear", desk.play_part, "Return")
        add(
            "play-around",
            "Play with a little before and after",
            "Hear",
            desk.play_around,
            "Shift+Return",
        )
        add("loop", "Loop what is chosen", "Hear", desk.loop, "L")
        add("loop-word", "Loop the word", "Hear", desk.loop_word, "W")
        add("loop-phrase", "Loop the phrase", "Hear", desk.loop_phrase, "P")
        add("start", "Go to the start", "Hear", lambda: w.player.seek(0.0), "Home")
        add("next-doubtful", "Next doubtful word", "Choose", desk.next_doubtful, "D")
        add("wider", "Choose wider: sound, word, phrase", "Choose", desk.wider, "Alt+Up")
        add("narrower", "Choose narrower: phrase, word, sound", "Choose", desk.narrower, "Alt+Down")
        add("next", "Choose the next", "Choose", desk.next_part, "]")
        add("previous", "Choose the one before", "Choose", desk.previous_part, "[")
        add("none", "Choose nothing, or cancel", "Choose", self._escape, "Esc")

    def _register_correcting(self) -> None:
        add, desk = self.w.commands.add, self.w.desk
        for keys, end, side in (("ZX", False, "start"), ("CV", True, "end")):
            for key, by, when in ((keys[0], -1, "earlier"), (keys[1], 1, "later")):
                add(f"{side}-{when}", f"Move the {side} {when} by a frame", "Correct",
                    partial(desk.nudge, frames=by, end=end), key)  # fmt: skip
                add(f"{side}-{when}-5ms", f"Move the {side} {when} by 5 ms", "Correct",
                    partial(desk.nudge, seconds=0.005 * by, end=end), f"Shift+{key}")  # fmt: skip
        add("part-earlier", "Move it with all in it a frame earlier", "Correct",
            lambda: desk.shift(-1), "Ctrl+Shift+Left")  # fmt: skip
        add("part-later", "Move it with all in it a frame later", "Correct",
            lambda: desk.shift(1), "Ctrl+Shift+Right")  # fmt: skip
        add("pin", "Pin the edge, or lift its pin", "Correct", desk.toggle_pin, "N")
        add("pin-part", "Pin both its edges", "Correct", desk.pin_part, "Ctrl+P")
        add("lift-pins", "Lift the pins in it", "Correct", desk.lift_pins, "Shift+N")
        add("lift-all-pins", "Lift all pins of the line", "Correct", desk.lift_all_pins)
        add("offered-pins", "Set the pins of the earlier take", "Correct", desk.set_offered_pins)
        add("split", "Split at the playhead", "Correct", desk.split, "S")
        add("join", "Join with the next", "Correct", desk.join, "J")
        add(
            "begin-phrase", "Begin a phrase with this word", "Correct", desk.begin_phrase, "Shift+S"
        )
        add("open-pause", "Open a pause before it", "Correct", desk.open_pause, "O")
        add("change-sound", "Change the sound…", "Correct", self.change_sound, "E")
        add("insert-sound", "Insert a sound after it…", "Correct", self.insert_sound, "Ins")
        add("delete-sound", "Delete the sound", "Correct", desk.delete_sound, "Del")
        add("pronunciation", "Choose another pronunciation…", "Correct", self.pronunciation, "R")
        add("confirm", "Confirm, or doubt again", "Correct", desk.confirm, "K")
        add("confirm-line", "Confirm the whole line", "Correct", desk.confirm_line, "Shift+K")
        for number, kind in enumerate(MARK_KINDS, 1):
            add(f"mark-{kind}", MARK_TEXTS[kind], "Mark", partial(desk.mark, kind), str(number))
        add("unmark", "Take marks away", "Mark", desk.unmark, "0")
        add("undo", "Undo", "Correct", self.w.session.undo, "Ctrl+Z")
        add("redo", "Redo", "Correct", self.w.session.redo, "Ctrl+Shift+Z Ctrl+Y")

    def _register_listening(self) -> None:
        add, s = self.w.commands.add, self.w.session
        add("listen", "Listen", "Listen", s.hearing.listen, "F5")
        add(
            "listen-unscripted",
            "Listen without a script",
            "Listen",
            s.hearing.listen_unscripted,
            "Shift+F5",
        )
        add("listen-sounds", "Listen for sounds only", "Listen",
            lambda: s.hearing.listen_unscripted(sounds=True), "Ctrl+F5")  # fmt: skip
        add("listen-all", "Listen to every line that needs it", "Listen", self.listen_all, "F7")
        add("check", "Check the recording…", "Listen", self.check_recording, "F8")
        add(
            "script-check",
            "Check the script against the recording…",
            "Listen",
            self.check_script,
            "F9",
        )
        add("retake", "Retake: swap the recording…", "Listen", self.files.retake, "Ctrl+R")
        add("lexicon", "Lexicon…", "Listen", self.lexicon)
        add("language", "Choose another language…", "Listen", self.language)

    def _register_production(self) -> None:
        add, files, desk = self.w.commands.add, self.files, self.w.desk
        add("new", "New production…", "Production", files.new, "Ctrl+N")
        add("open", "Open…", "Production", files.open, "Ctrl+O")
        add(
            "open-production",
            "Open a production…",
            "Production",
            files.open_production,
            "Ctrl+Shift+O",
        )
        add("add", "Add lines…", "Production", files.add, "Ctrl+L")
        add("add-folder", "Add a folder of lines…", "Production", files.add_folder)
        add(
            "save-copy",
            "Save a copy of the production…",
            "Production",
            files.save_copy,
            "Ctrl+Shift+S",
        )
        add("save-curves", "Save curves…", "Production", files.save_curves, "Ctrl+S")
        add("export-timing", "Save timing…", "Production", files.export_timing, "Ctrl+E")
        add("import-timing", "Load timing…", "Production", files.import_timing, "Ctrl+I")
        add("find-recording", "Find a missing recording…", "Production", files.find_recording)
        add("name-production", "Name the production…", "Production", self.name_production)
        add("usual-language", "Usual language of new lines…", "Production", self.usual_language)
        add("cut", "Cut into lines at pauses or paragraphs…", "Lines", files.cut)
        add("rename", "Name the speaker…", "Lines", self.rename, "F4")
        add("duplicate", "Duplicate line", "Lines", desk.duplicate_line, "Ctrl+D")
        add("delete-line", "Delete lines", "Lines",
            lambda: desk.delete_lines(self.w.lines.list.selected() or [self.w.session.slug]),
            "Ctrl+Del")  # fmt: skip
        add("line-up", "Move line up", "Lines", lambda: desk.move_line(-1), "Ctrl+Up")
        add("line-down", "Move line down", "Lines", lambda: desk.move_line(1), "Ctrl+Down")
        add(
            "search-lines", "Search in all scripts", "Lines", self.w.lines.search.setFocus, "Ctrl+F"
        )

    def _register_view(self) -> None:
        add, w, page = self.w.commands.add, self.w, self.w.score.page
        add("zoom-in", "Larger", "View", lambda: page.zoom_by(1), "Ctrl++ Ctrl+=")
        add("zoom-out", "Smaller", "View", lambda: page.zoom_by(-1), "Ctrl+-")
        add("zoom-none", "As large as it fits", "View", lambda: page.set_zoom(1.0), "Ctrl+0")
        add("whole-page", "Score on the whole window", "View", self.whole_page, "F11")
        add("formants", "Loupe: formants or harmonics", "View", self.formants, "Ctrl+Shift+F")
        add("theme", "Paper or night", "View", w.change_theme, "Ctrl+T")
        add("keep-b", "Keep the delivery as B", "View", w.delivery.keep_button.click, "Ctrl+K")
        add("flip", "Flip between A and B", "View", w.session.flip_delivery, "B")
        add("preferences", "Preferences…", "View", self.preferences, "Ctrl+,")
        add("to-script", "Go to the script", "View", w.script.setFocus, "F10")
        add("to-score", "Go to the score", "View", page.setFocus, "F6")
        add("to-loupe", "Go to the Loupe", "View", w.loupe.setFocus, "F3")
        add("shortcuts", "Shortcuts", "Help", lambda: self._find(sheet=True), "F1")
        add("palette", "Find a command", "Help", lambda: self._find(sheet=False), "F2")

    # ---- menus ------------------------------------------------------------------------------

    def _menus(self) -> None:
        menu = QMenu(self.w)
        groups: dict[str, QMenu] = {}
        for command in self.w.commands.all.values():
            if command.group not in groups:
                groups[command.group] = menu.addMenu(command.group)
            groups[command.group].addAction(self.w.commands.actions[command.name])
        self.recent_menu = groups["Production"].addMenu("Open recent")
        self.recent_menu.aboutToShow.connect(lambda: self.files.fill_recent(self.recent_menu))
        self.files.fill_recent(self.recent_menu)
        self.w.menu_button.setMenu(menu)
        self.w.session.history_changed.connect(self._name_steps)
        self._name_steps()
        lines = self.w.lines.list
        for name in ("rename", "duplicate", "delete-line", "line-up", "line-down", "listen-all", "retake",
                     "find-recording"):  # fmt: skip
            lines.addAction(self.w.commands.actions[name])
        from PySide6.QtCore import Qt

        lines.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)

    def _name_steps(self) -> None:
        history, actions = self.w.session.history, self.w.commands.actions
        for name, step in (("Undo", history.undo_name), ("Redo", history.redo_name)):
            actions[name.lower()].setText(f"{name}: {step}" if step else name)
            actions[name.lower()].setEnabled(bool(step))

    def fill_context(self, menu: QMenu, part: Part | None, seconds: float) -> None:
        """What can be done with a part of the score, or with a pause."""
        actions = self.w.commands.actions
        names = ["play-part", "loop", None, "pronunciation", "change-sound", "insert-sound", "delete-sound",
                 None, "pin-part", "lift-pins", "confirm", None, "split", "join", "begin-phrase",
                 "open-pause"]  # fmt: skip
        if part is None:
            names = []
        for name in names:
            if name is None:
                menu.addSeparator()
            else:
                menu.addAction(actions[name])
        marks = menu.addMenu("Mark as")
        for kind in MARK_KINDS:
            marks.addAction(MARK_TEXTS[kind].removeprefix("Mark ").capitalize(),
                            partial(self._mark, kind, seconds))  # fmt: skip
        marks.addAction("Nothing", partial(self._unmark, seconds))

    def _mark(self, kind: str, seconds: float) -> None:
        self._told(lambda: self.w.desk.mark(kind, seconds))

    def _unmark(self, seconds: float) -> None:
        self._told(lambda: self.w.desk.unmark(seconds))

    def _told(self, work) -> None:  # type: ignore[no-untyped-def]
        try:
            work()
        except GlyphosError as error:
            self.w.tell(str(error))

    def _find(self, *, sheet: bool) -> None:
        self.open_dialog(Finder(self.w.commands, self.w, sheet=sheet))

    def open_dialog(self, dialog: QDialog) -> QDialog:
        """Show a dialog without stopping the window; it goes when it is closed."""
        from PySide6.QtCore import Qt

        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(lambda _: self.w.activateWindow())
        dialog.open()
        return dialog

    # ---- doing ------------------------------------------------------------------------------

    def _escape(self) -> None:
        if self.w.desk.dragging:
            self.w.desk.give_up()
        elif self.w.session.hearing.task is not None or self.batch.running:
            self.w.session.cancel()
            self.batch.cancel()
        elif not self.w.top.isVisible():
            self.w.read_only_page(False)
        else:
            self.w.desk.clear()

    def whole_page(self) -> None:
        self.w.read_only_page(self.w.top.isVisible())
        self.w.score.page.setFocus()

    def formants(self) -> None:
        from dataclasses import replace

        now = self.w.preferences
        self.w.apply_preferences(replace(now, formants=not now.formants))

    def _ask_sound(self, title: str, now: str) -> str:
        choices = sorted(set(SOUNDS) | {now}, key=lambda s: s != now)
        text, agreed = QInputDialog.getItem(self.w, title, "Sound in IPA:", choices, 0, True)
        return text if agreed else ""

    def _sound_now(self) -> str:
        _, flat, part = self.w.desk._need()
        return flat.phones[flat.sound_range(part)[0]].ipa

    def change_sound(self) -> None:
        if text := self._ask_sound("Change the sound", self._sound_now()):
            self.w.desk.change_sound(text)

    def insert_sound(self) -> None:
        if text := self._ask_sound("Insert a sound", self._sound_now()):
            self.w.desk.insert_sound(text)

    def pronunciation(self) -> None:
        from ..speech.lexicon import offered_pronunciations
        from .dialogs import PronunciationDialog

        _, flat, part = self.w.desk._need()
        number = flat.word_range(part)[0]
        word, line = flat.words[number], self.w.session.line
        assert line is not None
        code = word.language or line.language
        offered = offered_pronunciations(word.text, language=code, lexicon=self.w.session.lexicon)
        dialog = PronunciationDialog(
            word.text, units_of(word), offered, partial(self._hear, code), self.w
        )

        def chosen() -> None:
            units = dialog.units()
            if units:
                self._told(lambda: self.w.desk.set_pronunciation(number, units, dialog.scope))

        dialog.accepted.connect(chosen)
        self.open_dialog(dialog)

    def _hear(self, language: str, units) -> None:  # type: ignore[no-untyped-def]
        from ..speech.espeak import say_sounds

        def say() -> None:
            spoken = say_sounds(units, language=language)
            self.w.player.say(spoken.samples, spoken.rate)

        self._told(say)

    def lexicon(self) -> None:
        from ..production.production import write_lexicon
        from .dialogs import LexiconDialog

        session = self.w.session
        dialog = LexiconDialog(session.lexicon, self.w)

        def keep() -> None:
            session.lexicon = dialog.lexicon
            if session.store is not None:
                self._told(lambda: write_lexicon(session.production.folder, dialog.lexicon))
            self.w.say(
                f"{len(dialog.lexicon.entries)} words in the lexicon; listen again to use them."
            )

        dialog.accepted.connect(keep)
        self.open_dialog(dialog)

    def _ask_language(self, question: str) -> str:
        from ..speech.espeak import languages, voice_for

        known = languages()
        names = [f"{name} ({code})" for code, name in sorted(known.items(), key=lambda kv: kv[1])]
        text, agreed = QInputDialog.getItem(self.w, "Language", question, names, 0, True)
        if not agreed or not text:
            return ""
        code = text.rsplit("(", 1)[-1].rstrip(")")
        voice_for(code)
        return code

    def language(self) -> None:
        if code := self._ask_language("What is spoken:"):
            self.w.session.set_language(code)

    def usual_language(self) -> None:
        if code := self._ask_language("What new lines speak:"):
            self.w.session.change_header("Set usual language", language=code)

    def name_production(self) -> None:
        now = self.w.session.production.header.name
        name, agreed = QInputDialog.getText(self.w, "Production", "Its name:", text=now)
        if agreed and name.strip():
            self.w.session.change_header("Name production", name=name.strip())

    def rename(self) -> None:
        line = self.w.session.line
        if line is None:
            return
        known = sorted(
            {x.speaker for x in self.w.session.production.lines if x.speaker} | {line.speaker}
        )
        name, agreed = QInputDialog.getItem(
            self.w, "Speaker", "Who speaks:", known, known.index(line.speaker), True
        )
        if agreed:
            self.w.session.change_line("Name speaker", speaker=name.strip())

    def listen_all(self) -> None:
        chosen = self.w.lines.list.selected()
        self._told(lambda: self.batch.start(chosen if len(chosen) > 1 else None))

    def check_recording(self) -> None:
        session = self.w.session
        line = session.line
        if line is None:
            raise RecordingError("Open a recording first; then it can be checked.")
        path = session.production.audio_path(line)
        from ..proof.recording_check import check
        from .dialogs import CheckDialog

        def done(result) -> None:  # type: ignore[no-untyped-def]
            dialog = CheckDialog(result, self.w)
            dialog.accepted.connect(lambda: self._use_check(dialog))
            self.open_dialog(dialog)

        session.hearing.run("Checking the recording", lambda progress: check(path), done)

    def _use_check(self, dialog) -> None:  # type: ignore[no-untyped-def]
        line = self.w.session.line
        channel = dialog.result_shown.channel if dialog.use_channel else 0
        if line is not None and (channel, dialog.use_clean) != (line.channel, line.condition):
            self.w.session.change_line(
                "Condition recording", channel=channel, condition=dialog.use_clean
            )
            self.w.say("Listen again to use this.")

    def check_script(self) -> None:
        from ..speech.compare import disagreements
        from .dialogs import CompareDialog

        session = self.w.session
        if session.reading is None or session.opened is None:
            raise RecordingError("Listen to the line first; then its script can be checked.")
        reading: Reading = session.reading
        recording = session.opened.recording

        def done(found) -> None:  # type: ignore[no-untyped-def]
            if not found:
                self.w.say("Script and recording agree, as far as can be heard.")
                return
            dialog = CompareDialog(found, self.w)
            dialog.played.connect(lambda a, b: self.w.player.play(max(0.0, a), b))
            dialog.accepted.connect(lambda: self._use_heard(reading, dialog.chosen()))
            self.open_dialog(dialog)

        session.hearing.run("Checking the script",
                    lambda progress: disagreements(recording, reading, progress=progress), done)  # fmt: skip

    def _use_heard(self, reading: Reading, chosen) -> None:  # type: ignore[no-untyped-def]
        from ..speech.compare import script_as_heard

        line = self.w.session.line
        if line is not None and chosen:
            script = script_as_heard(line.script, reading, chosen)
            self.w.session.change_line("Take what is heard", script=script)
            self.w.session.hearing.listen()

    def preferences(self) -> None:
        from .dialogs import PreferencesDialog
        from .player import device_names

        dialog = PreferencesDialog(self.w.preferences, device_names(), self.w)
        dialog.accepted.connect(lambda: self.w.apply_preferences(dialog.preferences()))
        self.open_dialog(dialog)
