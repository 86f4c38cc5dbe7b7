"""Lists of poses: an animation that holds a pose a frame, and a text that names them."""

from __future__ import annotations

import json
import random
import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.models.opening import open_head
from glyphos.characters.posing import Poser
from glyphos.errors import ModelError
from tests.characters.models import QUAD, Made
from tests.characters.test_models import UP, _spoil
from tests.examples import examples

FRAMES = np.arange(4, dtype=np.float32) / 24


def posed() -> Made:
    """A square whose animation at 24 frames a second raises it by a target on frame 1, and lifts a
    joint that carries nothing on frame 2."""
    made = Made()
    made.mesh({"up": UP})
    made.document["nodes"].append({"name": "jaw"})
    made.document["scenes"] = [{"nodes": [0, 1]}]
    times = made.add(FRAMES)
    weights = made.add(np.array([0, 1, 0, 0.5], np.float32))
    shifts = made.add(np.array([[0, 0, 0], [0, 0, 0], [0, 2, 0], [0, 0, 0]], np.float32))
    made.document["animations"] = [
        {
            "samplers": [{"input": times, "output": weights}, {"input": times, "output": shifts}],
            "channels": [
                {"sampler": 0, "target": {"node": 0, "path": "weights"}},
                {"sampler": 1, "target": {"node": 1, "path": "translation"}},
            ],
        }
    ]
    return made


class Lists(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.model = posed().save(self.folder / "poses.glb")
        self.listing = self.folder / "poses.poses"

    def test_each_frame_that_is_named_becomes_a_channel(self) -> None:
        self.listing.write_text("# poses\nwide open\t1\nhalf, 3\n\nchin up 2\n", encoding="utf-8")
        head = open_head(self.model)
        self.assertEqual([c for c in head.channels if c != "up"], ["wide open", "half", "chin up"])
        poser = Poser(head)
        np.testing.assert_allclose(poser.pose({"wide open": 1.0})[0], QUAD + UP, atol=1e-6)
        np.testing.assert_allclose(poser.pose({"half": 1.0})[0], QUAD + 0.5 * UP, atol=1e-6)
        np.testing.assert_allclose(head.turned["chin up"][1][1], (0, 2, 0), atol=1e-6)

    def test_a_list_that_does_not_fit_is_one_sentence(self) -> None:
        for data, words in (
            (b"smile", "Line 1 of poses.poses is not a name and a frame"),
            ("ok 1\nsmile \u00b2".encode(), "Line 2"),
            (b"smile -1", "Line 1"),
            (b"smile 1e3", "Line 1"),
            (b"smile " + b"9" * 6000, "Line 1"),
            (b"smile 99", "after the end of the animation"),
            (b"\n# nothing\n", "no pose"),
            (b"\xff\xfe\x00smile", "UTF-8"),
        ):
            self.listing.write_bytes(data)
            with self.subTest(data[:20]), self.assertRaisesRegex(ModelError, words) as caught:
                open_head(self.model)
            self.assertTrue(str(caught.exception).endswith("."))

    def test_a_model_without_animation_has_no_poses_to_name(self) -> None:
        made = posed()
        del made.document["animations"]
        self.listing.write_text("smile 1")
        path = made.save(self.folder / "still.glb")
        with self.assertRaisesRegex(ModelError, "no animation"):
            open_head(path, poses=self.listing)

    @examples(75)
    @given(st.integers(0, 2**32 - 1))
    def test_whatever_is_changed_in_an_animation_it_is_read_or_refused(self, seed: int) -> None:
        dice = random.Random(seed)
        made = posed()
        document = json.loads(json.dumps(made.document))
        for _ in range(dice.randint(1, 3)):
            _spoil({"animations": document["animations"]}, dice)
        made.document = document
        self.listing.write_text("open 1\nup 2")
        try:
            head = open_head(made.save(self.folder / "poses.glb"))
            Poser(head).pose(dict.fromkeys(head.channels, 0.5))
        except ModelError as error:
            self.assertTrue(str(error).endswith("."), error)
