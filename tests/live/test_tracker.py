"""A tracker over a real socket: both protocols, what is lost and gone, zero pose, smoothing, takes."""

from __future__ import annotations

import json
import socket
import struct
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.channels import face_channels
from glyphos.characters.recorded import open_layer
from glyphos.errors import GlyphosError
from glyphos.live.packets import json_packet, osc_packet, read_packet
from glyphos.live.simulated import performance, play
from glyphos.live.tracker import GONE, Tracker, taken
from glyphos.motion.euro import OneEuro, smoothed
from tests.app.harness import Clock
from tests.examples import examples
from tests.patience import until
from tests.shell import invoke


class Packets(unittest.TestCase):
    def test_both_protocols_say_the_same(self) -> None:
        for pack in (json_packet, osc_packet):
            found = read_packet(pack(performance(1.5), 7, 1.5))
            self.assertEqual((found.number, found.seconds), (7, 1.5))
            for name, value in performance(1.5).items():
                channel = face_channels()[name]
                self.assertAlmostEqual(
                    found.values[name], np.clip(value, channel.low, channel.high), places=4
                )

    def test_an_osc_bundle_as_the_standard_writes_it(self) -> None:
        """Bytes made by hand after Open Sound Control 1.0 (Wright 2002): big endian, padded to four."""

        def text(s: str) -> bytes:
            own = s.encode() + b"\0"
            return own + b"\0" * (-len(own) % 4)

        one = text("/tracker/jaw_open") + text(",f") + struct.pack(">f", 0.25)
        two = text("/tracker/number") + text(",i") + struct.pack(">i", 9)
        bundle = (
            text("#bundle")
            + struct.pack(">Q", 1)
            + b"".join(struct.pack(">i", len(m)) + m for m in (one, two))
        )
        found = read_packet(bundle)
        self.assertEqual((dict(found.values), found.number), ({"jaw_open": 0.25}, 9))
        self.assertEqual(dict(read_packet(one).values), {"jaw_open": 0.25})  # a message by itself

    def test_names_in_any_spelling_and_values_out_of_range(self) -> None:
        data = json.dumps({"channels": {"JawOpen": 3, "head-yaw": -400, "earWiggle": 0.5}}).encode()
        found = read_packet(data)
        self.assertEqual(dict(found.values), {"jaw_open": 1.0, "head_yaw": -60.0})
        self.assertEqual(found.unknown, ("earWiggle",))
        self.assertIsNone(found.number)

    @given(st.binary(max_size=200))
    @examples(75)
    def test_whatever_comes_is_no_traceback(self, data: bytes) -> None:
        for prefix in (b"", b"#bundle\0", b"/tracker/", b'{"channels":'):
            read_packet(prefix + data)

    def test_what_is_no_packet_is_none(self) -> None:
        for data in (b"", b"hello", b"[1]", b'{"channels": 3}', b'{"channels": {"jaw_open": "x"}}',
                     b'{"channels": {"jaw_open": NaN}}', b'{"tracker": 2, "channels": {}}', b"#bundle\0\0"):  # fmt: skip
            self.assertIsNone(read_packet(data), data)


class Smoothing(unittest.TestCase):
    def test_it_smooths_where_it_is_slow_and_follows_where_it_is_quick(self) -> None:
        """The promise of Casiez et al. 2012: less jitter at rest, little lag in movement."""
        rng = np.random.default_rng(1)
        times = np.arange(0, 8, 1 / 60)
        still = 0.4 + 0.02 * rng.standard_normal(len(times))
        jump = np.where(times < 4, 0.0, 1.0)
        smooth = OneEuro(1.0)
        quiet = [smooth(t, {"jaw_open": v})["jaw_open"] for t, v in zip(times, still, strict=True)]
        self.assertLess(np.std(quiet[60:]), 0.4 * np.std(still))
        follow = OneEuro(1.0)
        moved = np.array(
            [follow(t, {"jaw_open": v})["jaw_open"] for t, v in zip(times, jump, strict=True)]
        )
        self.assertGreater(moved[4 * 60 + 9], 0.7)  # 150 ms later
        none = OneEuro(0.0)
        self.assertEqual([none(t, {"a": t})["a"] for t in (0.0, 0.1)], [0.0, 0.1])

    def test_curves_are_smoothed_there_and_back_so_that_nothing_comes_late(self) -> None:
        rng = np.random.default_rng(3)
        times = np.arange(0, 6, 1 / 60)
        slow = 8 * np.sin(2 * np.pi * 0.5 * times)
        noisy = slow + 0.4 * rng.standard_normal(len(times))
        made = smoothed(times, {"head_yaw": noisy}, 1.0)["head_yaw"]
        inner = slice(30, -30)
        self.assertLess(np.std((made - slow)[inner]), 0.75 * np.std((noisy - slow)[inner]))
        shift = np.correlate(
            made[inner] - made[inner].mean(), slow[inner] - slow[inner].mean(), "full"
        ).argmax()
        self.assertLessEqual(abs(shift - (len(slow[inner]) - 1)), 1)
        self.assertIs(smoothed(times, {"a": slow}, 0.0)["a"], slow)

    def test_a_constant_stays_and_a_step_is_reached(self) -> None:
        smooth = OneEuro(2.0)
        made = [smooth(k / 60, {"head_yaw": 5.0})["head_yaw"] for k in range(30)]
        self.assertEqual(set(made), {5.0})


class Taken(unittest.TestCase):
    def setUp(self) -> None:
        self.clock = Clock()
        self.tracker = Tracker(0, smoothing=0.0, clock=self.clock)
        self.addCleanup(self.tracker.close)

    def send(
        self, number: int, seconds: float, *, at: float | None = None, **values: float
    ) -> None:
        """A packet that comes on time, or at another."""
        self.clock.now = 100.0 + (seconds if at is None else at)
        self.tracker.take_in(json_packet(values or {"jaw_open": 0.5}, number, seconds))

    def test_waiting_receiving_vanished_and_back(self) -> None:
        self.assertEqual(self.tracker.health().state, "waiting")
        self.assertEqual(self.tracker.values(), {})
        for k in range(61):
            self.send(k, k / 60)
        health = self.tracker.health()
        self.assertEqual((health.state, health.received, health.lost), ("receiving", 61, 0))
        self.assertAlmostEqual(health.rate, 60, delta=1)
        self.clock.now += GONE + 0.5
        self.assertEqual(self.tracker.health().state, "vanished")
        self.assertEqual(self.tracker.values(), {})
        self.send(0, 0.0, at=4.0)  # it was started anew
        self.assertEqual(self.tracker.health().state, "receiving")
        self.assertEqual(self.tracker.health().lost, 0)

    def test_lost_late_double_and_foreign_packets(self) -> None:
        for k in (0, 1, 2, 5, 4, 4, 6):
            self.send(k, k / 60, at=k / 60, jaw_open=k / 10)
        health = self.tracker.health()
        self.assertEqual(
            (health.received, health.lost), (5, 1)
        )  # 3 is lost; 4 came late, and twice
        self.assertAlmostEqual(self.tracker.values()["jaw_open"], 0.6)
        self.tracker.take_in(b"nonsense")
        self.assertEqual(self.tracker.health().bad, 1)

    def test_the_zero_pose_is_the_rest_from_which_it_moves(self) -> None:
        with self.assertRaisesRegex(GlyphosError, "Nothing comes"):
            self.tracker.zero()
        self.send(0, 0.0, head_yaw=5.0, brow_inner_raise=0.2)
        self.tracker.zero()
        self.assertEqual(self.tracker.values(), {"head_yaw": 0.0, "brow_inner_raise": 0.0})
        self.send(1, 0.1, head_yaw=8.0, brow_inner_raise=0.6)
        self.assertAlmostEqual(self.tracker.values()["head_yaw"], 3.0)
        self.assertAlmostEqual(self.tracker.values()["brow_inner_raise"], 0.5)
        self.send(2, 0.2, head_yaw=8.0, brow_inner_raise=1.0)
        self.assertAlmostEqual(self.tracker.values()["brow_inner_raise"], 1.0)
        self.tracker.no_zero()
        self.send(3, 0.3, head_yaw=8.0)
        self.assertAlmostEqual(self.tracker.values()["head_yaw"], 8.0)

    def test_jitter_of_the_way_does_not_shake_a_take(self) -> None:
        """Packets that come up to 40 ms late stand where the sender's clock has them."""
        rng = np.random.default_rng(2)
        self.clock.now = 100.0
        self.tracker.begin()
        for k in range(120):
            t = k / 60
            self.send(
                k, t, at=t + (0.04 * rng.random() if k else 0.0), jaw_open=0.5 + 0.5 * np.sin(3 * t)
            )
        take = self.tracker.end()
        np.testing.assert_allclose(np.diff(take.times), 1 / 60, atol=1e-4)
        np.testing.assert_allclose(
            take.curves["jaw_open"], 0.5 + 0.5 * np.sin(3 * take.times), atol=1e-4
        )

    def test_a_device_that_vanishes_during_a_take_goes_to_rest(self) -> None:
        self.clock.now = 100.0
        self.tracker.begin()
        for k in [*range(60), *range(180, 240)]:
            self.send(k, k / 60, jaw_open=0.7)
        take = self.tracker.end()
        self.assertEqual(take.lost, 120)
        self.assertAlmostEqual(take.gaps, 121 / 60, places=3)
        middle = np.interp([0.5, 2.0, 3.5], take.times, take.curves["jaw_open"])
        np.testing.assert_allclose(middle, [0.7, 0.0, 0.7], atol=1e-3)
        self.assertTrue((np.diff(take.times) > 0).all())

    def test_a_take_of_nothing_is_one_sentence_and_one_can_be_dropped(self) -> None:
        self.tracker.begin()
        self.assertTrue(self.tracker.taking)
        with self.assertRaisesRegex(GlyphosError, "Nothing came"):
            self.tracker.end()
        self.tracker.begin()
        self.tracker.drop()
        self.assertFalse(self.tracker.taking)
        with self.assertRaises(GlyphosError):
            taken([], 0.0)

    def test_a_take_is_a_layer(self) -> None:
        self.clock.now = 100.0
        self.tracker.begin()
        for k in range(30):
            self.send(k, k / 30, **performance(k / 30))
        take = self.tracker.end()
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "take.csv"
        path.write_text(take.table())
        layer, said = open_layer(path)
        self.assertEqual(said, [])
        zeroed, _ = open_layer(path, 0.0, 0.5, 0.0)
        self.assertAlmostEqual(
            float(np.interp(0.5, zeroed.times, zeroed.curves["head_yaw"])), 0.0, places=6
        )
        self.assertAlmostEqual(
            float(np.interp(0.5, zeroed.times, zeroed.curves["brow_inner_raise"])), 0.0, places=6
        )
        soft, _ = open_layer(path, 0.0, None, 2.0)
        self.assertLess(
            np.abs(np.diff(soft.curves["blink_left"])).max(),
            np.abs(np.diff(layer.curves["blink_left"])).max(),
        )
        np.testing.assert_allclose(layer.curves["head_yaw"], take.curves["head_yaw"], atol=1e-4)


class Sockets(unittest.TestCase):
    def test_the_simulated_device_over_a_real_socket_with_losses(self) -> None:
        for osc in (False, True):
            tracker = Tracker(0)
            try:
                tracker.begin()
                for _ in play("127.0.0.1", tracker.port, rate=120, seconds=0.8, osc=osc, lose=0.1):
                    pass
                until(lambda t=tracker: t.health().received + t.health().lost >= 90)
                take, health = tracker.end(), tracker.health()
            finally:
                tracker.close()
            self.assertGreater(health.received, 60)
            self.assertGreater(health.lost, 2)
            self.assertEqual(health.bad, 0)
            self.assertGreater(float(np.ptp(take.curves["head_yaw"])), 1.0)

    def test_a_port_that_is_taken_is_one_sentence(self) -> None:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
            other.bind(("127.0.0.1", 0))
            with self.assertRaisesRegex(GlyphosError, "cannot be listened on"):
                Tracker(other.getsockname()[1])
        with self.assertRaisesRegex(GlyphosError, "cannot be listened on"):
            Tracker(99999)

    def test_from_one_shell_to_another(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
            free.bind(("127.0.0.1", 0))
            port = str(free.getsockname()[1])
        sender = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "glyphos",
                "tracker",
                "--demo",
                "--port",
                port,
                "--seconds",
                "30",
            ],
            stderr=subprocess.PIPE,
        )
        try:
            with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:  # until it has begun
                ear.settimeout(120)
                ear.bind(("127.0.0.1", int(port)))
                ear.recv(65_536)
            out = folder / "takes" / "one.csv"
            ran = invoke(
                ["tracker", "--record", str(out), "--port", port, "--seconds", "4", "--zero"]
            )
            self.assertEqual(ran.exit_code, 0, ran.output)
        finally:
            sender.kill()
            sender.communicate()
        layer, _ = open_layer(out)
        self.assertGreater(len(layer.times), 20)
        self.assertAlmostEqual(float(layer.curves["head_yaw"][0]), 0.0, delta=1.0)
        for wrong in (
            ["tracker", "--demo", "--record", "a.csv"],
            ["tracker", "--rate", "0"],
            ["tracker", "--lose", "2"],
        ):
            self.assertEqual(invoke(wrong).exit_code, 2)
        quiet = invoke(
            ["tracker", "--record", str(folder / "b.csv"), "--port", port, "--seconds", "0.3"]
        )
        self.assertIn("Nothing came", str(quiet.exception))
