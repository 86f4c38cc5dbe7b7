"""The lip model and the rig: sealed whatever is mixed, never through each other; on the heads that ship."""

from __future__ import annotations

import json
import unittest
from functools import cache
from itertools import pairwise

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from glyphos.characters.builtin import BUILTIN, builtin
from glyphos.characters.channels import face_channels
from glyphos.characters.models.container import read_container
from glyphos.characters.poses import SOUNDS
from tests.characters.test_heads import gap, lips, width
from tests.examples import examples
from tools.heads.lips import BACK, FRONT, PAIR, Lips, N
from tools.heads.measure import QUIET
from tools.heads.rig import CHANNELS, DRIVERS, NODES, RIG, SPLIT, weights

INNER = np.arange(1, N // 2)
SPEECH = [c for c in QUIET if not c.startswith(("brow", "lid", "blink", "tongue", "cheek_raise"))]


@cache
def model() -> Lips:
    """Lips on a round face."""
    return Lips(-0.5, 0.34, lambda x, y: np.sqrt(np.clip(1 - x * x, 0, None)))


def mixes(names: list[str]) -> st.SearchStrategy[dict[str, float]]:
    """Some channels with values within their ranges."""

    def value(name: str) -> st.SearchStrategy[float]:
        return st.floats(CHANNELS[name][0], CHANNELS[name][1])

    return st.lists(st.sampled_from(names), max_size=6, unique=True).flatmap(
        lambda chosen: st.fixed_dictionaries({n: value(n) for n in chosen})
    )


class Rings(unittest.TestCase):
    def test_at_rest_upper_and_lower_seam_coincide_and_corners_are_shared(self) -> None:
        rings = model().rings()
        self.assertEqual(rings.shape, (8, N, 3))
        for ring in (BACK, FRONT):
            np.testing.assert_allclose(rings[ring], rings[ring][PAIR], atol=1e-12)

    def test_postures_do_what_they_say(self) -> None:
        rest = model().rings()
        wide, push = model().rings(a=1.3), model().rings(push=0.2)
        self.assertGreater(np.ptp(wide[FRONT, :, 0]), 1.25 * np.ptp(rest[FRONT, :, 0]))
        self.assertGreater(float((push - rest)[FRONT, N // 4, 2]), 0.15)
        opened = model().rings(ou=0.05, ol=0.1)
        self.assertAlmostEqual(
            float(opened[FRONT, N // 4, 1] - opened[FRONT, 3 * N // 4, 1]), 0.15, delta=0.01
        )

    @examples(40)
    @given(
        st.fixed_dictionaries({
            "a": st.floats(0.3, 1.4), "push": st.floats(-0.05, 0.25), "dy": st.floats(-0.05, 0.05),
            "hu": st.floats(0.2, 1.5), "hl": st.floats(0.2, 1.5), "roll": st.floats(0.4, 1.3),
            "wave": st.floats(0, 1), "fu": st.floats(-0.3, 0.3), "fl": st.floats(-0.3, 0.3),
        })
    )  # fmt: skip
    def test_every_posture_without_an_opening_is_shut(self, posture: dict[str, float]) -> None:
        rings = model().rings(**posture)
        np.testing.assert_allclose(rings[FRONT], rings[FRONT][PAIR], atol=1e-9)


class Shipped(unittest.TestCase):
    @examples(40)
    @given(st.sampled_from(BUILTIN), mixes(SPEECH))
    def test_nothing_but_an_opening_opens_the_mouth(
        self, name: str, values: dict[str, float]
    ) -> None:
        """`lips_part` 0 shuts it over any jaw."""
        rings = lips(name, values)
        apart = np.linalg.norm(
            rings[[BACK, FRONT]][:, INNER] - rings[[BACK, FRONT]][:, N - INNER], axis=2
        )
        self.assertLess(float(apart.max()), 0.002 * width(lips(name, {})))

    @examples(40)
    @given(st.sampled_from(BUILTIN), mixes([*SPEECH, "lips_part", "lip_to_teeth"]))
    def test_no_lip_goes_through_the_other(self, name: str, values: dict[str, float]) -> None:
        rings = lips(name, values)
        low = float((rings[FRONT, INNER, 1] - rings[FRONT, N - INNER, 1]).min())
        self.assertGreater(low, -0.002 * width(lips(name, {})))

    def test_the_mouth_opens_more_the_more_it_is_asked(self) -> None:
        for name in BUILTIN:
            steps = [gap(lips(name, {"jaw_open": k / 5, "lips_part": k / 5})) for k in range(6)]
            self.assertTrue(all(b > a for a, b in pairwise(steps)), (name, steps))

    def test_vowels_stand_in_the_order_of_phonetics(self) -> None:
        """Openness ɑ > o > i > u; spreading i > ɑ > o > u (IPA chart; Ladefoged & Johnson)."""
        for name in BUILTIN:
            openings = [gap(lips(name, SOUNDS[v])) for v in ("ɑ", "o", "i", "u")]
            widths = [width(lips(name, SOUNDS[v])) for v in ("i", "ɑ", "o", "u")]
            self.assertEqual(openings, sorted(openings, reverse=True), name)
            self.assertEqual(widths, sorted(widths, reverse=True), name)


class Description(unittest.TestCase):
    def test_files_describe_channels_splits_drivers_and_nodes(self) -> None:
        for name in BUILTIN:
            document = read_container(builtin(name).path).document
            root = document["nodes"][document["scenes"][0]["nodes"][0]]
            extras = root["extras"]
            self.assertEqual(set(extras["channels"]), set(face_channels()))
            for channel, entry in extras["channels"].items():
                self.assertEqual(
                    entry["range"], [face_channels()[channel].low, face_channels()[channel].high]
                )
            targets = {
                t for m in document["meshes"] for t in m.get("extras", {}).get("targetNames", [])
            }
            wanted = {t for parts in SPLIT.values() for t, _ in parts} | set(DRIVERS)
            self.assertLessEqual(wanted - targets, set(), name)
            nodes = {n.get("name") for n in document["nodes"]}
            self.assertLessEqual({n for names, _ in NODES.values() for n in names}, nodes)
            self.assertEqual(json.loads(json.dumps(extras)), extras)

    def test_action_units_are_those_of_the_plan(self) -> None:
        """FACS (Ekman, Friesen & Hager 2002), numbers from memory: smile 12, blink 45, puff 34."""
        for channel, unit in (
            ("lip_corner_up_left", "12"),
            ("blink_right", "45"),
            ("cheeks_puff", "34"),
            ("jaw_side", "30"),
        ):
            self.assertEqual(face_channels()[channel].au, unit)

    @examples(40)
    @given(mixes(sorted(CHANNELS)))
    def test_weights_stay_between_nothing_and_one(self, values: dict[str, float]) -> None:
        found = weights(values)
        for target, weight in found.items():
            self.assertGreaterEqual(float(weight), 0.0, target)
            self.assertLessEqual(float(weight), 1.0 + 1e-9, target)
        rig = builtin("mabel").rig
        assert rig is not None
        self.assertEqual(
            {k: float(v) for k, v in rig.weights(values).items()},
            {k: float(v) for k, v in found.items()},
        )
        self.assertEqual(set(RIG.drivers), set(rig.drivers))


if __name__ == "__main__":
    unittest.main()
