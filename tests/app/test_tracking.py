"""A tracker in the real window: listened to over a real socket, seen on the face, recorded onto the line."""

from __future__ import annotations

import socket
import time
from pathlib import Path
from unittest import mock

import numpy as np

from glyphos.characters.recorded import open_layer
from glyphos.live.packets import json_packet
from glyphos.live.simulated import performance
from tests.app.harness import WindowCase
from tests.patience import PATIENCE


class Tracking(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        # A machine that is busy with other things is no device that is gone
        self.enterContext(mock.patch("glyphos.live.tracker.GONE", PATIENCE))
        self.show("03-pip-wind")
        self.tracking, self.box = self.context.tracking, self.page.recorded.tracker
        self.out = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.addCleanup(self.out.close)
        self.box.port.setValue(self.free_port())
        self.number = 0

    def free_port(self) -> int:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
            free.bind(("127.0.0.1", 0))
            return int(free.getsockname()[1])

    def send(self, count: int = 1) -> None:
        """Moments of the made-up face, and time for them to arrive."""
        before = self.tracking.health.received
        for _ in range(count):
            t = self.number / 60
            self.out.sendto(
                json_packet(performance(t), self.number, t), ("127.0.0.1", self.box.port.value())
            )
            self.number += 1
            time.sleep(1 / 60)
        self.wait(lambda: self.tracking.health.received >= before + count)

    def take(self, *, again: bool = False) -> None:
        (self.box.again if again else self.box.record).click()
        self.assertTrue(self.transport.playing, self.status)
        self.send(40)
        self.wait(lambda: "recording" in self.box.said.text())
        self.box.record.click()
        self.idle()

    def test_it_is_waited_for_seen_on_the_face_and_let_go(self) -> None:
        self.assertFalse(self.box.record.isEnabled())
        self.box.everywhere.setChecked(True)
        self.box.listen.click()
        self.assertFalse(self.box.everywhere.isEnabled())
        self.assertIn("waiting for packets", self.box.said.text())
        self.box.record.click()
        self.assertIn("Nothing comes from the tracker", self.status)
        self.send(20)
        self.wait(lambda: "a second" in self.box.said.text())
        seen = self.window.face_panel._values(0.0)
        self.assertAlmostEqual(seen["head_yaw"], performance(19 / 60)["head_yaw"], delta=1.5)
        self.box.zero.click()
        self.assertAlmostEqual(self.window.face_panel._values(0.0)["head_yaw"], 0.0, delta=0.5)
        self.box.listen.click()
        self.assertEqual(self.tracking.values(), {})
        self.assertEqual(self.box.said.text(), "not listened to")

    def test_takes_are_layers_of_the_line_the_newest_is_on(self) -> None:
        self.box.listen.click()
        self.send(5)
        self.take()
        self.assertEqual([r.file for r in self.line.recorded], ["layers/take-1.csv"])
        self.assertIn("take-1: ", self.status)
        layer, _ = open_layer(self.document.folder / "layers" / "take-1.csv")
        self.assertGreaterEqual(len(layer.times), 35)
        self.assertIn("head_yaw", self.context.living.motion.names)
        self.take()
        self.assertEqual(
            [(Path(r.file).stem, r.on) for r in self.line.recorded],
            [("take-1", False), ("take-2", True)],
        )
        self.page.recorded.list.setCurrentRow(0)
        self.take(again=True)
        self.assertEqual([Path(r.file).stem for r in self.line.recorded], ["take-2", "take-3"])
        self.do("undo")
        self.assertEqual([Path(r.file).stem for r in self.line.recorded], ["take-1", "take-2"])

    def test_a_take_ends_with_its_line_and_is_dropped_with_another(self) -> None:
        self.box.listen.click()
        self.send(5)
        self.box.record.click()
        self.send(10)
        self.wait(lambda: self.tracking._started)
        self.clock.now += 60  # the sound is over
        self.wait(lambda: not self.tracking.recording)
        self.idle()
        self.assertEqual(len(self.line.recorded), 1)
        self.box.record.click()
        self.assertTrue(self.tracking.recording)
        self.show("01-mabel-beam")
        self.assertFalse(self.tracking.recording)
        self.assertEqual(self.line.recorded, ())

    def test_a_port_in_use_is_said(self) -> None:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            other.bind(("127.0.0.1", 0))
            self.box.port.setValue(other.getsockname()[1])
            self.box.listen.click()
        self.assertIn("cannot be listened on", self.status)
        self.assertFalse(self.box.listen.isChecked())

    def test_a_device_that_vanishes_is_said_and_taken_up_again(self) -> None:
        self.box.listen.click()
        self.send(5)
        self.wait(lambda: "a second" in self.box.said.text())
        with mock.patch("glyphos.live.tracker.GONE", 0.1):
            self.wait(lambda: "vanished" in self.box.said.text())
            self.assertIn("has vanished", self.status)
            self.assertEqual(self.tracking.values(), {})
        self.send(5)
        self.wait(lambda: "is back" in self.status)
        self.assertTrue(np.isfinite(list(self.tracking.values().values())).all())
