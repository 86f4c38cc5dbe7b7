"""Layers of a face in the real window: on, alone, how strongly, where; A and B over all of them."""

from __future__ import annotations

from unittest import mock

import numpy as np

from glyphos.app.drawing.layering import LAYER_WORDS
from glyphos.motion.layers import composed
from glyphos.motion.life.event import Liveliness
from glyphos.motion.mix import LAYERS
from glyphos.motion.mood import MoodSpan
from glyphos.motion.perform import perform
from tests.app.curved import Curves


class Layered(Curves):
    def setUp(self) -> None:
        super().setUp()
        self.change_line(
            "Give", life=Liveliness(), moods=(MoodSpan("joy", 0.2, 11.0, 0.7, 0.2, 0.2),)
        )
        self.idle()
        self.hand.pull(self.middle(), 0.2)
        self.panel = self.curves.layers

    def test_switch_solo_strength_and_regions_act_at_once_and_can_be_undone(self) -> None:
        whole = self.living.motion
        self.panel.on["mood"].click()
        self.assertAlmostEqual(self.values().max(), 0.2, delta=0.01)
        self.panel.on["mood"].click()
        np.testing.assert_array_equal(self.living.motion.values, whole.values)
        self.panel.solo["life"].click()
        self.assertEqual(self.values("jaw_open").max() > 0.2, False)
        self.panel.solo["life"].click()
        self.panel.strength["touch"].setValue(50)
        self.assertEqual(self.line.mix.touch.strength, 0.5)
        self.panel.strength["touch"].setValue(100)
        marks = {a.text(): a for a in self.panel.regions["life"].menu().actions()}
        marks["Head"].trigger()
        self.assertNotIn("head", self.line.mix.life.regions)
        self.assertFalse(self.values("head_yaw").any())
        self.do("undo")
        self.assertTrue(self.values("head_yaw").any())
        self.assertEqual(
            [LAYER_WORDS[n] for n in LAYERS], [self.panel.on[n].text() for n in LAYERS]
        )

    def test_a_strength_is_seen_while_it_is_dragged_and_is_one_step(self) -> None:
        slider = self.panel.strength["mood"]
        own, steps = self.values().max(), len(self.names())
        slider.setSliderDown(True)
        for k in (80, 50, 20):
            slider.setValue(k)
        self.assertLess(self.values().max(), 0.8 * own)
        self.assertEqual(len(self.names()), steps)
        slider.setSliderDown(False)
        self.assertEqual(self.line.mix.mood.strength, 0.2)
        self.assertEqual(len(self.names()), steps + 1)

    def test_the_window_the_core_and_a_file_show_the_same(self) -> None:
        line, life = self.line, self.living
        speech = perform(line.reading, line.delivery, fps=24, loudness=self.current.opened.loudness)
        ground = life._ground
        made = composed(
            speech,
            line.reading,
            line.delivery,
            life=ground.life,
            moods=line.moods,
            touches=line.touches,
            mix=line.mix,
        ).motion
        self.assertEqual(made.values.tobytes(), life.motion.values.tobytes())

    def test_a_very_long_line_is_put_together_in_the_background_as_it_is_by_then(self) -> None:
        with mock.patch("glyphos.app.model.living.LONG", 10):
            self.panel.strength["mood"].setValue(20)
            self.panel.strength["mood"].setValue(60)  # while the first is being put together
            self.assertFalse(self.living.settled)
            self.idle()
            self.wait(lambda: self.living.settled)
            late = self.living.motion.values.copy()
        self.panel.strength["mood"].setValue(61)
        self.panel.strength["mood"].setValue(60)
        np.testing.assert_array_equal(self.living.motion.values, late)

    def test_a_and_b_hold_every_layer(self) -> None:
        self.page.delivery.keep_as_b()
        own = self.living.motion.values.copy()
        self.hand.pull(self.middle(self.k + 2), 0.4)
        self.panel.on["life"].click()
        self.change_line("Feel nothing", moods=())
        self.idle()
        other = self.living.motion.values.copy()
        self.do("flip")
        self.idle()
        np.testing.assert_array_equal(self.living.motion.values, own)
        self.do("flip")
        self.idle()
        np.testing.assert_array_equal(self.living.motion.values, other)
