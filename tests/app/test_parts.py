"""Small parts of the window by themselves: player, settings, waveform, key care, watch."""

from __future__ import annotations

import tempfile
import time
import unittest
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QObject, QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QComboBox,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from glyphos.app.drawing.ribbon import wave_image
from glyphos.app.model import settings
from glyphos.app.model.settings import Preferences
from glyphos.app.model.transport import Transport
from glyphos.app.shell.keycare import KeyCare
from glyphos.app.sound.devices import RATE, SilentDevice, best_device, device_names
from tests.app.harness import Clock, WindowCase, make_application


class Playing(unittest.TestCase):
    def setUp(self) -> None:
        make_application()
        self.clock = Clock()
        self.player = Transport(SilentDevice(self.clock))
        self.player.load(np.zeros(RATE * 10, np.float32))

    def test_playing_on_from_where_it_stands_and_from_the_start_at_the_end(self) -> None:
        self.player.seek(4.0)
        self.player.play()
        self.clock.now += 1.5
        self.assertAlmostEqual(self.player.position(), 5.5, places=4)
        self.player.stop()
        self.clock.now += 3
        self.assertAlmostEqual(self.player.position(), 5.5, places=4)
        self.player.play()
        self.clock.now += 60
        self.assertAlmostEqual(self.player.position(), 10.0, places=4)
        self.assertFalse(self.player.playing)
        self.player.play()
        self.assertAlmostEqual(self.player.position(), 0.0, places=4)

    def test_a_loop_comes_round_for_ever(self) -> None:
        self.player.play(2.0, 2.5, loop=True)
        for _ in range(200):
            self.clock.now += 0.037
            self.assertTrue(2.0 <= self.player.position() <= 2.5)
        self.assertTrue(self.player.playing and self.player.looping)

    def test_scrubbing_stays_where_the_hand_is(self) -> None:
        for seconds in (3.0, 3.2, 2.9, -1.0, 99.0):
            self.player.scrub(seconds)
            self.clock.now += 0.5
            self.assertAlmostEqual(self.player.position(), min(max(seconds, 0.0), 10.0))
            self.assertFalse(self.player.playing)

    def test_another_voice_is_heard_without_moving_the_playhead(self) -> None:
        self.player.seek(6.0)
        self.player.say(np.zeros(22_050, np.float32), 22_050)
        self.clock.now += 0.4
        self.assertEqual(self.player.position(), 6.0)

    def test_without_a_sound_card_silence_keeps_time(self) -> None:
        self.assertIsInstance(device_names(), list)
        device = best_device("a card that does not exist")
        device.play(np.zeros(100, np.float32), 0.0, 0.001, False)
        device.stop()


class Settings(unittest.TestCase):
    def setUp(self) -> None:
        make_application()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        QSettings.setDefaultFormat(QSettings.Format.IniFormat)
        QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, folder.name)

    def test_what_is_kept_comes_back_and_nonsense_does_not(self) -> None:
        wanted = Preferences("night", "warm", 12.5, "A card", "frames", True, True)
        settings.save(wanted)
        self.assertEqual(settings.load(), wanted)
        QSettings().setValue("preferences/size", "enormous")
        self.assertEqual(settings.load().size, 0.0)
        QSettings().clear()
        self.assertEqual(settings.load(), Preferences())

    def test_only_the_latest_productions_are_remembered(self) -> None:
        for k in range(settings.MOST_RECENT + 3):
            settings.remember(f"/show-{k}")
        settings.remember("/show-5")
        self.assertEqual(settings.recent()[0], "/show-5")
        self.assertEqual(len(settings.recent()), settings.MOST_RECENT)
        self.assertEqual(len(set(settings.recent())), settings.MOST_RECENT)
        self.assertIsNone(settings.layout("never kept"))


class Waves(unittest.TestCase):
    def test_a_column_reaches_from_its_lowest_to_its_highest_value(self) -> None:
        high, low = np.array([0.0, 0.5, 1.0]), np.array([0.0, -0.5, 0.0])
        image = wave_image(high, low, (10, 20, 30), 1.0, 80, 1.0)
        inked = [[y for y in range(80) if image.pixelColor(x, y).alphaF() > 0.5] for x in range(3)]
        self.assertLessEqual(len(inked[0]), 2)
        self.assertAlmostEqual(len(inked[1]), 39, delta=2)
        self.assertAlmostEqual(len(inked[2]), 39, delta=2)
        self.assertLess(max(inked[2]), 42)
        self.assertEqual(image.pixelColor(1, 40).red(), 10)


class Keys(unittest.TestCase):
    def setUp(self) -> None:
        make_application()
        self.window = QWidget()
        self.addCleanup(self.window.deleteLater)
        layout = QVBoxLayout(self.window)
        self.button, self.box, self.list = QPushButton("Go"), QComboBox(), QListWidget()
        self.box.addItems(["a", "b", "c"])
        self.list.addItems(["x", "y", "z"])
        for widget in (self.button, self.box, self.list):
            layout.addWidget(widget)
        from PySide6.QtGui import QAction

        self.fired: list[str] = []
        for key in ("Space", "Home", "Z"):
            action = QAction(self.window)
            action.setShortcut(key)
            action.triggered.connect(lambda _=False, k=key: self.fired.append(k))
            self.window.addAction(action)
        self.care = KeyCare(self.window)
        self.window.show()
        QTest.qWaitForWindowActive(self.window)

    def test_space_presses_a_button_and_is_a_shortcut_elsewhere(self) -> None:
        pressed: list[int] = []
        self.button.clicked.connect(lambda: pressed.append(1))
        self.button.setFocus()
        QTest.keyClick(self.button, Qt.Key.Key_Space)
        self.assertEqual((pressed, self.fired), ([1], []))
        QTest.keyClick(self.window, Qt.Key.Key_Space)
        self.assertEqual(self.fired, ["Space"])

    def test_lists_keep_home_and_give_letters_to_the_window(self) -> None:
        self.list.setCurrentRow(2)
        self.list.setFocus()
        QTest.keyClick(self.list, Qt.Key.Key_Home)
        self.assertEqual((self.list.currentRow(), self.fired), (0, []))
        self.button.setFocus()
        QTest.keyClick(self.button, Qt.Key.Key_Z)
        self.assertEqual(self.fired, ["Z"])


class Pages(WindowCase):
    """Pages are made when they are wanted, while the window is in use."""

    own_window = True

    demo = False
    page_after = 300

    def test_a_window_opens_with_one_page_and_makes_the_others_when_they_are_wanted(self) -> None:
        pages = self.window.pages
        self.assertEqual([p.name for p in pages.made], ["score"])
        self.assertNotIn("scene-new", self.window.commands.all)
        self.window.commands.do("page-scene")
        self.assertEqual([p.name for p in pages.made], ["score", "scene"])
        self.assertIn("scene-new", self.window.commands.all)
        self.window.menus.fill()  # whoever looks for what can be done finds everything
        self.assertEqual(pages.missing, "")
        groups = list(dict.fromkeys(c.group for c in self.window.commands.all.values()))
        self.assertLess(groups.index("Characters"), groups.index("Scene"))

    def test_idle_moments_make_the_rest_and_take_neither_focus_nor_screen(self) -> None:
        opened: list[QObject] = []

        class Watch(QObject):
            def eventFilter(self, widget: QObject, event: QEvent) -> bool:
                if event.type() in (QEvent.Type.Show, QEvent.Type.WindowDeactivate):
                    if isinstance(widget, QWidget) and widget.isWindow():
                        opened.append(widget)
                return False

        focus = self.application.focusWidget()
        watch = Watch()
        self.application.installEventFilter(watch)
        self.addCleanup(self.application.removeEventFilter, watch)
        missing, until = self.window.pages.missing, time.monotonic() + 5 * self.page_after / 1000
        while time.monotonic() < until:  # something happens all the time
            self.current.motion_changed.emit()
            self.application.processEvents()
        self.assertEqual(self.window.pages.missing, missing)
        self.context.tracking.listen(0)  # a face that moves would stand still
        until = time.monotonic() + 5 * self.page_after / 1000
        self.wait(lambda: time.monotonic() > until)
        self.assertEqual(self.window.pages.missing, missing)
        self.context.tracking.close()
        self.wait(lambda: not self.window.pages.missing)
        self.assertEqual(opened, [])
        self.assertIs(self.application.focusWidget(), focus)
        self.assertEqual(self.window.page.name, "score")


class Accessible(WindowCase):
    def test_every_menu_entry_is_a_command_and_says_its_keys(self) -> None:
        menu = self.window.top.menu_button.menu()
        names = set()
        for page in self.window.pages:  # each shows what can be done there
            self.window.show_page(page)
            self.window.menus.fill()
            for group in menu.actions():
                names |= {a.text().split(":")[0] for a in group.menu().actions() if not a.menu()}
        for command in self.window.commands.all.values():
            self.assertIn(command.text.split(":")[0], names)
        undo = self.window.commands.actions["redo"]
        self.assertIn("Ctrl+Shift+Z", undo.toolTip())

    def test_a_letter_with_alt_means_one_thing_wherever_one_is(self) -> None:
        """Else Qt only goes from one to the next, and does nothing."""
        self.window.commands.do("theme")
        self.addCleanup(self.window.commands.do, "theme")
        for page in self.window.pages:
            self.window.show_page(page)
            headings = [
                b for b in self.window.findChildren(QPushButton, "section") if b.isVisible()
            ]
            for heading in headings or [None]:
                if heading is not None:
                    heading.setChecked(True)
                self.application.processEvents()
                self.assertEqual(self.ambiguous(), set(), f"{page}, {heading and heading.text()}")

    def test_lines_and_loupe_can_be_read_aloud(self) -> None:
        self.doubt(1)
        model = self.window.lines.lines
        spoken = model.data(model.index(0), Qt.ItemDataRole.AccessibleTextRole)
        self.assertIn("Mabel", spoken)
        self.assertIn("doubtful", spoken)
        self.assertIn("Ctrl", self.loupe.accessibleDescription())
        self.assertTrue(Path(self.production).exists())
