"""The drawn cast and the glyphs: the same shapes for every pose, no jumps, lips that meet."""

from __future__ import annotations

import os
import random
import unittest
import xml.etree.ElementTree as ElementTree

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from PySide6.QtCore import QRectF
from PySide6.QtGui import QGuiApplication, QImage, QPainter

from glyphos.app.drawing.portrait import LATELY, Portrait
from glyphos.app.drawing.vector import Paths
from glyphos.characters.drawn.cast import CAST, face, person_of
from glyphos.characters.drawn.glyphs import KINDS, glyph, kinds_seen
from glyphos.characters.drawn.ink import BOX
from glyphos.characters.drawn.mouth import Mouth
from glyphos.characters.drawn.person import LAYERS, STEPS, seen
from glyphos.characters.drawn.pose import Pose
from glyphos.characters.drawn.svg import path_data, svg
from glyphos.motion.channels import channels
from glyphos.motion.perform import perform
from tests.motion.promised import LEAD, reading_of

RANGES = {c.name: (c.low, c.high) for c in channels()} | {
    "brow_inner_raise": (0, 1), "brow_lower": (0, 1), "blink_left": (0, 1), "blink_right": (0, 1),
    "lip_corner_up_left": (0, 1), "cheeks_puff": (0, 1), "gaze_yaw": (-30, 30), "head_yaw": (-30, 30),
    "head_pitch": (-20, 20), "head_roll": (-20, 20),
}  # fmt: skip


def some(chance: random.Random) -> dict[str, float]:
    return {n: chance.uniform(a, b) for n, (a, b) in RANGES.items()}


def elements(who: str, values: dict[str, float]) -> np.ndarray:
    return np.concatenate([d.elements for d in face(who, values)])


def mouth_of(sound: str, who: str = "mabel") -> Mouth:
    """The mouth in the middle of a held sound, as the motion has it."""
    return Mouth(CAST[who].mouth, Pose(pose_of(sound)))


def pose_of(sound: str) -> dict[str, float]:
    return perform(reading_of([(sound, 0.25)]), fps=120).at(0.5 + 0.125 - LEAD)


# /k/ asks nothing of the lips: they do what its neighbours want.
BETWEEN_VOWELS = perform(reading_of([("ə", 0.1), ("k", 0.1), ("ə", 0.1)]), fps=120).at(0.65 - LEAD)


class Faces(unittest.TestCase):
    def test_a_person_is_always_the_same_shapes(self) -> None:
        chance = random.Random(1)
        for who in CAST:
            plain = face(who, {})
            for _ in range(6):
                for a, b in zip(plain, face(who, some(chance)), strict=True):
                    self.assertEqual([s.name for s in a.shapes], [s.name for s in b.shapes])
                    self.assertEqual([s.clip for s in a.shapes], [s.clip for s in b.shapes])
                    self.assertEqual(a.first.tolist(), b.first.tolist())

    def test_nothing_jumps_between_poses_that_are_close(self) -> None:
        chance = random.Random(2)
        for who in CAST:
            for _ in range(12):
                a, b, t = some(chance), some(chance), chance.random()
                moved = []
                for step in (1 / 400, 1 / 8000):
                    one, other = (
                        elements(who, {k: a[k] + (b[k] - a[k]) * u for k in a})
                        for u in (t, t + step)
                    )
                    moved.append(np.abs(one - other).max())
                self.assertLess(moved[0], 1.5)
                self.assertLess(moved[1], moved[0] / 8)

    def test_lips_meet_at_zero_whatever_else_and_never_cross(self) -> None:
        chance = random.Random(3)
        for _ in range(300):
            values = some(chance)
            m = Mouth(CAST["mabel"].mouth, Pose(values))
            self.assertTrue(all(u[1] <= low[1] for u, low in zip(m.up_in, m.low_in, strict=True)))
            shut = Mouth(CAST["osric"].mouth, Pose(values | {"lips_part": 0.0}))
            self.assertEqual(shut.up_in, shut.low_in)

    def test_sounds_look_like_what_they_are(self) -> None:
        """Descriptions of lips after the IPA chart: rounded, spread, open, lip to teeth."""
        rest = Mouth(CAST["mabel"].mouth, Pose({}))
        wide = {s: mouth_of(s).corner[1][0] for s in "uowiɑʃ"}
        for sound in "uow":
            self.assertLess(wide[sound], 0.75 * rest.corner[1][0], sound)
        self.assertGreater(wide["i"], 1.05 * rest.corner[1][0])
        self.assertLess(wide["ʃ"], rest.corner[1][0])
        gaps = {s: mouth_of(s).gap for s in "ɑɛiump"}
        self.assertGreater(gaps["ɑ"], gaps["ɛ"])
        self.assertGreater(gaps["ɛ"], gaps["i"])
        self.assertEqual((gaps["m"], gaps["p"]), (0.0, 0.0))
        f = mouth_of("f")
        self.assertGreater(f.teeth_on, 0.8)
        self.assertGreater(f.y_teeth, f.low_edge)  # the teeth reach over the lower lip
        self.assertLess(f.y_teeth, f.lip_bottom)
        self.assertGreater(mouth_of("θ").between, 0.8)
        self.assertGreater(mouth_of("l").tip, 0.8)

    def test_a_head_turns_and_its_body_does_not(self) -> None:
        straight, turned = face("mabel", {}), face("mabel", {"head_yaw": 20.0})
        names = [s.name for s in straight[0].shapes]
        jumper = straight[0].shapes[names.index("jumper")].path
        np.testing.assert_array_equal(straight[0].path(jumper), turned[0].path(jumper))
        self.assertGreater(np.abs(straight[2].elements - turned[2].elements).max(), 10)

    def test_whoever_speaks_is_shown(self) -> None:
        self.assertEqual(person_of("OSRIC ").name, "osric")
        self.assertEqual(person_of("").name, "mabel")
        self.assertEqual(person_of("the gardener").name, "mabel")

    def test_a_face_as_svg_has_all_that_is_seen(self) -> None:
        drawings = face("pip", {"jaw_open": 0.5, "lips_part": 0.5})
        root = ElementTree.fromstring(svg(drawings, BOX, title="Pip"))
        seen = [s for d in drawings for s in d.shapes if s.opacity >= 0.004]
        paths = root.findall(".//{*}path")
        clips = root.findall(".//{*}clipPath")
        self.assertEqual(len(paths), len(seen) + len(clips))
        self.assertEqual(root.find("{*}title").text, "Pip")  # type: ignore[union-attr]

    def test_pieces_of_one_shape_are_one_path_of_several_starts(self) -> None:
        drawing = CAST["mabel"].draw("face", {"jaw_open": 0.5, "lips_part": 0.5})
        gaps = next(s for s in drawing.shapes if s.name == "upper gaps")
        self.assertGreater(gaps.pieces, 5)
        every = path_data(drawing, gaps.path, gaps.pieces)
        self.assertEqual(every.count("M"), gaps.pieces)
        self.assertEqual(
            every.count("C") * 3 + gaps.pieces, len(drawing.path(gaps.path, gaps.pieces))
        )


class Painted(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.application = QGuiApplication.instance() or QGuiApplication([])

    def test_the_window_paints_the_curves_of_the_drawing(self) -> None:
        drawing = CAST["mabel"].draw("face", {"lips_part": 0.4})
        paths = Paths(drawing)
        for number in range(0, len(drawing.first) - 1, 7):
            made, wanted = paths.path(number), drawing.path(number)
            self.assertEqual(made.elementCount(), len(wanted))
            for k in range(len(wanted)):
                element = made.elementAt(k)
                np.testing.assert_allclose((element.x, element.y), wanted[k])
            self.assertEqual(made.elementAt(1).type.name, "CurveToElement")

    def test_a_picture_lies_on_whole_pixels_wherever_its_area_is(self) -> None:
        made = []
        for x, y in ((0.0, 0.0), (3.4, 2.3)):
            image = QImage(330, 430, QImage.Format.Format_ARGB32_Premultiplied)
            image.fill(0)
            painter = QPainter(image)
            Portrait().paint(painter, CAST["pip"], {"lips_part": 0.3}, QRectF(x, y, 320, 424.4))
            painter.end()
            made.append(image)
        self.assertEqual(made[0].copy(0, 0, 320, 424), made[1].copy(3, 2, 320, 424))

    def test_only_the_layer_that_changed_is_painted_anew(self) -> None:
        image = QImage(320, 500, QImage.Format.Format_ARGB32_Premultiplied)
        portrait, drawn = Portrait(), []
        person = CAST["mabel"]

        class Told(type(person)):  # type: ignore[misc]
            def draw(self, layer, values):  # type: ignore[no-untyped-def]
                drawn.append(layer)
                return super().draw(layer, values)

        told = Told(**vars(person))

        def show(values: dict[str, float], *, hurried: bool = False) -> list[str]:
            drawn.clear()
            painter = QPainter(image)
            portrait.paint(painter, told, values, QRectF(0, 0, 320, 500), hurried=hurried)
            painter.end()
            return list(drawn)

        self.assertEqual(show({"lips_part": 0.1}), list(LAYERS))
        self.assertEqual(show({"lips_part": 0.1}), [])
        self.assertEqual(show({"lips_part": 0.5, "jaw_open": 0.3}), ["face"])
        self.assertEqual(show({"lips_part": 0.5, "jaw_open": 0.3, "blink": 1.0}), ["face", "front"])
        turns = [show({"head_yaw": float(k)}, hurried=True) for k in range(1, 5)]
        self.assertTrue(all("face" in x and len(x) == 2 for x in turns), turns)
        self.assertEqual(
            [x[-1] == "front" for x in turns],
            [turns[0][-1] == "front", *(x[-1] != "front" for x in turns[:-1])],
        )
        self.assertEqual(len(show({"head_yaw": 4.0})), 1)  # what was left, once there is time
        self.assertEqual(show({"head_yaw": 4.0}), [])
        self.assertEqual(show({"lips_part": 0.1}), [])  # as it was shown before

    def test_what_was_shown_lately_is_as_it_was_whatever_ran_since(self) -> None:
        portrait, person = Portrait(), CAST["osric"]

        def shown(values: dict[str, float], *, hurried: bool = False) -> QImage:
            image = QImage(310, 490, QImage.Format.Format_ARGB32_Premultiplied)
            image.fill(0)
            painter = QPainter(image)
            portrait.paint(painter, person, values, QRectF(0, 0, 310, 490), hurried=hurried)
            painter.end()
            return image

        rest, spoken = {"lips_part": 0.1}, {"lips_part": 0.6, "jaw_open": 0.5, "head_yaw": 9.0}
        before = shown(rest)
        for k in range(3):
            running = shown({**spoken, "blink": 0.3 * k}, hurried=True)
        self.assertNotEqual(running, before)
        self.assertEqual(shown(rest), before)
        for k in range(60):  # more than is kept
            shown({"lips_part": 0.2 + 0.01 * k})
        kept = sum(p.width() * p.height() * p.depth() // 8 for p in portrait._lately.values())
        self.assertTrue(0.9 * LATELY < kept <= LATELY, kept)
        self.assertEqual(shown(rest), before)


class Glyphs(unittest.TestCase):
    # Sounds and what their mouths are, after the IPA chart's places and rounding.
    SEEN = {
        "p": "pressed", "b": "pressed", "m": "pressed", "f": "teeth on lip", "v": "teeth on lip",
        "θ": "tongue between teeth", "ð": "tongue between teeth", "t": "tongue up", "l": "tongue up",
        "s": "hiss", "z": "hiss", "ʃ": "pushed teeth", "ʒ": "pushed teeth", "ɹ": "curled",
        "w": "small round", "u": "small round", "ɔ": "round", "i": "spread", "ɛ": "open",
        "ɑ": "open", "æ": "open", "ə": "half open", "k": "tongue back",
    }  # fmt: skip

    def test_each_held_sound_shows_its_kind(self) -> None:
        names = [c.name for c in channels()]
        for sound, kind in self.SEEN.items():
            pose = pose_of(sound) if sound != "k" else BETWEEN_VOWELS
            row = np.array([[pose[n] for n in names]])
            self.assertEqual(kinds_seen(row), [kind], sound)

    def test_every_kind_has_a_glyph_of_its_own(self) -> None:
        made = {k: glyph(k, "#000000", "#ff0000", "#ffffff") for k in KINDS}
        self.assertEqual(len({d.elements.tobytes() for d in made.values()}), len(KINDS))
        for drawing in made.values():
            for shape in drawing.shapes:
                self.assertLess(np.abs(drawing.path(shape.path)).max(), 24)


class Steps(unittest.TestCase):
    def test_nothing_moves_by_more_than_half_a_pixel_from_one_step_to_the_next(self) -> None:
        """Half a step is the most that a turn is shown too early or too late."""
        for who in ("Mabel", "Osric", "Pip"):
            person = person_of(who)
            for name, step in STEPS.items():
                for at in (0.0, 40 * step):
                    off = 0.0
                    for layer in LAYERS:
                        a, b = (person.draw(layer, {name: at + d}) for d in (0.0, step / 2))
                        off = max(off, *(
                            float(np.abs(np.subtract(a.bounds(x.path), b.bounds(y.path))).max())
                            for x, y in zip(a.shapes, b.shapes, strict=True)
                        ))  # fmt: skip
                    self.assertLess(off, 0.5, (who, name, at))

    def test_a_turn_is_shown_at_its_nearest_step_and_mouths_as_they_are(self) -> None:
        shown = seen({"head_roll": 1.234, "head_yaw": -0.31, "gaze_yaw": 0.2, "jaw_open": 0.1234})
        self.assertEqual(
            {k: round(v, 6) for k, v in shown.items()},
            {"head_roll": 1.2, "head_yaw": -0.4, "gaze_yaw": 0.0, "jaw_open": 0.1234},
        )
