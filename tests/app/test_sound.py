"""What is played: a card that is pretended, which asks for blocks as PortAudio does, and silence that keeps time."""

from __future__ import annotations

import sys
import types
import unittest
from types import SimpleNamespace
from typing import Any
from unittest import mock

import numpy as np

from glyphos.app.model.transport import Transport
from glyphos.app.sound.devices import RATE, SilentDevice, SoundDevice
from glyphos.scene.mix import Mixer, Part
from tests.app.harness import Clock, make_application
from tests.scene.scenes import sine

BLOCK = 480
LATENCY = 0.021  # seconds until a block is heard


class Card:
    """A stream that asks for blocks when it is told to; what it was given is kept."""

    def __init__(self, **wanted: Any) -> None:
        self.wanted = wanted
        self.time = 50.0
        self.heard: list[np.ndarray] = []

    def start(self) -> None:
        pass

    def close(self) -> None:
        pass

    def run(self, seconds: float) -> None:
        """As many blocks as last so long."""
        for _ in range(round(seconds * RATE / BLOCK)):
            out = np.full((BLOCK, self.wanted["channels"]), np.nan, np.float32)
            when = SimpleNamespace(outputBufferDacTime=self.time + LATENCY)
            self.wanted["callback"](out, BLOCK, when, None)
            self.heard.append(out)
            self.time += BLOCK / RATE

    @property
    def sound(self) -> np.ndarray:
        return np.concatenate(self.heard)


class Played(unittest.TestCase):
    def setUp(self) -> None:
        make_application()
        cards: list[Card] = []

        def stream(**wanted: Any) -> Card:
            cards.append(Card(**wanted))
            return cards[-1]

        module = types.ModuleType("sounddevice")
        module.OutputStream = stream  # type: ignore[attr-defined]
        self.enterContext(mock.patch.dict(sys.modules, {"sounddevice": module}))
        self.device = SoundDevice()
        self.card = cards[0]

    def test_a_mix_comes_out_as_it_is_sample_by_sample_on_both_sides(self) -> None:
        parts = [
            Part(sine(220, 1.0, -6), RATE, 0.1),
            Part(sine(330, 0.5, -6)[:, 0], RATE, 0.5, fade_in=0.1),
        ]
        mixer = Mixer(parts, 1.5)
        self.device.play(mixer, 0.25, 1.5, False)
        self.card.run(2.0)
        whole = mixer.read(round(0.25 * RATE), len(mixer))
        np.testing.assert_array_equal(self.card.sound[: len(whole)], whole)
        self.assertFalse(np.any(self.card.sound[len(whole) :]))
        one = np.linspace(0, 1, RATE, dtype=np.float32)
        self.device.play(one, 0.0, 1.0, False)
        before = len(self.card.sound)
        self.card.run(0.5)
        np.testing.assert_array_equal(
            self.card.sound[before:], np.repeat(one[: RATE // 2, None], 2, 1)
        )

    def test_three_minutes_of_changes_and_the_clock_is_exact(self) -> None:
        """Within 20 ms is asked for; the playhead is where what is heard is, latency and all."""
        quiet = [Mixer([Part(sine(110, 2.0, -20), RATE, 0.0, -k)], 180.0) for k in range(4)]
        self.device.play(quiet[0], 0.0, 180.0, False)
        worst = 0.0
        for k in range(179):
            self.card.run(1.0)
            heard = (k + 1) - LATENCY  # seconds of sound that have come out by now
            worst = max(worst, abs(self.device.position() - heard))
            self.device.swap(quiet[k % 4])
        self.assertLess(worst, 0.001)
        self.assertFalse(self.device.finished())
        self.card.run(2.0)
        self.assertTrue(self.device.finished())

    def test_a_loop_is_without_a_gap(self) -> None:
        ramp = np.arange(RATE, dtype=np.float32)
        self.device.play(ramp, 0.25, 0.5, True)
        self.card.run(1.0)
        np.testing.assert_array_equal(
            self.card.sound[:, 0], np.tile(ramp[RATE // 4 : RATE // 2], 4)
        )
        self.assertTrue(0.25 <= self.device.position() <= 0.5)


class Silent(unittest.TestCase):
    def test_silence_keeps_time_for_three_minutes(self) -> None:
        make_application()
        clock = Clock()
        player = Transport(SilentDevice(clock))
        player.load(Mixer((), 180.0))
        player.play(0.0)
        for k in range(1, 1790):
            clock.now = 100.0 + 0.1 * k
            if k % 100 == 0:
                player.swap(Mixer((), 180.0))
            self.assertLess(abs(player.position() - 0.1 * k), 1e-4)
        self.assertTrue(player.playing)

    def test_a_mix_of_another_length_takes_over_where_it_is(self) -> None:
        make_application()
        clock = Clock()
        player = Transport(SilentDevice(clock))
        player.load(Mixer((), 10.0))
        player.play(2.0)
        clock.now += 1.0
        player.swap(Mixer((), 20.0))
        clock.now += 9.0
        self.assertAlmostEqual(player.position(), 12.0, places=4)
        player.swap(Mixer((), 5.0))
        self.assertFalse(player.playing)
        self.assertAlmostEqual(player.position(), 5.0, places=4)


if __name__ == "__main__":
    unittest.main()
